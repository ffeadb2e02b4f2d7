"""Placing in a room of loudspeakers: a point or a spread of points, its distance, and which speakers may sound.

All of it has unit power. What is switched off is re-solved in powers: every speaker that may not sound gives its
power to those that do and lie round it, so that nothing is lost and a moving source stays continuous.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache

import numpy as np
import scipy
from numpy.typing import ArrayLike, NDArray

from needle.dsp.kernels import room_directions
from needle.dsp.point_source_panner import point_panner
from needle.errors import NeedleError
from needle.layouts import LAYOUTS, Layout
from needle.room_coordinates import unit_vectors

Gains = NDArray[np.float64]

_RINGS, _ON_A_RING = 6, 16
"""Points that a spread source is made of."""

_SNAP_DEGREES = 3.0
_DIVERGENCE = 30.0
_ALIKE = 1e-6


@dataclass(frozen=True)
class Where:
    """Places in the room, arrays that fit together: ``x``, ``y``, ``z``, ``rotation`` about the listener (degrees, to
    the left), ``spread`` (degrees, 0…360) and the share (0…1) of it that stays in the ``centre`` of its place, the
    rest beside it. ``snap``: at the nearest speaker."""

    x: ArrayLike
    y: ArrayLike
    z: ArrayLike
    rotation: ArrayLike = 0.0
    spread: ArrayLike = 0.0
    centre: ArrayLike = 1.0
    snap: bool = False

    def polar(self) -> Gains:
        """Azimuth, elevation (degrees) and distance, turned: (3, *shape)."""
        x, y, z = np.broadcast_arrays(*(np.asarray(value, dtype=np.float64) for value in (self.x, self.y, self.z)))
        polar = np.empty((3, *x.shape))
        room_directions.room_to_polar(
            np.array(x).ravel(), np.array(y).ravel(), np.array(z).ravel(), polar.reshape(3, -1)
        )
        azimuth = polar[0] + np.asarray(self.rotation, dtype=np.float64)
        return np.array(np.broadcast_arrays(azimuth, polar[1], polar[2]))


def room_powers(layout: Layout, where: Where) -> Gains:
    """The powers of places on a layout's speakers, (speakers, *shape), that add up to one; all of them may sound."""
    azimuth, elevation, distance = where.polar()
    return polar_powers(layout, azimuth, elevation, distance, where.spread, where.centre, where.snap)


def polar_powers(
    layout: Layout,
    azimuth: ArrayLike,
    elevation: ArrayLike,
    distance: ArrayLike,
    spread: ArrayLike = 0.0,
    centre: ArrayLike = 1.0,
    snap: bool = False,
) -> Gains:
    """The same of places told by direction (degrees) and distance (1 at the room's edge).

    What a place lacks of its ``centre`` share stands half of it 30 degrees to its left and half to its right: the
    divergence of BS.2127-0 7.3.7, (1 - centre) / (1 + centre), powers added up.
    """
    azimuth, elevation, distance, spread, centre = (
        np.asarray(value, dtype=np.float64) for value in (azimuth, elevation, distance, spread, centre)
    )
    shape = np.broadcast_shapes(*(value.shape for value in (azimuth, elevation, distance, spread, centre)))
    if len(layout.speakers) == 1:
        return np.ones((1, *shape))
    powers = _focused(layout, azimuth, elevation, distance, spread, snap)
    if (centre == 1.0).all():
        return np.broadcast_to(powers, (len(powers), *shape))
    beside = [
        _focused(layout, azimuth + turn, elevation, distance, spread, snap) for turn in (_DIVERGENCE, -_DIVERGENCE)
    ]
    powers = centre * powers + (1.0 - centre) / 2.0 * (beside[0] + beside[1])
    return np.broadcast_to(powers, (len(powers), *shape))


def _focused(layout: Layout, azimuth: Gains, elevation: Gains, distance: Gains, spread: Gains, snap: bool) -> Gains:
    """The powers of places without divergence."""
    azimuth, elevation, distance = np.broadcast_arrays(azimuth, elevation, distance)
    vectors = np.empty((3, *azimuth.shape))
    room_directions.unit_vectors(np.array(azimuth).ravel(), np.array(elevation).ravel(), vectors.reshape(3, -1))
    if snap:
        powers = _snapped(layout, vectors)
    elif not spread.any():
        powers = _point(layout, vectors) ** 2
    else:
        # Either may stand still while the other moves.
        together = np.broadcast_shapes(vectors.shape[1:], spread.shape)
        powers = _spread(layout, np.broadcast_to(vectors, (3, *together)), np.broadcast_to(spread, together))
    inside = np.minimum(distance, 1.0)
    if not snap and (inside < 1.0).any():
        gains = inside * np.sqrt(powers) + (1.0 - inside) / np.sqrt(len(layout.speakers))
        powers = gains**2 / (gains**2).sum(axis=0)
    return powers


def _point(layout: Layout, vectors: Gains) -> Gains:
    return point_panner(layout.name).gains_of(vectors.reshape(3, -1)).reshape(-1, *vectors.shape[1:])


def _snapped(layout: Layout, vectors: Gains) -> Gains:
    """All to the nearest speaker; within a few degrees of halfway one gives way to the other."""
    nearness = np.tensordot(unit_vectors(*layout.directions).T, vectors, 1)
    away = np.degrees(np.arccos(np.clip(nearness, -1.0, 1.0)))
    share = np.maximum(1.0 - (away - away.min(axis=0)) / _SNAP_DEGREES, 0.0)
    return share / share.sum(axis=0)


@cache
def _pattern() -> tuple[Gains, Gains, Gains]:
    """Points over a cap: the share of its area inside each, their angles about its axis (radians), their weights.

    Even rings, so that it hardly matters which way they are turned, at the nodes of Gauss's quadrature.
    """
    nodes, weights = np.polynomial.legendre.leggauss(_RINGS)
    ring = np.repeat(np.arange(_RINGS), _ON_A_RING)
    turn = np.tile(np.arange(_ON_A_RING), _RINGS) + 0.5 * (ring % 2)
    shares = (nodes[ring] + 1.0) / 2.0
    return shares, turn * (2.0 * np.pi / _ON_A_RING), weights[ring] / (2.0 * _ON_A_RING)


def _spread(layout: Layout, axes: Gains, spread: Gains) -> Gains:
    """The mean power of points over caps of so many degrees round ``axes`` (3, *shape)."""
    shares, turns, weights = (part.reshape(-1, *[1] * spread.ndim) for part in _pattern())
    cap = 1.0 - np.cos(np.radians(np.clip(spread, 0.0, 360.0) / 2.0))
    along = 1.0 - shares * cap
    out = np.sqrt(np.maximum(1.0 - along**2, 0.0))
    first, second = _across(axes)
    points = along * axes[:, np.newaxis] + out * (
        np.cos(turns) * first[:, np.newaxis] + np.sin(turns) * second[:, np.newaxis]
    )
    return (_point(layout, points) ** 2 * weights).sum(axis=1)


def _across(axes: Gains) -> tuple[Gains, Gains]:
    """Two directions at right angles to each axis: the ones that turning straight up into it makes of x and y."""
    x, y, z = axes
    lean = 1.0 / np.maximum(1.0 + z, _ALIKE)
    return np.array([1.0 - x * x * lean, -x * y * lean, -x]), np.array([-x * y * lean, 1.0 - y * y * lean, -y])


@cache
def speaker_mask_matrix(layout: str, off: frozenset[str]) -> Gains:
    """Where the power of every speaker goes while some are ``off``: (speakers, speakers), columns add up to one.

    NeedleError if none is left, or one is not in the layout.
    """
    speakers = LAYOUTS[layout].speakers
    names = [speaker.name for speaker in speakers]
    silent = [i for i, name in enumerate(names) if name in off]
    left = [i for i in range(len(names)) if i not in silent]
    if not left:
        raise NeedleError("speakers.none_allowed")
    vectors = unit_vectors(*LAYOUTS[layout].directions)
    matrix = np.eye(len(names))
    for one in silent:
        gains, _ = scipy.optimize.nnls(vectors[:, left], vectors[:, one])
        nearness = vectors[:, left].T @ vectors[:, one]
        shares = gains**2 if gains.any() else (nearness > nearness.max() - _ALIKE).astype(float)
        matrix[:, one] = 0.0
        matrix[left, one] = shares / shares.sum()
    return matrix


def apply_speaker_mask(layout: Layout, powers: Gains, ways: Mapping[frozenset[str], ArrayLike]) -> Gains:
    """The powers (speakers, *shape) with some speakers off: ``ways`` says which, and how far each holds (0…1)."""
    total = None
    for off, share in ways.items():
        known = off & {speaker.name for speaker in layout.speakers}
        # Where a layout has none of those that may sound, all of them may.
        solved = speaker_mask_matrix(layout.name, known) if len(known) < len(layout.speakers) else None
        routed = np.tensordot(solved, powers, 1) if known and solved is not None else powers
        part = routed * np.asarray(share, dtype=np.float64)
        total = part if total is None else total + part
    return powers if total is None else total
