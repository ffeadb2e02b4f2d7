"""Adding sounds up through gains that stand, run evenly through a block, or change at every sample.

Gains that are nothing cost nothing: of many loudspeakers a source plays few.
"""

import numpy as np
from numpy.typing import NDArray

from needle.dsp.kernels import kernel

Audio = NDArray[np.float32]
Indices = NDArray[np.int64]


def _scaled_twin(sound: Audio, gains: Audio, first: int, out: Audio) -> None:
    in_blocks = sound.reshape(-1, out.shape[2])
    for output in np.flatnonzero(gains):
        out[output, first : first + len(in_blocks)] += gains[output] * in_blocks


@kernel(_scaled_twin, "r4[1]", "r4[1,A]", "int64", "w4[3]")
def add_scaled(sound: Audio, gains: Audio, first: int, out: Audio) -> None:
    """Add ``sound`` (frames,) to ``out`` (outputs, blocks, block), by the gain of each output (outputs,).

    It begins at the block ``first`` and is as many whole blocks long.
    """
    block = out.shape[2]
    for b in range(sound.shape[0] // block):
        begin = b * block
        for output in range(out.shape[0]):
            gain = gains[output]
            if gain != 0.0:
                for n in range(block):
                    out[output, first + b, n] += gain * sound[begin + n]


def _ramped_twin(
    sound: Audio, start: Audio, rise: Audio, exact_of: Indices, exact: Audio, first: int, out: Audio
) -> None:
    blocks, block = start.shape[1], out.shape[2]
    slope = np.arange(block, dtype=np.float32) / np.float32(block)
    in_blocks = sound.reshape(blocks, block)
    total = out[:, first : first + blocks]
    even = exact_of < 0
    total[:, even] += (start[:, even, np.newaxis] + rise[:, even, np.newaxis] * slope) * in_blocks[even]
    total[:, ~even] += exact[:, exact_of[~even]] * in_blocks[~even]


@kernel(_ramped_twin, "r4[1]", "r4[2,A]", "r4[2,A]", "ri[1]", "r4[3,A]", "int64", "w4[3]")
def add_ramped(
    sound: Audio, start: Audio, rise: Audio, exact_of: Indices, exact: Audio, first: int, out: Audio
) -> None:
    """Add ``sound`` (frames,) to ``out`` (outputs, blocks, block) from block ``first`` on, through moving gains.

    In block b an output's gain begins at ``start`` (outputs, blocks) and rises by ``rise`` until the next block;
    where ``exact_of[b]`` is not negative it is ``exact[output, exact_of[b]]`` (outputs, exact blocks, block) instead,
    sample by sample.
    """
    block = out.shape[2]
    step = np.float32(1.0 / block)
    for b in range(start.shape[1]):
        begin, e = b * block, exact_of[b]
        for output in range(out.shape[0]):
            if e >= 0:
                for n in range(block):
                    out[output, first + b, n] += exact[output, e, n] * sound[begin + n]
                continue
            gain, more = start[output, b], rise[output, b] * step
            if more != 0.0:
                for n in range(block):
                    out[output, first + b, n] += (gain + more * np.float32(n)) * sound[begin + n]
            elif gain != 0.0:
                for n in range(block):
                    out[output, first + b, n] += gain * sound[begin + n]


def _multiplied_twin(
    spectrum: NDArray[np.complex64], response: NDArray[np.complex64], out: NDArray[np.complex64]
) -> None:
    out += spectrum * response


@kernel(_multiplied_twin, "rc[1]", "rc[1]", "wc[1]")
def add_product(spectrum: NDArray[np.complex64], response: NDArray[np.complex64], out: NDArray[np.complex64]) -> None:
    """Add a ``spectrum`` times a ``response`` to ``out``, all (bins,)."""
    for n in range(out.shape[0]):
        out[n] += spectrum[n] * response[n]
