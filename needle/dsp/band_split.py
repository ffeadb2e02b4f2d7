"""A side spread over a part of the field: its sound taken apart into bands that stand side by side.

Neighbouring frequencies stand at neighbouring places, there and back over the part in every four critical bands, so
that every stretch of the spectrum comes from everywhere within it (T. Pihlajamäki, O. Santala and V. Pulkki,
"Synthesis of spatially extended virtual source with time-frequency decomposition of mono signals", Journal of the
AES 62 (2014)). Each frequency is panned like any sound: its power is kept, nothing cancels in one loudspeaker, and
with no width all of it stands at one place.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

Audio = NDArray[np.float32]
Values = NDArray[np.float64]

BANDS = 9
"""Into how many bands a side is taken apart, by the place where they stand."""

PLACES: Values = np.linspace(-1.0, 1.0, BANDS)
"""Where each band stands, -1 at one end of the part of the field, 1 at the other."""

BAND_POWER = 1.0 / BANDS
"""The share of an even sound's power that each band has."""

LOWEST_HZ = 100.0
"""Below this everything stands in the middle."""

CRITICAL_BANDS = 4.0
"""How many critical bands it takes to go to one end, to the other and back."""

_HALF_SECONDS = 0.04


def half_length(rate: int) -> int:
    """How many frames before and after a moment the filters read."""
    return round(_HALF_SECONDS * rate)


def place_of(frequency: ArrayLike) -> Values:
    """Where a frequency (Hz) stands, -1…1 between the ends."""
    along = (_critical_bands(frequency) - _critical_bands(LOWEST_HZ)) / CRITICAL_BANDS
    turned = np.mod(along + 0.25, 1.0)
    return np.where(along > 0.0, 1.0 - 4.0 * np.abs(turned - 0.5), 0.0)


def _critical_bands(frequency: ArrayLike) -> Values:
    """How many equivalent rectangular bandwidths lie below (B. R. Glasberg and B. C. J. Moore 1990)."""
    return 21.4 * np.log10(1.0 + 0.00437 * np.asarray(frequency, dtype=np.float64))


def band_shares(frequencies: ArrayLike) -> Values:
    """How much of each frequency (Hz) belongs to each band, 0…1: (BANDS, *shape); between two it belongs to both."""
    place = place_of(frequencies)
    bands = PLACES.reshape(-1, *[1] * place.ndim)
    return np.maximum(1.0 - np.abs(place - bands) / (PLACES[1] - PLACES[0]), 0.0)


@lru_cache(maxsize=8)
def band_filters(rate: int) -> Audio:
    """The filters that take a sound apart: float32 (BANDS, 2 × half_length + 1), without delay at their middle.

    They add up to the sound itself.
    """
    half = half_length(rate)
    size = 1 << (4 * half).bit_length()
    responses = np.fft.fftshift(np.fft.irfft(band_shares(np.fft.rfftfreq(size, 1.0 / rate)), size, axis=1), axes=1)
    middle = size // 2
    window = np.hanning(2 * half + 3)[1:-1]
    return (responses[:, middle - half : middle + half + 1] * window).astype(np.float32)
