"""A head for listening on headphones: the spherical one of Brown & Duda 1998, or one that was measured.

A sphere of 87.5 mm: each ear hears a direction late by (a/c)·(−cos θ) in sight and (a/c)·(θ − π/2) behind it, and
through a filter of one pole and one zero that shades the far side. 30° are 261 µs between the ears, 90° 656 µs.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from needle.placing.coordinates import unit_vectors

Numbers = NDArray[np.float64]
Audio = NDArray[np.float32]

RADIUS = 0.0875
SPEED = 343.0
_SHADE, _DARKEST = 0.1, 150.0
"""The least of the far side's highs, and the angle (degrees) at which it is reached."""

TAPS = 256
_BASE_SECONDS = 0.001
"""Everything comes this much later, so that the near ear's head start has room."""

EARS = np.array([[-1.0, 1.0], [0.0, 0.0], [0.0, 0.0]])
"""Where the ears look: left and right, (3, 2)."""


def ear_delays(azimuth: ArrayLike, elevation: ArrayLike) -> Numbers:
    """How late either ear hears a direction (degrees), against the middle of the head (s): (2, *shape)."""
    angle = _from_ear(azimuth, elevation)
    return RADIUS / SPEED * np.where(angle < np.pi / 2.0, -np.cos(angle), angle - np.pi / 2.0)


def _from_ear(azimuth: ArrayLike, elevation: ArrayLike) -> Numbers:
    """The angle (radians) between each ear's own direction and a direction: (2, *shape)."""
    return np.arccos(np.clip(np.tensordot(EARS.T, unit_vectors(azimuth, elevation), 1), -1.0, 1.0))


def shade(frequencies: ArrayLike, azimuth: float, elevation: float) -> NDArray[np.complex128]:
    """The sphere's filter for either ear, delay left out: (2, frequencies) (Brown & Duda 1998, eq. 2)."""
    angle = np.degrees(_from_ear(azimuth, elevation))[:, np.newaxis]
    alpha = 1.0 + _SHADE / 2.0 + (1.0 - _SHADE / 2.0) * np.cos(np.radians(np.minimum(angle / _DARKEST, 1.0) * 180.0))
    w = 1j * 2.0 * np.pi * np.asarray(frequencies, dtype=np.float64) * RADIUS / (2.0 * SPEED)
    return (1.0 + alpha * w) / (1.0 + w)


@lru_cache(maxsize=16)
def sphere_responses(rate: int, directions: tuple[tuple[float, float], ...]) -> Audio:
    """What either ear hears of directions (azimuth, elevation in degrees): float32 (2, directions, TAPS)."""
    size = 4 * TAPS
    frequencies = np.fft.rfftfreq(size, 1.0 / rate)
    found = np.empty((2, len(directions), TAPS), dtype=np.float32)
    for index, (azimuth, elevation) in enumerate(directions):
        late = ear_delays(azimuth, elevation) + _BASE_SECONDS
        turn = np.exp(-2j * np.pi * frequencies * late[:, np.newaxis])
        response = np.fft.irfft(shade(frequencies, azimuth, elevation) * turn, size)[:, :TAPS]
        fade = np.minimum((TAPS - np.arange(TAPS)) / 32.0, 1.0)
        found[:, index] = response * fade
    return found
