"""A sound read later by a delay that is another at every sample."""

import numpy as np
from numpy.typing import NDArray

from needle.dsp.kernels import kernel

Audio = NDArray[np.float32]
Numbers = NDArray[np.float64]

TAPS = 64
"""Samples that the interpolator reads."""

_AT_ONCE = 8192


def _twin(sound: Audio, edges: Numbers, step: int, first: int, table: Audio, out: Audio) -> None:
    parts, across = table.shape[0], np.arange(TAPS)
    rise = np.diff(edges)[:, np.newaxis] * (np.arange(step) / step)
    delays = (edges[:-1, np.newaxis] + rise).ravel()
    for low in range(0, len(out), _AT_ONCE):
        stretch = delays[low : low + _AT_ONCE]
        integer_delay = np.floor(stretch).astype(np.int64)
        place = (stretch - integer_delay) * parts
        part = np.minimum(place.astype(np.int64), parts - 1)
        share = (place - part).astype(np.float32)[:, np.newaxis]
        oldest = first + low + np.arange(len(stretch)) - integer_delay - TAPS // 2
        taps = table[part, 0] + table[part, 1] * share
        out[low : low + len(stretch)] = (sound[oldest[:, np.newaxis] + across] * taps).sum(axis=1)


@kernel(_twin, "r4[1]", "r8[1]", "int64", "int64", "r4[3]", "w4[1]")
def read_delayed(sound: Audio, edges: Numbers, step: int, first: int, table: Audio, out: Audio) -> None:
    """Read ``sound`` from index ``first`` on, each sample later by its delay, into ``out``.

    ``edges`` are the delays (samples) of every ``step``-th sample, one more than there are steps; between them delays
    are linear. ``table`` (parts, 2, TAPS) holds the interpolator of every part of a sample, in the order of time, and
    what it grows by until the next.
    """
    parts = table.shape[0]
    for edge in range(edges.shape[0] - 1):
        begins, rise = edges[edge], (edges[edge + 1] - edges[edge]) / step
        for n in range(step):
            at = edge * step + n
            delay = begins + rise * n
            whole = np.floor(delay)
            place = (delay - whole) * parts
            # An index that cannot be negative needs no second look.
            part = np.uint64(min(int(place), parts - 1))
            share = np.float32(place - part)
            oldest = np.uint64(first + at - int(whole) - TAPS // 2)
            lower, upper = np.float32(0.0), np.float32(0.0)
            for k in range(TAPS):
                sample = sound[oldest + np.uint64(k)]
                lower += table[part, 0, k] * sample
                upper += table[part, 1, k] * sample
            out[at] = lower + upper * share
