"""The polar point-source panner of ITU-R BS.2127-0 section 6.1: gains of a direction, with unit power.

Loudspeakers, the extra ones that fill a layer and the virtual ones above and below make a convex hull; its facets are
triplets (Pulkki 1997) and quads, those round a virtual loudspeaker one virtual n-gon. Every region is a cone, so that
which one holds a direction is told for thousands of directions at once.
"""

from collections import defaultdict
from functools import cache, cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.spatial import ConvexHull

from needle.layouts import LAYOUTS, Layout
from needle.room_coordinates import unit_vectors

Gains = NDArray[np.float64]

_LAYERS = ((-70.0, -10.0, -30.0), (10.0, 70.0, 30.0))
"""Lowest and highest elevation, and the nominal one, of the lower and the upper layer (degrees)."""

_MIDDLE = 10.0
_LIMIT = 40.0
_NEAR = 1e-9
_AT_ONCE = 8192
_CELLS = 48
_STEPS_A_DEGREE = 10


class PointPanner:
    """The gains of directions on one layout's speakers."""

    def __init__(self, layout: Layout) -> None:
        self.count = len(layout.speakers)
        directions = layout.directions
        extra, above = _filling(directions)
        whole = np.concatenate([directions, extra], axis=1)
        points = [*unit_vectors(*whole).T, np.array([0.0, 0.0, -1.0])]
        if not (directions[1] > 90.0 - _NEAR).any():
            points.append(np.array([0.0, 0.0, 1.0]))
        self._points = np.array(points)
        # What each corner of the hull gives to the real speakers; virtual ones are told by their n-gon.
        self._real = np.zeros((len(self._points), self.count))
        self._real[np.arange(self.count), np.arange(self.count)] = 1.0
        self._real[self.count + np.arange(len(above)), above] = 1.0
        self._regions: list[_Region] = []
        virtual = range(whole.shape[1], len(self._points))
        rings: dict[int, set[int]] = defaultdict(set)
        facets = _facets(self._points)
        for corners in facets:
            for one in set(corners) & set(virtual):
                rings[one] |= set(corners) - {one}
        for one, ring in rings.items():
            self._real[one] = self._real[sorted(ring)].sum(axis=0) / np.sqrt(len(ring))
        for corners in facets:
            self._regions.append(_Region(self._points[corners], self._real[corners]))
        self._planes = np.array([region.planes for region in self._regions])

    def gains(self, azimuth: ArrayLike, elevation: ArrayLike) -> Gains:
        """Gains (speakers, *shape) of directions in degrees; every direction has some."""
        azimuth, elevation = np.broadcast_arrays(azimuth, elevation)
        return self.gains_of(unit_vectors(azimuth.ravel(), elevation.ravel())).reshape(-1, *azimuth.shape)

    def gains_of(self, vectors: Gains) -> Gains:
        """Gains (speakers, n) of unit vectors (3, n)."""
        found = np.empty((self.count, vectors.shape[1]))
        for low in range(0, vectors.shape[1], _AT_ONCE):
            here = vectors[:, low : low + _AT_ONCE]
            found[:, low : low + _AT_ONCE] = self._some(here)
        return found

    def on_the_level(self, azimuth: ArrayLike) -> Gains:
        """Gains (speakers, *shape) of azimuths (degrees) at the ear's height, out of a table.

        Its steps hold every speaker's azimuth; between them gains are linear, within 1e-5.
        """
        azimuth = np.asarray(azimuth, dtype=np.float64)
        place = np.mod(azimuth.ravel(), 360.0) * _STEPS_A_DEGREE
        step = place.astype(np.intp)
        share = (place - step)[:, np.newaxis]
        table = self._ring
        found = table[step] + self._rises[step] * share
        found /= np.sqrt(np.einsum("ns,ns->n", found, found))[:, np.newaxis]
        return np.ascontiguousarray(found.T).reshape(-1, *azimuth.shape)

    @cached_property
    def _ring(self) -> Gains:
        return self.gains(np.arange(360 * _STEPS_A_DEGREE + 1) / _STEPS_A_DEGREE, 0.0).T.copy()

    @cached_property
    def _rises(self) -> Gains:
        return np.diff(self._ring, axis=0, append=self._ring[:1])

    def _some(self, vectors: Gains) -> Gains:
        which = self._which(vectors)
        order = np.argsort(which, kind="stable")
        ends = np.cumsum(np.bincount(which, minlength=len(self._regions)))
        in_order = vectors[:, order]
        sorted_gains = np.empty((self.count, len(order)))
        for index in np.flatnonzero(np.diff(ends, prepend=0)):
            here = slice(ends[index - 1] if index else 0, ends[index])
            sorted_gains[:, here] = self._regions[index].gains(in_order[:, here])
        sorted_gains /= np.sqrt(np.einsum("sn,sn->n", sorted_gains, sorted_gains))
        found = np.empty_like(sorted_gains)
        found[:, order] = sorted_gains
        return found

    def _which(self, vectors: Gains) -> NDArray[np.uint8]:
        """The region that holds each vector: mostly the one that holds the middle of its cell."""
        guess = self._cells[tuple(np.minimum((vectors + 1.0) * (_CELLS / 2.0), _CELLS - 1).astype(np.intp))]
        held = np.einsum("npc,cn->np", self._planes[guess], vectors).min(axis=1) >= -_NEAR
        if not held.all():
            guess[~held] = self._searched(vectors[:, ~held])
        return guess

    def _searched(self, vectors: Gains) -> NDArray[np.uint8]:
        inside = (self._planes.reshape(-1, 3) @ vectors).reshape(len(self._regions), 4, -1).min(axis=1)
        # The first region that accepts a direction answers; rounding may put it a hair outside of all.
        accepts = inside >= -_NEAR
        return np.where(accepts.any(axis=0), accepts.argmax(axis=0), inside.argmax(axis=0)).astype(np.uint8)

    @cached_property
    def _cells(self) -> NDArray[np.uint8]:
        """The region at the middle of each cell of a cube round the listener."""
        along = (np.arange(_CELLS) + 0.5) * (2.0 / _CELLS) - 1.0
        middles = np.stack(np.meshgrid(along, along, along, indexing="ij")).reshape(3, -1)
        return self._searched(middles).reshape(_CELLS, _CELLS, _CELLS)


class _Region:
    """A facet of the hull: three corners, or four. ``real`` is what each corner gives to the speakers."""

    def __init__(self, corners: Gains, real: Gains) -> None:
        self.corners, self.real = corners, real
        normals = np.cross(corners, np.roll(corners, -1, axis=0))
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        normals *= np.sign(normals @ corners.mean(axis=0))[:, np.newaxis]
        # Triplets repeat a plane, so that all regions have four.
        self.planes = normals if len(corners) == 4 else np.concatenate([normals, normals[:1]])
        if len(corners) == 3:
            self._solve = real.T @ np.linalg.inv(corners.T)
        else:
            self._along, self._up = _quadratic(corners), _quadratic(np.roll(corners, -1, axis=0))

    def gains(self, vectors: Gains) -> Gains:
        """Gains (speakers, n), their power not yet one."""
        if len(self.corners) == 3:
            return np.maximum(self._solve @ vectors, 0.0)
        x, y = _root(self._along @ vectors), _root(self._up @ vectors)
        return self.real.T @ np.array([(1 - x) * (1 - y), x * (1 - y), x * y, (1 - x) * y])


def _quadratic(corners: Gains) -> Gains:
    """Coefficients (3, 3), times a direction, of where it lies from the edge 0-3 to the edge 1-2 of a quad."""
    a, b, c, d = corners
    return np.array([np.cross(b - a, c - d), np.cross(a, c - d) + np.cross(b - a, d), np.cross(a, d)])


def _root(coefficients: Gains) -> Gains:
    """The root of each quadratic that lies nearest to 0…1, limited to it."""
    a, b, c = coefficients
    spread = np.sqrt(np.maximum(b * b - 4.0 * a * c, 0.0))
    q = -0.5 * (b + np.where(b < 0.0, -spread, spread))
    tiny = 1e-14
    first = np.where(np.abs(q) > tiny, c / np.where(np.abs(q) > tiny, q, 1.0), 0.0)
    other = np.where(np.abs(a) > tiny, q / np.where(np.abs(a) > tiny, a, 1.0), np.inf)
    away = np.abs(first - 0.5) <= np.abs(other - 0.5)
    return np.clip(np.where(away, first, other), 0.0, 1.0)


def _filling(directions: Gains) -> tuple[Gains, list[int]]:
    """The speakers that fill the lower and the upper layer, (2, extra), and which middle one each belongs to."""
    azimuth, elevation = directions
    middle = np.flatnonzero(np.abs(elevation) <= _MIDDLE)
    found, belongs = [], []
    for low, high, nominal in _LAYERS:
        here = (elevation > low) & (elevation < high) & (np.abs(elevation) > _MIDDLE)
        limit = np.abs(azimuth[here]).max() + _LIMIT if here.any() else 0.0
        height = elevation[here].mean() if here.any() else nominal
        for one in middle:
            if abs(azimuth[one]) >= limit - _NEAR:
                found.append((azimuth[one], height))
                belongs.append(int(one))
    return np.array(found).reshape(-1, 2).T, belongs


def _facets(points: Gains) -> list[list[int]]:
    """The facets of the hull of points on the sphere, each its corners in order; coplanar triangles merged."""
    hull = ConvexHull(points)
    planes: dict[tuple[float, ...], set[int]] = defaultdict(set)
    for corners, equation in zip(hull.simplices, hull.equations, strict=True):
        planes[tuple(np.round(equation, 6) + 0.0)] |= set(corners.tolist())
    return [_in_order(points, sorted(corners), np.array(plane[:3])) for plane, corners in sorted(planes.items())]


def _in_order(points: Gains, corners: list[int], normal: Gains) -> list[int]:
    middle = points[corners].mean(axis=0)
    one = points[corners[0]] - middle
    other = np.cross(normal, one)
    away = points[corners] - middle
    turn = np.arctan2(away @ other, away @ one)
    return [corners[i] for i in np.argsort(turn)]


@cache
def point_panner(layout: str) -> PointPanner:
    """The panner of a layout by name, made once. Not for layouts of one or two speakers."""
    return PointPanner(LAYOUTS[layout])


_TO_STEREO = np.array(
    [[1.0, 0.0, 1 / np.sqrt(3.0), 1 / np.sqrt(2.0), 0.0], [0.0, 1.0, 1 / np.sqrt(3.0), 0.0, 1 / np.sqrt(2.0)]]
)


def point_source_gains(layout: Layout, azimuth: ArrayLike, elevation: ArrayLike) -> Gains:
    """Gains (speakers, *shape) of directions (degrees) in any layout.

    Two speakers get what five would, folded down, up to 3 dB softer towards the back (BS.2127-0, 6.1.2.4).
    """
    azimuth, elevation = np.broadcast_arrays(azimuth, elevation)
    if len(layout.speakers) == 1:
        return np.ones((1, *azimuth.shape))
    if len(layout.speakers) > 2:
        return point_panner(layout.name).gains(azimuth, elevation)
    five = point_panner("0+5+0").gains(azimuth, elevation)
    both = np.tensordot(_TO_STEREO, five, 1)
    front, back = five[:3].max(axis=0), five[3:].max(axis=0)
    return both / np.linalg.norm(both, axis=0) * 0.5 ** (0.5 * back / (front + back))
