"""Onsets: where something begins to sound in a stem, and how strongly it is struck.

Spectral flux, the rise of the logarithmic power in some bands, against a threshold that follows the neighbourhood
(J. Bello et al., "A tutorial on onset detection in music signals", IEEE Transactions on Speech and Audio Processing
13 (2005)); each moment is then moved to where the level really rises.
"""

import itertools
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.errors import NeedleError

Audio = NDArray[np.float32]
Values = NDArray[np.float64]

HOP_SECONDS = 0.005
"""From one look at the spectrum to the next."""

_BANDS = 16
_LOWEST_HZ, _HIGHEST_HZ = 60.0, 14000.0
_WINDOW_SECONDS = 0.02
_FLOOR = 1e-4
"""What is weaker than the strongest moment by more than this (-40 dB) hardly counts as a rise."""

_NOTHING = 1e-12
_AT_ONCE = 4096

LOWEST_THRESHOLD, THRESHOLD, HIGHEST_THRESHOLD = 0.05, 0.2, 0.95
"""The threshold as a share of a strong rise: the more it is, the less is found."""

_AROUND_SECONDS = 0.03
_NEIGHBOURHOOD_SECONDS = 0.6
_NEAREST_SECONDS = 0.045
_STRONG = 95.0
_LOOK_BACK, _LOOK_AHEAD = 0.03, 0.015
_ENVELOPE_SECONDS = 0.002
_STRUCK_SECONDS = 0.05
_LEAD_SECONDS = 0.1
_GROWTH_SECONDS = 0.04
_LEAST_GROWTH_DB = 7.5
"""Times the threshold: by how much an onset makes it louder at least."""

_QUIETEST = 1e-12


def onset_flux(audio: NDArray[np.float32], rate: int) -> NDArray[np.float64]:
    """How strongly each band rises, hop by hop: (bands, hops).

    ``audio``: float32 (channels, frames), ``rate`` in Hz.
    """
    hop, size = round(HOP_SECONDS * rate), round(_WINDOW_SECONDS * rate)
    count = max(-(-audio.shape[1] // hop), 1)
    padded = np.pad(audio, ((0, 0), (size // 2, size + hop)))
    edges = np.geomspace(_LOWEST_HZ, min(_HIGHEST_HZ, rate / 2.2), _BANDS + 1)
    bins = np.fft.rfftfreq(size, 1.0 / rate)
    band_of = np.array([(bins >= low) & (bins < high) for low, high in itertools.pairwise(edges)], float)
    band_of[band_of.sum(axis=1) == 0, 1] = 1.0
    window = np.hanning(size)
    levels = np.zeros((_BANDS, count))
    views = np.lib.stride_tricks.sliding_window_view(padded, size, axis=1)[:, ::hop][:, :count]
    for low in range(0, count, _AT_ONCE):
        # The powers of the channels, so that opposite ones do not take each other away.
        for channel in views[:, low : low + _AT_ONCE]:
            power = np.abs(np.fft.rfft(channel * window)) ** 2 / (size * len(views))
            levels[:, low : low + _AT_ONCE] += band_of @ power.T
    levels = np.log10(levels + max(_FLOOR * float(levels.max()), _NOTHING))
    rises = np.diff(levels, axis=1, prepend=levels[:, :1])
    return np.maximum(rises, 0.0)


@dataclass(frozen=True)
class Onsets:
    """Onsets in the order of time: ``times`` (s of the audio) and ``strengths``, 0…1 of the strongest."""

    times: Values
    strengths: Values


def find_onsets(audio: Audio, rate: int, threshold: float = THRESHOLD) -> Onsets:
    """The onsets of some audio, float32 (channels, frames) at ``rate`` (Hz).

    ``threshold`` is a share (0.05…0.95) of a strong rise of this audio. Silence has none. NeedleError for a
    threshold out of reach.
    """
    if not LOWEST_THRESHOLD <= threshold <= HIGHEST_THRESHOLD:
        raise NeedleError(
            "onsets.threshold_out_of_range", threshold=threshold, lowest=LOWEST_THRESHOLD, highest=HIGHEST_THRESHOLD
        )
    # A little silence before it, so that what sounds from the very beginning begins as well.
    lead = round(_LEAD_SECONDS * rate)
    audio = np.pad(audio, ((0, 0), (lead, 0)))
    rises = onset_flux(audio, rate).sum(axis=0)
    peaks = _peaks(rises, threshold)
    mono = np.abs(audio).max(axis=0)
    times = np.array([_begins(mono, rate, peak * HOP_SECONDS) for peak in peaks])
    times = times[np.concatenate([[True], np.diff(times) > _NEAREST_SECONDS])] if times.size else times
    times = times[[_grows(audio, rate, t) > _LEAST_GROWTH_DB * threshold for t in times]] if times.size else times
    struck = np.array([_struck(mono, rate, t) for t in times])
    return Onsets(np.maximum(times - lead / rate, 0.0), struck / max(float(struck.max(initial=0.0)), 1e-12))


def _peaks(rises: Values, threshold: float) -> NDArray[np.intp]:
    """Hops at which the rise is the greatest around, and well above its neighbourhood."""
    if not rises.size or rises.max() < 1e-6:
        return np.zeros(0, dtype=np.intp)
    around = 2 * round(_AROUND_SECONDS / HOP_SECONDS) + 1
    wide = 2 * round(_NEIGHBOURHOOD_SECONDS / HOP_SECONDS / 2) + 1
    top = rises == scipy.ndimage.maximum_filter1d(rises, around, mode="constant")
    usual = scipy.ndimage.median_filter(rises, wide, mode="nearest")
    clear = rises[top & (rises > usual + 0.1 * rises.max())]
    strong = np.percentile(clear, _STRONG) if clear.size else rises.max()
    return np.flatnonzero(top & (rises > usual + threshold * strong))


def _begins(level: Audio, rate: int, near: float) -> float:
    """Where the level rises most, near a time (s)."""
    size = max(round(_ENVELOPE_SECONDS * rate), 1)
    low = max(round((near - _LOOK_BACK) * rate), 0)
    high = min(round((near + _LOOK_AHEAD) * rate), len(level))
    count = (high - low) // size
    if count < 3:
        return near
    blocks = level[low : low + count * size].reshape(count, size).max(axis=1).astype(np.float64)
    # A rise counts against what rang before it, so that a soft stroke in a tail is found where it is.
    before = np.maximum.accumulate(blocks)[:-1]
    rise = blocks[1:] - before
    if rise.max() <= 0.0:
        return near
    return (low + (int(np.argmax(rise)) + 1) * size) / rate


def _grows(audio: Audio, rate: int, at: float) -> float:
    """By how much what begins at a time makes it louder (dB): what only wavers does not begin."""
    middle, size = round(at * rate), round(_GROWTH_SECONDS * rate)
    before, after = audio[:, max(middle - size, 0) : middle], audio[:, middle : middle + size]
    power = [float((part.astype(np.float64) ** 2).mean()) if part.size else 0.0 for part in (before, after)]
    return float(10.0 * np.log10((power[1] + _QUIETEST) / (power[0] + _QUIETEST)))


def _struck(level: Audio, rate: int, at: float) -> float:
    """How strong what begins at a time is: its peak in the first moments."""
    low = max(round(at * rate), 0)
    return float(level[low : low + round(_STRUCK_SECONDS * rate)].max(initial=0.0))
