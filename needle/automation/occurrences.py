"""Where a sound returns in its stem: other moments whose onsets are like those of a stretch.

Onsets are told by spectral flux: the rise of the logarithmic power in each of some bands (J. Bello et al., "A
tutorial on onset detection in music signals", IEEE Transactions on Speech and Audio Processing 13 (2005)). How alike
two moments are is the normalised correlation of their onsets.
"""

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.automation.clips import PastePlace
from needle.dsp.onsets import HOP_SECONDS, onset_flux
from needle.errors import NeedleError

ALIKE = 0.75
"""From how alike on a moment is listed (0…1)."""

_MOST_SECONDS = 30.0
_SHORTEST_SECONDS = 0.05


def occurrences(
    audio: NDArray[np.float32], rate: int, start: float, end: float, alike: float = ALIKE
) -> list[PastePlace]:
    """Where what sounds from ``start`` to ``end`` (s of the audio) sounds again, in the order of time.

    It itself is left out. ``audio``: float32 (channels, frames). No two lie nearer than half the stretch.
    NeedleError for a stretch that is shorter than 50 ms or longer than 30 s, lies outside, or has no onset in it.
    """
    if not _SHORTEST_SECONDS <= end - start <= _MOST_SECONDS:
        raise NeedleError("occurrences.example_out_of_range")
    flux = onset_flux(audio, rate)
    low, high = round(start / HOP_SECONDS), round(end / HOP_SECONDS)
    pattern = flux[:, max(low, 0) : high]
    if low < 0 or pattern.shape[1] < 2 or np.linalg.norm(pattern) < 1e-6:
        raise NeedleError("occurrences.example_has_no_onset")
    length = pattern.shape[1]
    padded = np.pad(flux, ((0, 0), (length, length)))
    result = sum(scipy.signal.correlate(row, part, mode="valid") for row, part in zip(padded, pattern, strict=True))
    energy = np.concatenate([[0.0], np.cumsum((padded**2).sum(axis=0))])
    there = np.sqrt(np.maximum(energy[length:] - energy[:-length], 0.0))
    scale = np.linalg.norm(pattern)
    likeness = np.where(there > 0.2 * scale, result / np.maximum(there * scale, 1e-12), 0.0)
    places: list[PastePlace] = []
    occupied = np.zeros(len(likeness), dtype=bool)
    apart = max(length // 2, 1)
    occupied[max(low + length - apart, 0) : low + length + apart + 1] = True
    while True:
        open_ones = np.where(occupied, 0.0, likeness)
        best = int(np.argmax(open_ones))
        if open_ones[best] < alike:
            break
        at = float(best - length) * HOP_SECONDS + (start - low * HOP_SECONDS)
        if at >= 0.0:
            places.append(PastePlace(at, "sounds alike", float(min(open_ones[best], 1.0))))
        occupied[max(best - apart, 0) : best + apart + 1] = True
    return sorted(places, key=lambda one: one.at)
