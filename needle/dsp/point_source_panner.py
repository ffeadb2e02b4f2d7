"""The polar point-source panner of ITU-R BS.2127-0 section 6.1: gains of a direction, with unit power.

Loudspeakers, the extra ones that fill a layer and the virtual ones above and below make a convex hull; its facets are
triplets (Pulkki 1997) and quads, those round a virtual loudspeaker one virtual n-gon. Every region is a cone, so that
which one holds a direction is soon told (``needle.dsp.kernels.point_source``).
"""

from collections import defaultdict
from functools import cache

import numpy as np
import scipy
from numpy.typing import ArrayLike, NDArray

from needle.dsp.kernels.point_source import NEAR, find_regions, point_gains
from needle.layouts import LAYOUTS, Layout
from needle.room_coordinates import unit_vectors

Gains = NDArray[np.float64]

_LAYERS = ((-70.0, -10.0, -30.0), (10.0, 70.0, 30.0))
"""Lowest and highest elevation, and the nominal one, of the lower and the upper layer (degrees)."""

_MIDDLE = 10.0
_LIMIT = 40.0
_CELLS = 48


class PointPanner:
    """The gains of directions on one layout's speakers."""

    def __init__(self, layout: Layout) -> None:
        self.count = len(layout.speakers)
        directions = layout.directions
        extra, above = _filling(directions)
        whole = np.concatenate([directions, extra], axis=1)
        points = [*unit_vectors(*whole).T, np.array([0.0, 0.0, -1.0])]
        if not (directions[1] > 90.0 - NEAR).any():
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
            for corner in set(corners) & set(virtual):
                rings[corner] |= set(corners) - {corner}
        for corner, ring in rings.items():
            self._real[corner] = self._real[sorted(ring)].sum(axis=0) / np.sqrt(len(ring))
        for corners in facets:
            self._regions.append(_Region(self._points[corners], self._real[corners]))
        regions = self._regions
        planes = np.array([region.planes for region in regions])
        self._tables: tuple[NDArray[np.int64], Gains, NDArray[np.bool_], Gains, Gains, Gains, Gains] = (
            _cells(planes),
            planes,
            np.array([region.quad for region in regions]),
            np.array([region.solve for region in regions]),
            np.array([region.along for region in regions]),
            np.array([region.up for region in regions]),
            np.array([region.real for region in regions]),
        )

    def gains(self, azimuth: ArrayLike, elevation: ArrayLike) -> Gains:
        """Gains (speakers, *shape) of directions in degrees; every direction has some."""
        azimuth, elevation = np.broadcast_arrays(azimuth, elevation)
        return self.gains_of(unit_vectors(azimuth.ravel(), elevation.ravel())).reshape(-1, *azimuth.shape)

    def gains_of(self, vectors: Gains) -> Gains:
        """Gains (speakers, n) of unit vectors (3, n)."""
        out = np.empty((self.count, vectors.shape[1]))
        point_gains(np.ascontiguousarray(vectors), *self._tables, out)
        return out


def _cells(planes: Gains) -> NDArray[np.int64]:
    """The region at the middle of each cell of a cube round the listener."""
    along = (np.arange(_CELLS) + 0.5) * (2.0 / _CELLS) - 1.0
    middles = np.stack(np.meshgrid(along, along, along, indexing="ij")).reshape(3, -1)
    return find_regions(middles, planes).reshape(_CELLS, _CELLS, _CELLS)


class _Region:
    """A facet of the hull: three corners, or four (``quad``). ``real`` is what each corner gives to the speakers."""

    def __init__(self, corners: Gains, real: Gains) -> None:
        self.quad = len(corners) == 4
        normals = np.cross(corners, np.roll(corners, -1, axis=0))
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        normals *= np.sign(normals @ corners.mean(axis=0))[:, np.newaxis]
        # Triplets repeat a plane, so that all regions have four, and have no fourth corner.
        self.planes = normals if self.quad else np.concatenate([normals, normals[:1]])
        self.real = real if self.quad else np.concatenate([real, np.zeros_like(real[:1])])
        if self.quad:
            self.solve = np.zeros((real.shape[1], 3))
            self.along, self.up = _quadratic(corners), _quadratic(np.roll(corners, -1, axis=0))
        else:
            self.solve = real.T @ np.linalg.inv(corners.T)
            self.along = self.up = np.zeros((3, 3))


def _quadratic(corners: Gains) -> Gains:
    """Coefficients (3, 3), times a direction, of where it lies from the edge 0-3 to the edge 1-2 of a quad."""
    a, b, c, d = corners
    return np.array([np.cross(b - a, c - d), np.cross(a, c - d) + np.cross(b - a, d), np.cross(a, d)])


def _filling(directions: Gains) -> tuple[Gains, list[int]]:
    """The speakers that fill the lower and the upper layer, (2, extra), and which middle one each belongs to."""
    azimuth, elevation = directions
    middle = np.flatnonzero(np.abs(elevation) <= _MIDDLE)
    result, belongs = [], []
    for low, high, nominal in _LAYERS:
        in_layer = (elevation > low) & (elevation < high) & (np.abs(elevation) > _MIDDLE)
        limit = np.abs(azimuth[in_layer]).max() + _LIMIT if in_layer.any() else 0.0
        height = elevation[in_layer].mean() if in_layer.any() else nominal
        for speaker in middle:
            if abs(azimuth[speaker]) >= limit - NEAR:
                result.append((azimuth[speaker], height))
                belongs.append(int(speaker))
    return np.array(result).reshape(-1, 2).T, belongs


def _facets(points: Gains) -> list[list[int]]:
    """The facets of the hull of points on the sphere, each its corners in order; coplanar triangles merged."""
    hull = scipy.spatial.ConvexHull(points)
    planes: dict[tuple[float, ...], set[int]] = defaultdict(set)
    for corners, equation in zip(hull.simplices, hull.equations, strict=True):
        planes[tuple(np.round(equation, 6) + 0.0)] |= set(corners.tolist())
    return [_in_order(points, sorted(corners), np.array(plane[:3])) for plane, corners in sorted(planes.items())]


def _in_order(points: Gains, corners: list[int], normal: Gains) -> list[int]:
    middle = points[corners].mean(axis=0)
    first_axis = points[corners[0]] - middle
    second_axis = np.cross(normal, first_axis)
    away = points[corners] - middle
    turn = np.arctan2(away @ second_axis, away @ first_axis)
    return [corners[i] for i in np.argsort(turn)]


@cache
def point_panner(layout: str) -> PointPanner:
    """The panner of a layout by name, made once. Not for layouts of one or two speakers."""
    return PointPanner(LAYOUTS[layout])


_TO_STEREO = np.array(
    [[1.0, 0.0, 1 / np.sqrt(3.0), 1 / np.sqrt(2.0), 0.0], [0.0, 1.0, 1 / np.sqrt(3.0), 0.0, 1 / np.sqrt(2.0)]]
)


def point_source_gains(layout: Layout, azimuth: ArrayLike, elevation: ArrayLike) -> Gains:
    """Give the gains of directions on the loudspeakers of any layout.

    Two speakers get what five would, folded down, up to 3 dB softer towards the back.

    Parameters
    ----------
    layout
        Where the loudspeakers stand.
    azimuth, elevation : array_like, broadcastable
        Degrees, positive to the left and upwards.

    Returns
    -------
    float64, shape (speakers, *shape)
        Of unit power, in the order of ``layout.speakers``; the LFE has none.

    References
    ----------
    ITU-R BS.2127-0, 6.1.2 and 6.1.3.

    Examples
    --------
    >>> from needle.layouts import LAYOUTS
    >>> five = LAYOUTS["0+5+0"]
    >>> [speaker.name for speaker in five.speakers]
    ['M+030', 'M-030', 'M+000', 'M+110', 'M-110']
    >>> point_source_gains(five, 15.0, 0.0).round(3).tolist()
    [0.707, 0.0, 0.707, 0.0, 0.0]
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
