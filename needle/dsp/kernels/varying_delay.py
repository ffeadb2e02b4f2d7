"""A sound read later by a delay that is another at every sample."""

import numpy as np
from numpy.typing import NDArray

from needle.dsp.kernels import kernel

Audio = NDArray[np.float32]
Numbers = NDArray[np.float64]

TAPS = 64
"""Samples that the interpolator reads."""

_AT_ONCE = 8192


def _twin(sound: Audio, delays: Numbers, first: int, table: Audio, out: Audio) -> None:
    steps, across = table.shape[0], np.arange(TAPS)
    for low in range(0, len(out), _AT_ONCE):
        here = delays[low : low + _AT_ONCE]
        whole = np.floor(here).astype(np.int64)
        place = (here - whole) * steps
        step = np.minimum(place.astype(np.int64), steps - 1)
        share = (place - step).astype(np.float32)[:, np.newaxis]
        oldest = first + low + np.arange(len(here)) - whole - TAPS // 2
        taps = table[step, 0] + table[step, 1] * share
        out[low : low + len(here)] = (sound[oldest[:, np.newaxis] + across] * taps).sum(axis=1)


@kernel(_twin, "r4[1]", "r8[1]", "int64", "r4[3]", "w4[1]")
def read_delayed(sound: Audio, delays: Numbers, first: int, table: Audio, out: Audio) -> None:
    """Read ``sound`` from index ``first`` on, sample n later by ``delays[n]`` (samples), into ``out``.

    ``table`` (steps, 2, TAPS) holds the interpolator of every step of a fraction of a sample, in the order of time,
    and what it grows by until the next.
    """
    steps = table.shape[0]
    for n in range(out.shape[0]):
        whole = np.floor(delays[n])
        place = (delays[n] - whole) * steps
        # An index that cannot be negative needs no second look.
        step = np.uint64(min(int(place), steps - 1))
        share = np.float32(place - step)
        oldest = np.uint64(first + n - int(whole) - TAPS // 2)
        lower, rise = np.float32(0.0), np.float32(0.0)
        for k in range(TAPS):
            sample = sound[oldest + np.uint64(k)]
            lower += table[step, 0, k] * sample
            rise += table[step, 1, k] * sample
        out[n] = lower + rise * share
