"""Room coordinates as polar ones, and directions as unit vectors (ITU-R BS.2127-0, 10.1)."""

import math

import numpy as np
from numpy.typing import NDArray

from needle import room_coordinates
from needle.dsp.kernels import kernel
from needle.room_coordinates import ALONG_BACK, ALONG_FRONT, ALONG_SIDE, EDGE, ROOM_EDGE

Numbers = NDArray[np.float64]

_DEGREES = 180.0 / math.pi

# What is compiled takes numbers, not objects.
_FRONT_MIDDLE, _FRONT_HALF = ALONG_FRONT.middle, ALONG_FRONT.half
_SIDE_MIDDLE, _SIDE_HALF = ALONG_SIDE.middle, ALONG_SIDE.half
_BACK_MIDDLE, _BACK_HALF = ALONG_BACK.middle, ALONG_BACK.half


def _polar_twin(x: Numbers, y: Numbers, z: Numbers, out: Numbers) -> None:
    out[:] = room_coordinates.room_to_polar(x, y, z)


@kernel(_polar_twin, "r8[1]", "r8[1]", "r8[1]", "w8[2]", strict=True)
def room_to_polar(x: Numbers, y: Numbers, z: Numbers, out: Numbers) -> None:
    """Put azimuth, elevation (degrees) and distance of places in the room (n,) into ``out`` (3, n).

    Between the corners at ±30° and ±110° the linear place is told by constant-power gains, those by the tangent law.
    """
    for n in range(x.shape[0]):
        across, along = abs(x[n]), y[n]
        extent = max(across, abs(along))
        if extent == 0.0:
            azimuth = 0.0
        else:
            if along >= across:
                share, middle, half = across / extent, _FRONT_MIDDLE, _FRONT_HALF
            elif -along >= across:
                share, middle, half = (1.0 - across / extent) / 2.0, _BACK_MIDDLE, _BACK_HALF
            else:
                share, middle, half = (1.0 - along / extent) / 2.0, _SIDE_MIDDLE, _SIDE_HALF
            turn = share * (math.pi / 2.0)
            far = math.sin(turn) / (math.cos(turn) + math.sin(turn))
            azimuth = middle + _DEGREES * math.atan((2.0 * far - 1.0) * math.tan(half / _DEGREES))
            if x[n] > 0.0:
                azimuth = -azimuth
        steep = _DEGREES * math.atan2(abs(z[n]), extent)
        if steep > ROOM_EDGE:
            elevation = EDGE + (90.0 - EDGE) * (steep - ROOM_EDGE) / (90.0 - ROOM_EDGE)
        else:
            elevation = EDGE * steep / ROOM_EDGE
        out[0, n] = azimuth + 0.0
        out[1, n] = math.copysign(elevation, z[n])
        out[2, n] = max(extent, abs(z[n]))


def _vectors_twin(azimuth: Numbers, elevation: Numbers, out: Numbers) -> None:
    out[:] = room_coordinates.unit_vectors(azimuth, elevation)


@kernel(_vectors_twin, "r8[1]", "r8[1]", "w8[2]", strict=True)
def unit_vectors(azimuth: Numbers, elevation: Numbers, out: Numbers) -> None:
    """Put the unit vectors of directions (degrees, (n,)) into ``out`` (3, n): to the right, to the front, up."""
    for n in range(azimuth.shape[0]):
        a, e = azimuth[n] / _DEGREES, elevation[n] / _DEGREES
        flat = math.cos(e)
        out[0, n] = -math.sin(a) * flat
        out[1, n] = math.cos(a) * flat
        out[2, n] = math.sin(e)
