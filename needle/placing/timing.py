"""Timing placement: a difference of arrival between the sides, by an exact fractional delay.

The delay is a windowed-sinc interpolator (Kaiser window, 64 taps; Laakso et al. 1996, "Splitting the unit
delay"): flat within 0.1 dB to 0.45 of the sampling rate. See Blauert, *Spatial Hearing*, for what it does to the ear.
"""

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import ArrayLike, NDArray
from scipy.fft import irfft, rfft
from scipy.special import i0

from needle.errors import NeedleError

Audio = NDArray[np.float32]
Numbers = NDArray[np.float64]

REACH = 32
"""Samples before and after a moment that the interpolator reads."""

_BETA = 9.0
_BLOCKS_AT_ONCE = 256

SHORTEST_MS, LONGEST_MS = 0.1, 30.0
"""Limits of the largest difference of arrival (ms)."""


@dataclass(frozen=True)
class Timing:
    """How arrival tells a position: ``most`` is the difference (s) at either end.

    ``far``: only the far side is late; otherwise both sides move about ``most`` / 2. ``share`` 0…1 of the
    position is told by level besides.
    """

    far: bool
    most: float
    share: float = 0.0

    def delays(self, positions: ArrayLike) -> Numbers:
        """How late left and right are (s), shape (2, *positions.shape), for positions in -1…1."""
        difference = np.asarray(positions, dtype=np.float64) * self.most
        both = np.array([difference, -difference])
        return np.maximum(both, 0.0) if self.far else (self.most + both) / 2.0


WAYS = ("off", "symmetric", "far-side")


def timing_of(way: str, most_ms: float, share: float) -> Timing | None:
    """A source's timing from its values; None where it is off. NeedleError for an unknown way."""
    if way not in WAYS:
        raise NeedleError(f"There is no timing “{way}”. Choose {', '.join(WAYS)}.")
    return None if way == "off" else Timing(way == "far-side", most_ms / 1000.0, share)


def taps(fraction: ArrayLike) -> NDArray[np.float32]:
    """The interpolator for delays of a fraction of a sample (0…1): float32 (*shape, 2 × REACH).

    ``taps[k]`` weighs the sample ``k - REACH + 1`` before the moment.
    """
    at = np.arange(1 - REACH, REACH + 1) - np.asarray(fraction, dtype=np.float64)[..., np.newaxis]
    window = i0(_BETA * np.sqrt(np.maximum(1.0 - (at / REACH) ** 2, 0.0))) / i0(_BETA)
    return (np.sinc(at) * window).astype(np.float32)


def delayed(audio: Audio, begins: int, delays: Numbers, block: int, first: int) -> Audio:
    """One channel, later by a delay that may move: float32 (blocks × ``block``,).

    ``audio`` (frames,) begins at frame ``begins`` and reaches ``REACH`` frames past the last block.
    ``delays`` (blocks + 1,) in samples, at the edges of consecutive blocks from frame ``first``. In each block
    the sound at the delay of its start gives way evenly to that of its end, so that nothing clicks.
    """
    blocks = len(delays) - 1
    if np.all(delays == delays[0]):
        return _shifted(audio, begins, float(delays[0]), first, blocks * block)
    slope = np.arange(block, dtype=np.float32) / block
    out = np.empty((blocks, block), dtype=np.float32)
    for low in range(0, blocks, _BLOCKS_AT_ONCE):
        high = min(low + _BLOCKS_AT_ONCE, blocks)
        starts = first + block * np.arange(low, high) - begins
        there = _in_blocks(audio, starts, delays[low:high], block)
        later = _in_blocks(audio, starts, delays[low + 1 : high + 1], block)
        out[low:high] = there + (later - there) * slope
    return out.ravel()


def _shifted(audio: Audio, begins: int, delay: float, first: int, count: int) -> Audio:
    whole = int(np.floor(delay))
    low = first - begins - whole - REACH
    piece = _piece(audio, low, low + count + 2 * REACH - 1)
    return np.convolve(piece, taps(delay - whole), "valid")


def _in_blocks(audio: Audio, starts: NDArray[np.int_], delays: Numbers, block: int) -> Audio:
    """Blocks that begin at ``starts`` (indices of ``audio``), each at its own delay: (blocks, block)."""
    whole = np.floor(delays).astype(int)
    low = starts - whole - REACH
    length = block + 2 * REACH - 1
    first, last = min(int(low.min()), 0), max(int(low.max()) + length, len(audio))
    reached = _piece(audio, first, last)
    pieces = sliding_window_view(reached, length)[low - first]
    place = (delays - whole) * _STEPS
    step = np.minimum(place.astype(int), _STEPS - 1)
    table = _spectra(_fft_size(block))
    share = (place - step).astype(np.float32)[:, np.newaxis]
    between = table[step] + (table[step + 1] - table[step]) * share
    size = _fft_size(block)
    return irfft(rfft(pieces, size, axis=1) * between, size, axis=1)[:, 2 * REACH - 1 : length]


def _fft_size(block: int) -> int:
    """The transform that convolves a block with the interpolator without wrapping round."""
    return 1 << (block + 2 * REACH - 2).bit_length()


_STEPS = 1024
"""Fractions of a sample at which the interpolator's spectrum is kept; between them it is linear, within -120 dB."""


@cache
def _spectra(size: int) -> NDArray[np.complex64]:
    return rfft(taps(np.linspace(0.0, 1.0, _STEPS + 1)), size, axis=1).astype(np.complex64)


def _piece(audio: Audio, low: int, high: int) -> Audio:
    """``audio[low:high]`` with silence where it does not reach."""
    begin, end = min(max(low, 0), len(audio)), min(max(high, 0), len(audio))
    if (begin, end) == (low, high):
        return audio[low:high]
    piece = np.zeros(high - low, dtype=np.float32)
    if begin < end:
        piece[begin - low : end - low] = audio[begin:end]
    return piece
