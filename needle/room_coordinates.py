"""Room coordinates and polar ones: the conversion of ITU-R BS.2127-0 section 10, exact in both directions.

In the room x runs from -1 (left) to 1 (right), y from -1 (back) to 1 (front), z from -1 to 1 (up). Azimuth is in
degrees, positive to the left, elevation in degrees; distance 1 is the room's edge.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

Numbers = NDArray[np.float64]

_FRONT, _SIDE = 30.0, 110.0
EDGE, ROOM_EDGE = 30.0, 45.0


def _tan(degrees: ArrayLike) -> Numbers:
    return np.tan(np.radians(degrees))


@dataclass(frozen=True)
class Sector:
    """A straight stretch of the room's edge seen from the middle: its ``middle`` azimuth and its ``half`` width."""

    middle: float
    half: float

    def azimuth(self, share: ArrayLike) -> Numbers:
        """Where a share (0…1) of the way along the stretch stands: as constant-power gains would put it there."""
        turn = np.asarray(share, dtype=np.float64) * (np.pi / 2.0)
        far = np.sin(turn) / (np.cos(turn) + np.sin(turn))
        return self.middle + np.degrees(np.arctan((2.0 * far - 1.0) * _tan(self.half)))

    def share(self, azimuth: ArrayLike) -> Numbers:
        """The inverse; azimuths beyond the sector stand at its ends."""
        turned = np.clip(np.asarray(azimuth, dtype=np.float64) - self.middle, -self.half, self.half)
        far = 0.5 + 0.5 * _tan(turned) / _tan(self.half)
        return np.arctan2(far, 1.0 - far) * (2.0 / np.pi)


# Away from the front, on either side: the middle of the front to a front corner, along the side, and all of the back.
ALONG_FRONT = Sector(_FRONT / 2.0, _FRONT / 2.0)
ALONG_SIDE = Sector((_FRONT + _SIDE) / 2.0, (_SIDE - _FRONT) / 2.0)
ALONG_BACK = Sector(180.0, 180.0 - _SIDE)


def room_to_polar(x: ArrayLike, y: ArrayLike, z: ArrayLike) -> Numbers:
    """Convert room coordinates to polar ones.

    Corners stand at ±30° and ±110°. Between them the linear place is first told by constant-power gains, and those
    by the tangent law as an angle.

    Parameters
    ----------
    x, y, z : array_like, broadcastable
        Room coordinates in -1…1: left to right, back to front, down to up.

    Returns
    -------
    float64, shape (3, *shape)
        Azimuth and elevation in degrees (positive: left, up) and distance (1 is the room's edge); the middle of the
        room is 0, 0, 0.

    References
    ----------
    ITU-R BS.2127-0, 10.1.

    Examples
    --------
    >>> room_to_polar(-1.0, 1.0, 0.0).tolist()
    [30.0, 0.0, 1.0]
    >>> room_to_polar(-0.5, -1.0, 0.0).round(2).tolist()
    [131.31, 0.0, 1.0]
    """
    x, y, z = np.broadcast_arrays(*(np.asarray(value, dtype=np.float64) for value in (x, y, z)))
    across = np.abs(x)
    extent = np.maximum(across, np.abs(y))
    within = np.where(extent > 0.0, extent, 1.0)
    front = ALONG_FRONT.azimuth(across / within)
    side = ALONG_SIDE.azimuth((1.0 - y / within) / 2.0)
    back = ALONG_BACK.azimuth((1.0 - across / within) / 2.0)
    azimuth = np.where(y >= across, front, np.where(-y >= across, back, side))
    azimuth = np.where(extent > 0.0, azimuth * np.where(x > 0.0, -1.0, 1.0), 0.0)
    steep = np.degrees(np.arctan2(np.abs(z), extent))
    high = EDGE + (90.0 - EDGE) * (steep - ROOM_EDGE) / (90.0 - ROOM_EDGE)
    elevation = np.where(steep > ROOM_EDGE, high, EDGE * steep / ROOM_EDGE)
    return np.array([azimuth + 0.0, np.copysign(elevation, z), np.maximum(extent, np.abs(z))])


def polar_to_room(azimuth: ArrayLike, elevation: ArrayLike, distance: ArrayLike) -> Numbers:
    """Convert polar coordinates to room ones: ``room_to_polar`` turned round.

    Parameters
    ----------
    azimuth, elevation : array_like, broadcastable
        Degrees, positive to the left and upwards.
    distance : array_like
        1 is the room's edge.

    Returns
    -------
    float64, shape (3, *shape)
        x, y and z.

    References
    ----------
    ITU-R BS.2127-0, 10.2.

    Examples
    --------
    >>> polar_to_room(110.0, 0.0, 1.0).round(6).tolist()
    [-1.0, -1.0, 0.0]
    """
    azimuth, elevation, distance = np.broadcast_arrays(
        *(np.asarray(value, dtype=np.float64) for value in (azimuth, elevation, distance))
    )
    turned = wrapped(azimuth)
    away = np.abs(turned)
    steep = np.where(
        np.abs(elevation) > EDGE,
        ROOM_EDGE + (90.0 - ROOM_EDGE) * (np.abs(elevation) - EDGE) / (90.0 - EDGE),
        ROOM_EDGE * np.abs(elevation) / EDGE,
    )
    high = steep > ROOM_EDGE
    z = np.copysign(np.where(high, distance, distance * _tan(np.where(high, 0.0, steep))), elevation)
    extent = np.where(high, distance * _tan(90.0 - steep), distance)
    side = 1.0 - 2.0 * ALONG_SIDE.share(away)
    back = 1.0 - 2.0 * ALONG_BACK.share(away)
    x = np.where(away <= _FRONT, ALONG_FRONT.share(away), np.where(away <= _SIDE, 1.0, back))
    y = np.where(away <= _FRONT, 1.0, np.where(away <= _SIDE, side, -1.0))
    return np.array([np.where(turned > 0.0, -1.0, 1.0) * x * extent, y * extent, z]) + 0.0


def wrapped(azimuth: ArrayLike) -> Numbers:
    """Azimuths (degrees) brought to -180 < azimuth ≤ 180."""
    return 180.0 - np.mod(180.0 - np.asarray(azimuth, dtype=np.float64), 360.0)


def unit_vectors(azimuth: ArrayLike, elevation: ArrayLike) -> Numbers:
    """Turn directions into unit vectors.

    Parameters
    ----------
    azimuth, elevation : array_like, broadcastable
        Degrees, positive to the left and upwards.

    Returns
    -------
    float64, shape (3, *shape)
        To the right, to the front, up.

    Examples
    --------
    >>> unit_vectors(90.0, 0.0).round(6).tolist()
    [-1.0, 0.0, 0.0]
    """
    a, e = np.radians(azimuth), np.radians(elevation)
    flat = np.cos(e)
    return np.array([-np.sin(a) * flat, np.cos(a) * flat, np.sin(e) + 0.0 * flat])
