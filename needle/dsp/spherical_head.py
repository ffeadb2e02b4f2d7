"""A head for listening on headphones: the spherical one of Brown & Duda 1998, or one that was measured.

A sphere of 87.5 mm: each ear hears a direction late by (a/c)·(−cos θ) in sight and (a/c)·(θ − π/2) behind it, and
through a filter of one pole and one zero that shades the far side. 30° are 261 µs between the ears, 90° 656 µs.

Of a measured head only some directions are known; what lies between is made of the three round it, the arrival of
each response and what comes after it apart, so that no two of them comb.
"""

from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import ArrayLike, NDArray

from needle.room_coordinates import unit_vectors

Numbers = NDArray[np.float64]
Audio = NDArray[np.float32]

RADIUS = 0.0875
SPEED = 343.0
_SHADE, _DARKEST = 0.1, 150.0
"""The least of the far side's highs, and the angle (degrees) at which it is reached; beyond lies the bright spot."""

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
    alpha = 1.0 + _SHADE / 2.0 + (1.0 - _SHADE / 2.0) * np.cos(np.radians(angle / _DARKEST * 180.0))
    w = 1j * 2.0 * np.pi * np.asarray(frequencies, dtype=np.float64) * RADIUS / (2.0 * SPEED)
    return (1.0 + alpha * w) / (1.0 + w)


@lru_cache(maxsize=16)
def sphere_responses(rate: int, directions: tuple[tuple[float, float], ...]) -> Audio:
    """What either ear hears of directions (azimuth, elevation in degrees): float32 (2, directions, TAPS)."""
    size = 4 * TAPS
    frequencies = np.fft.rfftfreq(size, 1.0 / rate)
    results = np.empty((2, len(directions), TAPS), dtype=np.float32)
    for index, (azimuth, elevation) in enumerate(directions):
        late = ear_delays(azimuth, elevation) + _BASE_SECONDS
        turn = np.exp(-2j * np.pi * frequencies * late[:, np.newaxis])
        response = np.fft.irfft(shade(frequencies, azimuth, elevation) * turn, size)[:, :TAPS]
        fade = np.minimum((TAPS - np.arange(TAPS)) / 32.0, 1.0)
        results[:, index] = response * fade
    return results


_ON_AN_EDGE = 1e-6
_FLOOR = 1e-5
"""What is weaker than the strongest frequency of a response by more than this (-100 dB) is taken as that weak."""


def interpolated(directions: Numbers, responses: Audio, wanted: Numbers) -> Audio:
    """What either ear hears of directions between measured ones: float32 (directions, 2, taps).

    ``directions`` (3, n) and ``wanted`` (3, m) are unit vectors, ``responses`` (n, 2, taps). Of the three measured
    directions round each, levels and arrivals are interpolated separately: the mean of the levels as a response of
    minimum phase, at the mean of the arrivals. A measured direction keeps its response; one that no triangle holds
    has that of the nearest.
    """
    corners, weights = surrounding(directions, wanted)
    taps = responses.shape[2]
    measured = responses[corners].astype(np.float64)
    size = 1 << (4 * taps - 1).bit_length()
    spectra = np.fft.rfft(measured, size)
    level = np.abs(spectra)
    level = np.log(np.maximum(level, _FLOOR * level.max(axis=-1, keepdims=True) + 1e-30))
    arrivals = _arrivals(spectra, np.exp(_minimum_phase(level, size)), size)
    share = weights[:, :, np.newaxis]
    delay = -2j * np.pi * np.fft.rfftfreq(size) * (arrivals * share).sum(axis=1)[..., np.newaxis]
    spectrum = np.exp(_minimum_phase((level * share[..., np.newaxis]).sum(axis=1), size) + delay)
    result = np.fft.irfft(spectrum, size)[..., :taps].astype(np.float32)
    at_corner = weights.max(axis=1) > 1.0 - _ON_AN_EDGE
    result[at_corner] = responses[corners[at_corner, weights[at_corner].argmax(axis=1)]]
    return result


def _minimum_phase(level: Numbers, size: int) -> NDArray[np.complex128]:
    """The logarithm of the spectra of minimum phase whose magnitudes have the logarithms ``level`` (…, bins).

    By the cepstrum folded onto its causal half (Oppenheim & Schafer, Discrete-Time Signal Processing, 13.5).
    """
    cepstrum = np.fft.irfft(level, size)
    cepstrum[..., 1 : size // 2] *= 2.0
    cepstrum[..., size // 2 + 1 :] = 0.0
    return np.fft.rfft(cepstrum, size)


def _arrivals(spectra: NDArray[np.complex128], minimum_phase: NDArray[np.complex128], size: int) -> Numbers:
    """Arrivals of responses (fractional samples), where they correlate most with their minimum-phase versions."""
    correlation = np.fft.irfft(spectra * minimum_phase.conj(), size)
    peak_at = correlation.argmax(axis=-1)[..., np.newaxis]
    before, peak, after = (
        np.take_along_axis(correlation, (peak_at + step) % size, -1)[..., 0] for step in (-1, 0, 1)
    )
    curvature = before - 2.0 * peak + after
    fraction = np.where(curvature < 0.0, 0.5 * (before - after) / np.minimum(curvature, -1e-30), 0.0)
    arrival = peak_at[..., 0] + fraction
    return np.where(arrival > size / 2, arrival - size, arrival)


def surrounding(directions: Numbers, wanted: Numbers) -> tuple[NDArray[np.intp], Numbers]:
    """For each wanted direction the three measured ones round it and their weights: (m, 3) each, rows add up to 1.

    The measured directions are triangulated by their convex hull; a direction that leaves it by no triangle, as below
    a head that was measured from above only, has the nearest alone.
    """
    nearest = (directions.T @ wanted).argmax(axis=0)
    corners = np.repeat(nearest[:, np.newaxis], 3, axis=1)
    weights = np.tile([1.0, 0.0, 0.0], (len(nearest), 1))
    try:
        triangles = scipy.spatial.ConvexHull(directions.T).simplices
    except (scipy.spatial.QhullError, ValueError):
        return _on_a_ring(directions, wanted, corners, weights)
    bases = directions.T[triangles].transpose(0, 2, 1)
    regular = np.abs(np.linalg.det(bases)) > _ON_AN_EDGE
    triangles, inverses = triangles[regular], np.linalg.inv(bases[regular])
    for index, direction in enumerate(wanted.T):
        barycentric = inverses @ direction
        best = int(barycentric.min(axis=1).argmax()) if len(barycentric) else 0
        if len(barycentric) and barycentric[best].min() >= -_ON_AN_EDGE:
            corner_weights = np.maximum(barycentric[best], 0.0)
            corners[index], weights[index] = triangles[best], corner_weights / corner_weights.sum()
    return corners, weights


def _on_a_ring(
    directions: Numbers, wanted: Numbers, corners: NDArray[np.intp], weights: Numbers
) -> tuple[NDArray[np.intp], Numbers]:
    """Where all that was measured lies in one plane: the two neighbours of a direction as one turns round."""
    if directions.shape[1] < 3:
        return corners, weights
    around = np.arctan2(directions[0], directions[1])
    order = np.argsort(around)
    ring = np.append(around[order], around[order[0]] + 2.0 * np.pi)
    for index, direction in enumerate(wanted.T):
        turned = np.arctan2(direction[0], direction[1])
        turned += 2.0 * np.pi if turned < ring[0] else 0.0
        place = min(int(np.searchsorted(ring, turned, side="right")) - 1, len(order) - 1)
        gap = ring[place + 1] - ring[place]
        share = (turned - ring[place]) / gap if gap > _ON_AN_EDGE else 0.0
        first, second = order[place], order[(place + 1) % len(order)]
        corners[index], weights[index] = (first, second, second), (1.0 - share, share, 0.0)
    return corners, weights
