"""Timing placement: a difference of arrival between the sides, by an exact fractional delay.

The delay is a windowed-sinc interpolator (Kaiser window, 64 taps; Laakso et al. 1996, "Splitting the unit
delay"): flat within 0.1 dB to 0.45 of the sampling rate. See Blauert, *Spatial Hearing*, for what it does to the ear.
"""

from dataclasses import dataclass
from functools import cache

import numpy as np
import scipy
from numpy.typing import ArrayLike, NDArray

from needle.dsp.kernels.varying_delay import TAPS, read_delayed
from needle.errors import NeedleError

Audio = NDArray[np.float32]
Numbers = NDArray[np.float64]

REACH = TAPS // 2
"""Samples before and after a moment that the interpolator reads."""

_BETA = 9.0

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
        raise NeedleError("delay_panning.unknown", way=way, choices=WAYS)
    return None if way == "off" else Timing(way == "far-side", most_ms / 1000.0, share)


def taps(fraction: ArrayLike) -> NDArray[np.float32]:
    """The interpolator for delays of a fraction of a sample (0…1): float32 (*shape, 2 × REACH).

    ``taps[k]`` weighs the sample ``k - REACH + 1`` before the moment.
    """
    at = np.arange(1 - REACH, REACH + 1) - np.asarray(fraction, dtype=np.float64)[..., np.newaxis]
    window = scipy.special.i0(_BETA * np.sqrt(np.maximum(1.0 - (at / REACH) ** 2, 0.0))) / scipy.special.i0(_BETA)
    return (np.sinc(at) * window).astype(np.float32)


def delay_channel(audio: Audio, begins: int, edges: Numbers, first: int, step: int = 1) -> Audio:
    """Delay one channel by a delay that may move.

    Each sample is read where its own delay says, so that a moving delay is a moving one, with the pitch that comes of
    it, and no blend of two that stand still.

    Parameters
    ----------
    audio : float32, shape (frames,)
        From frame ``begins`` on; silent where it does not reach.
    edges : float64, shape (steps + 1,)
        The delay (samples) of frame ``first`` and of every ``step``-th after it; between them it is linear.

    Returns
    -------
    float32, shape (steps × step,)
        From frame ``first`` on.

    References
    ----------
    T. I. Laakso et al., "Splitting the unit delay", IEEE Signal Processing Magazine 13 (1996).
    """
    count = (len(edges) - 1) * step
    if count <= 0:
        return np.zeros(0, np.float32)
    low, high = float(edges.min()), float(edges.max())
    if low == high:
        return _shifted(audio, begins, low, first, count)
    reached = first - int(np.ceil(high)) - REACH - 1
    piece = _piece(audio, reached - begins, first + count - int(np.floor(low)) + REACH - begins)
    out = np.empty(count, np.float32)
    edges = np.ascontiguousarray(edges, dtype=np.float64)
    read_delayed(np.ascontiguousarray(piece), edges, step, first - reached, _table(), out)
    return out


def _shifted(audio: Audio, begins: int, delay: float, first: int, count: int) -> Audio:
    whole = int(np.floor(delay))
    low = first - begins - whole - REACH
    piece = _piece(audio, low, low + count + 2 * REACH - 1)
    return np.convolve(piece, taps(delay - whole), "valid")


_STEPS = 1024
"""Fractions of a sample at which the interpolator is kept; between them it is linear, within -120 dB."""


@cache
def _table() -> Audio:
    """The interpolator at every step, in the order of time, and its rise to the next: float32 (_STEPS, 2, TAPS)."""
    rows = taps(np.linspace(0.0, 1.0, _STEPS + 1))[:, ::-1]
    return np.ascontiguousarray(np.stack([rows[:-1], np.diff(rows, axis=0)], axis=1))


def _piece(audio: Audio, low: int, high: int) -> Audio:
    """``audio[low:high]`` with silence where it does not reach."""
    begin, end = min(max(low, 0), len(audio)), min(max(high, 0), len(audio))
    if (begin, end) == (low, high):
        return audio[low:high]
    piece = np.zeros(high - low, dtype=np.float32)
    if begin < end:
        piece[begin - low : end - low] = audio[begin:end]
    return piece
