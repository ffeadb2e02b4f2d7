"""Stem to room: a finished stereo stem taken apart into what stands in front and what is all round.

Short-time spectra (2048 samples, a hop of 512, Hann window) are parted by the coherence of both sides, smoothed over
about 90 ms (Avendano & Jot 2004, Faller 2006): the coherent part is direct, the rest ambient. Of the direct part the
centre takes what both sides share at the panned place; what is left stays on its side. All five add up to the stem.
"""

import itertools
from collections.abc import Callable
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.layouts import Layout

Audio = NDArray[np.float32]
Spectra = NDArray[np.complex128]

WINDOW, HOP = 2048, 512
_SMOOTHED = 9
"""Spectra over which coherence is told: 9 hops of 512 samples, 96 ms at 48 kHz."""

_BANDS = 3
_UNRELATED, _RELATED = 0.4, 0.85
"""Coherences up to which everything is ambient, and from which on everything is direct."""

_OVERLAP = 1.5
"""What squared Hann windows a quarter apart add up to."""

DECORRELATED_TAPS = 8192
"""Frames until what a decorrelator makes of a sound has died away."""

_DISTANCES = (23, 61, 149, 331, 701)
"""Between each two of these (frames) lies the distance of one section."""

_SECTION_GAIN = 0.5
_SEED = 0x0CEA

CENTRE, LEFT, RIGHT, AMBIENT_LEFT, AMBIENT_RIGHT = range(5)
"""The rows of what ``split_direct_ambient`` gives."""


def split_direct_ambient(read: Callable[[int, int], Audio], low: int, high: int) -> Audio:
    """A stem from frame ``low`` to ``high``: float32 (5, high - low), rows by the names above.

    ``read(low, high)`` gives its samples, (2, frames), silence where it has none. The centre is to be played at
    -3 dB by both sides to give back what it was. Spectra lie on a grid that is fixed to the stem's first frame, so
    that any division gives the same samples.
    """
    past = _SMOOTHED // 2
    first, last = (low - WINDOW) // HOP + 1, (high - 1) // HOP
    begin, end = (first - past) * HOP, (last + past) * HOP + WINDOW
    sound = read(begin, end).astype(np.float64)
    window = np.hanning(WINDOW + 1)[:-1]
    frames = np.lib.stride_tricks.sliding_window_view(sound, WINDOW, axis=1)[:, ::HOP]
    spectra = scipy.fft.rfft(frames * window, axis=2)
    parts = _parts(spectra)[:, past : spectra.shape[1] - past]
    pieces = scipy.fft.irfft(parts, WINDOW, axis=2) * (window / _OVERLAP)
    out = np.zeros((5, (last - first) * HOP + WINDOW))
    for index in range(pieces.shape[1]):
        out[:, index * HOP : index * HOP + WINDOW] += pieces[:, index]
    at = low - first * HOP
    return np.ascontiguousarray(out[:, at : at + high - low], dtype=np.float32)


def _parts(spectra: Spectra) -> Spectra:
    """Spectra (2, frames, bins) of both sides as those of the five parts."""
    left, right = spectra
    power_left, power_right = _smoothed(np.abs(left) ** 2), _smoothed(np.abs(right) ** 2)
    product = left * right.conj()
    cross = _smoothed(product.real) + 1j * _smoothed(product.imag)
    both = power_left + power_right
    # Where one side is silent, the other is all direct.
    little = 1e-6 * both**2 + 1e-24
    coherence = np.sqrt((np.abs(cross) ** 2 + little) / (power_left * power_right + little))
    share = np.clip((coherence - _UNRELATED) / (_RELATED - _UNRELATED), 0.0, 1.0)
    share = share * share * (3.0 - 2.0 * share)
    direct = spectra * share
    turn = np.arctan2(np.sqrt(power_right), np.sqrt(power_left))
    in_phase = np.maximum(cross.real, 0.0) / np.maximum(np.abs(cross), 1e-24)
    sound = direct[0] * np.cos(turn) + direct[1] * np.sin(turn)
    centre = np.sqrt(2.0) * np.minimum(np.cos(turn), np.sin(turn)) * sound * in_phase
    beside = direct - centre / np.sqrt(2.0)
    return np.array([centre, beside[0], beside[1], left - direct[0], right - direct[1]])


def _smoothed(values: NDArray[np.float64]) -> NDArray[np.float64]:
    over_time = scipy.ndimage.uniform_filter1d(values, _SMOOTHED, axis=0, mode="constant")
    return scipy.ndimage.uniform_filter1d(over_time, _BANDS, axis=1)


@lru_cache(maxsize=32)
def decorrelator(number: int) -> Audio:
    """An all-pass response, float32 (taps,), of unit energy; every number has another one.

    A chain of Schroeder's all-pass sections (M. R. Schroeder, "Natural sounding artificial reverberation", Journal of
    the AES 10 (1962)) with distances and signs of its own: as strong at every frequency, not at some of them only. It
    is cut where less than -70 dB is left.
    """
    rng = np.random.Generator(np.random.PCG64(_SEED + number))
    response = np.zeros(DECORRELATED_TAPS)
    response[0] = 1.0
    for shortest, longest in itertools.pairwise(_DISTANCES):
        delay = int(rng.integers(shortest, longest))
        gain = _SECTION_GAIN * rng.choice([-1.0, 1.0])
        numerator, denominator = np.zeros(delay + 1), np.zeros(delay + 1)
        numerator[[0, -1]], denominator[[0, -1]] = (-gain, 1.0), (1.0, -gain)
        response = scipy.signal.lfilter(numerator, denominator, response)
    return response.astype(np.float32)


def ambient_powers(layout: Layout) -> NDArray[np.float64]:
    """The power with which every speaker plays ambience, (speakers,): alike, and none from the centre.

    Folded to stereo (ITU-R BS.775) it is as strong as it was.
    """
    fold = np.array([1.0 if s.group == "front" else 0.5 for s in layout.speakers])
    beside = np.array([s.azimuth != 0.0 for s in layout.speakers])
    left = np.array([s.azimuth > 0.0 for s in layout.speakers])
    if not beside.any():
        return np.ones(len(layout.speakers))
    return np.where(beside, 1.0 / fold[left].sum(), 0.0)
