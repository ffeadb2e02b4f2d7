"""Convolution in blocks that are fixed to the session's first frame, so that any division gives the same samples.

Partitioned overlap-save: Kulp 1988, "Digital equalization using Fourier transform techniques". Who convolves block
after block keeps the spectra of what goes in: of each block they are worked out once, however long the response is.
"""

from collections.abc import Sequence

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.dsp.kernels.mixing import add_product

Audio = NDArray[np.float32]
Spectra = NDArray[np.complex64]

Term = tuple[int, int, int]
"""An output, an input, and the response between them, each by its index."""


def partition_count(taps: int, block: int) -> int:
    """How many blocks a response of so many taps is cut into, the last filled with silence."""
    return -(-taps // block)


def partition_responses(responses: Audio, block: int) -> Spectra:
    """Cut responses into blocks and transform them for ``convolve_blocks``.

    Parameters
    ----------
    responses : float32, shape (responses, taps)
    block : int
        Frames in a block.

    Returns
    -------
    complex64, shape (responses, parts, block + 1)
    """
    count, taps = responses.shape
    parts = partition_count(taps, block)
    padded = np.zeros((count, parts * block), dtype=np.float32)
    padded[:, :taps] = responses
    return scipy.fft.rfft(padded.reshape(count, parts, block), 2 * block, axis=-1).astype(np.complex64)


def block_spectra(audio: Audio, block: int) -> Spectra:
    """Transform every block together with the one before it.

    Parameters
    ----------
    audio : float32, shape (inputs, (blocks + 1) × block)

    Returns
    -------
    complex64, shape (blocks, inputs, block + 1)
    """
    blocks = audio.reshape(len(audio), -1, block).swapaxes(0, 1)
    return scipy.fft.rfft(np.concatenate([blocks[:-1], blocks[1:]], axis=2), axis=-1)


def convolve_blocks(spectra: Sequence[Spectra], parts: Spectra, terms: Sequence[Term], outputs: int) -> Audio:
    """Convolve blocks with responses that are as many blocks long as ``parts``.

    Parameters
    ----------
    spectra : complex64, blocks + parts - 1 of shape (inputs, block + 1)
        Of the blocks that come out and of those before them that still sound (``block_spectra``).
    parts : complex64, shape (responses, parts, block + 1)
        From ``partition_responses``.
    terms
        Which input reaches which output, through which response.

    Returns
    -------
    float32, shape (outputs, blocks × block)

    References
    ----------
    B. D. Kulp, "Digital equalization using Fourier transform techniques", AES Convention 85, 1988.
    """
    count = parts.shape[1]
    blocks, block = len(spectra) - count + 1, spectra[0].shape[1] - 1
    out = np.zeros((outputs, blocks, block), np.float32)
    for output in sorted({output for output, _, _ in terms}):
        total = np.zeros((blocks, block + 1), dtype=np.complex64)
        for _, source, response in (term for term in terms if term[0] == output):
            for part in range(count):
                for number in range(blocks):
                    add_product(spectra[count - 1 - part + number][source], parts[response, part], total[number])
        out[output] = scipy.fft.irfft(total, 2 * block, axis=-1)[:, block:]
    return out.reshape(outputs, -1)
