"""Samples in whole steps, with triangular dither that is told by where a sample stands, not by when it is asked."""

import numpy as np
from numpy.typing import NDArray

from needle.dsp.kernels import kernel

Audio = NDArray[np.float32]
Steps = NDArray[np.int32]

_GOLDEN, _FIRST, _SECOND = 0x9E3779B97F4A7C15, 0xBF58476D1CE4E5B9, 0x94D049BB133111EB
"""SplitMix64's constants (G. L. Steele, D. Lea and C. H. Flood 2014)."""

_SHARE = 2.0**-32


def _twin(audio: Audio, seeds: NDArray[np.uint64], first: int, step: float, dither: bool, out: Steps) -> None:
    limit, shift = round(1.0 / step), round(np.log2(2.0**31 * step))
    with np.errstate(over="ignore"):
        frames = np.arange(first, first + audio.shape[1], dtype=np.uint64)
        for channel, row in enumerate(audio):
            scaled = row.astype(np.float64) / step
            if dither:
                mixed = seeds[channel] + (frames + np.uint64(1)) * np.uint64(_GOLDEN)
                mixed = (mixed ^ (mixed >> np.uint64(30))) * np.uint64(_FIRST)
                mixed = (mixed ^ (mixed >> np.uint64(27))) * np.uint64(_SECOND)
                mixed ^= mixed >> np.uint64(31)
                low, high = mixed & np.uint64(0xFFFFFFFF), mixed >> np.uint64(32)
                scaled += (low.astype(np.float64) - high.astype(np.float64)) * _SHARE
            out[channel] = np.clip(np.round(scaled), -limit, limit - 1).astype(np.int64) << shift


@kernel(_twin, "r4[2]", "ru[1]", "int64", "float64", "boolean", "wj[2]", strict=True)
def quantize(audio: Audio, seeds: NDArray[np.uint64], first: int, step: float, dither: bool, out: Steps) -> None:
    """Round ``audio`` (channels, frames) to whole steps, as the upper bits of 32-bit integers in ``out``.

    With ``dither`` the difference of two even random numbers of one step (TPDF) is added before: those of the frames
    from ``first`` on, other ones for every seed (channels,). What passes full scale stays at it.
    """
    limit = round(1.0 / step)
    scale = round(2147483648.0 * step)
    for channel in range(audio.shape[0]):
        for n in range(audio.shape[1]):
            scaled = audio[channel, n] / step
            if dither:
                mixed = seeds[channel] + np.uint64(first + n + 1) * np.uint64(_GOLDEN)
                mixed = (mixed ^ (mixed >> np.uint64(30))) * np.uint64(_FIRST)
                mixed = (mixed ^ (mixed >> np.uint64(27))) * np.uint64(_SECOND)
                mixed ^= mixed >> np.uint64(31)
                low, high = mixed & np.uint64(0xFFFFFFFF), mixed >> np.uint64(32)
                scaled += (np.float64(low) - np.float64(high)) * _SHARE
            whole = min(max(np.rint(scaled), -limit), limit - 1)
            out[channel, n] = np.int32(np.int64(whole) * scale)
