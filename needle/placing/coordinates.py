"""Room coordinates and polar ones: the conversion of ITU-R BS.2127-0 section 10, exact in both directions.

In the room x runs from -1 (left) to 1 (right), y from -1 (back) to 1 (front), z from -1 to 1 (up). Azimuth is in
degrees, positive to the left, elevation in degrees; distance 1 is the room's edge.
"""

import numpy as np
from numpy.typing import ArrayLike, NDArray

Numbers = NDArray[np.float64]

_FRONT, _SIDE = 30.0, 110.0
_EDGE, _ROOM_EDGE = 30.0, 45.0


def _tan(degrees: ArrayLike) -> Numbers:
    return np.tan(np.radians(degrees))


def _atan(value: ArrayLike) -> Numbers:
    return np.degrees(np.arctan(value))


_FRONT_MIDDLE = _FRONT / 2.0
_SIDE_MIDDLE = (_FRONT + _SIDE) / 2.0
_FRONT_TAN = _tan(_FRONT / 2.0)
_SIDE_TAN = _tan((_SIDE - _FRONT) / 2.0)
_BACK_TAN = _tan(180.0 - _SIDE)


def polar_of(x: ArrayLike, y: ArrayLike, z: ArrayLike) -> Numbers:
    """Azimuth, elevation and distance of places in the room, (3, *shape); the middle is 0, 0, 0.

    Corners stand at ±30° and ±110°; along an edge the tangent law relates angle and place (BS.2127-0, 10.1).
    """
    x, y, z = np.broadcast_arrays(*(np.asarray(value, dtype=np.float64) for value in (x, y, z)))
    across = np.abs(x)
    extent = np.maximum(across, np.abs(y))
    within = np.where(extent > 0.0, extent, 1.0)
    front = _FRONT_MIDDLE + _atan((2.0 * across / within - 1.0) * _FRONT_TAN)
    side = _SIDE_MIDDLE - _atan(y / within * _SIDE_TAN)
    back = 180.0 - _atan(across / within * _BACK_TAN)
    azimuth = np.where(y >= across, front, np.where(-y >= across, back, side))
    azimuth = np.where(extent > 0.0, azimuth * np.where(x > 0.0, -1.0, 1.0), 0.0)
    steep = np.degrees(np.arctan2(np.abs(z), extent))
    high = _EDGE + (90.0 - _EDGE) * (steep - _ROOM_EDGE) / (90.0 - _ROOM_EDGE)
    elevation = np.where(steep > _ROOM_EDGE, high, _EDGE * steep / _ROOM_EDGE)
    return np.array([azimuth + 0.0, np.copysign(elevation, z), np.maximum(extent, np.abs(z))])


def room_of(azimuth: ArrayLike, elevation: ArrayLike, distance: ArrayLike) -> Numbers:
    """Places in the room, x, y and z, (3, *shape), of polar ones; the inverse of ``polar_of`` (BS.2127-0, 10.2)."""
    azimuth, elevation, distance = np.broadcast_arrays(
        *(np.asarray(value, dtype=np.float64) for value in (azimuth, elevation, distance))
    )
    turned = wrapped(azimuth)
    away = np.abs(turned)
    steep = np.where(
        np.abs(elevation) > _EDGE,
        _ROOM_EDGE + (90.0 - _ROOM_EDGE) * (np.abs(elevation) - _EDGE) / (90.0 - _EDGE),
        _ROOM_EDGE * np.abs(elevation) / _EDGE,
    )
    high = steep > _ROOM_EDGE
    z = np.copysign(np.where(high, distance, distance * _tan(np.where(high, 0.0, steep))), elevation)
    extent = np.where(high, distance * _tan(90.0 - steep), distance)
    front = 0.5 * (1.0 + _tan(np.minimum(away, _FRONT) - _FRONT_MIDDLE) / _FRONT_TAN)
    side = -_tan(np.clip(away, _FRONT, _SIDE) - _SIDE_MIDDLE) / _SIDE_TAN
    back = _tan(180.0 - np.maximum(away, _SIDE)) / _BACK_TAN
    x = np.where(away <= _FRONT, front, np.where(away <= _SIDE, 1.0, back))
    y = np.where(away <= _FRONT, 1.0, np.where(away <= _SIDE, side, -1.0))
    return np.array([np.where(turned > 0.0, -1.0, 1.0) * x * extent, y * extent, z]) + 0.0


def wrapped(azimuth: ArrayLike) -> Numbers:
    """Azimuths (degrees) brought to -180 < azimuth ≤ 180."""
    return 180.0 - np.mod(180.0 - np.asarray(azimuth, dtype=np.float64), 360.0)


def unit_vectors(azimuth: ArrayLike, elevation: ArrayLike) -> Numbers:
    """Unit vectors of directions (degrees), (3, *shape): to the right, to the front, up."""
    a, e = np.radians(azimuth), np.radians(elevation)
    flat = np.cos(e)
    return np.array([-np.sin(a) * flat, np.cos(a) * flat, np.sin(e) + 0.0 * flat])
