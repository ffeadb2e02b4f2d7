"""The gains of directions by the regions of a point-source panner (ITU-R BS.2127-0, 6.1).

Region r is a cone. Of a triplet, the gains of a direction are ``solve[r]`` times it. Of a quad, whose ``quad[r]`` is
true, they follow from where it lies ``along`` and ``up``, roots of quadratics whose coefficients are (3, 3) times it,
and from what each corner gives to the loudspeakers, ``real[r]``.
"""

import math

import numpy as np
from numpy.typing import NDArray

from needle.dsp.kernels import kernel

Numbers = NDArray[np.float64]
Indices = NDArray[np.int64]
Marks = NDArray[np.bool_]

NEAR = 1e-9
"""How far outside of a cone a direction may lie by rounding."""

_TINY = 1e-14


def find_regions(vectors: Numbers, planes: Numbers) -> Indices:
    """The region that holds each direction (3, n): the first that accepts it, or else the nearest."""
    inside = (planes.reshape(-1, 3) @ vectors).reshape(len(planes), 4, -1).min(axis=1)
    accepts = inside >= -NEAR
    result: Indices = np.where(accepts.any(axis=0), accepts.argmax(axis=0), inside.argmax(axis=0))
    return result


def _root_twin(coefficients: Numbers) -> Numbers:
    """The root of each quadratic that lies nearest to 0…1, limited to it."""
    a, b, c = coefficients
    spread = np.sqrt(np.maximum(b * b - 4.0 * a * c, 0.0))
    q = -0.5 * (b + np.where(b < 0.0, -spread, spread))
    first = np.where(np.abs(q) > _TINY, c / np.where(np.abs(q) > _TINY, q, 1.0), 0.0)
    other = np.where(np.abs(a) > _TINY, q / np.where(np.abs(a) > _TINY, a, 1.0), np.inf)
    nearer = np.abs(first - 0.5) <= np.abs(other - 0.5)
    return np.clip(np.where(nearer, first, other), 0.0, 1.0)


def _twin(
    vectors: Numbers,
    cells: Indices,
    planes: Numbers,
    quad: Marks,
    solve: Numbers,
    along: Numbers,
    up: Numbers,
    real: Numbers,
    out: Numbers,
) -> None:
    across = cells.shape[0]
    cell = np.minimum((vectors + 1.0) * (across / 2.0), across - 1).astype(np.intp)
    which = cells[tuple(cell)]
    inside = np.einsum("npc,cn->np", planes[which], vectors).min(axis=1) >= -NEAR
    if not inside.all():
        which = which.copy()
        which[~inside] = find_regions(vectors[:, ~inside], planes)
    for region in np.unique(which):
        inside_it = which == region
        chosen = vectors[:, inside_it]
        if quad[region]:
            x, y = _root_twin(along[region] @ chosen), _root_twin(up[region] @ chosen)
            gains = real[region].T @ np.array([(1 - x) * (1 - y), x * (1 - y), x * y, (1 - x) * y])
        else:
            gains = np.maximum(solve[region] @ chosen, 0.0)
        out[:, inside_it] = gains / np.sqrt((gains**2).sum(axis=0))


@kernel(_twin, "r8[2]", "ri[3]", "r8[3]", "rb[1]", "r8[3]", "r8[3]", "r8[3]", "r8[3]", "w8[2]", strict=True)
def point_gains(
    vectors: Numbers,
    cells: Indices,
    planes: Numbers,
    quad: Marks,
    solve: Numbers,
    along: Numbers,
    up: Numbers,
    real: Numbers,
    out: Numbers,
) -> None:
    """Put the gains of directions ``vectors`` (3, n) on loudspeakers into ``out`` (speakers, n), of unit power.

    ``cells`` (across, across, across) is the region that holds the middle of each cell of a cube round the listener;
    ``planes`` (regions, 4, 3) are the sides of each cone, which a direction inside lies on the inner side of.
    """
    across, regions, speakers = cells.shape[0], planes.shape[0], out.shape[0]
    half = across / 2.0
    roots, corners = np.empty(2), np.empty(4)
    for n in range(vectors.shape[1]):
        x, y, z = vectors[0, n], vectors[1, n], vectors[2, n]
        i = min(int((x + 1.0) * half), across - 1)
        j = min(int((y + 1.0) * half), across - 1)
        k = min(int((z + 1.0) * half), across - 1)
        region = cells[i, j, k]
        inside = 1.0
        for p in range(4):
            inside = min(inside, planes[region, p, 0] * x + planes[region, p, 1] * y + planes[region, p, 2] * z)
        if inside < -NEAR:
            # The first region that accepts a direction answers; rounding may put it a hair outside of all.
            nearest, region = -np.inf, 0
            for r in range(regions):
                inside = 1.0
                for p in range(4):
                    inside = min(inside, planes[r, p, 0] * x + planes[r, p, 1] * y + planes[r, p, 2] * z)
                if inside >= -NEAR:
                    region = r
                    break
                if inside > nearest:
                    nearest, region = inside, r
        power = 0.0
        if quad[region]:
            for axis in range(2):
                m = along[region] if axis == 0 else up[region]
                a = m[0, 0] * x + m[0, 1] * y + m[0, 2] * z
                b = m[1, 0] * x + m[1, 1] * y + m[1, 2] * z
                c = m[2, 0] * x + m[2, 1] * y + m[2, 2] * z
                spread = math.sqrt(max(b * b - 4.0 * a * c, 0.0))
                q = -0.5 * (b - spread if b < 0.0 else b + spread)
                first = c / q if abs(q) > _TINY else 0.0
                other = q / a if abs(a) > _TINY else np.inf
                root = first if abs(first - 0.5) <= abs(other - 0.5) else other
                roots[axis] = min(max(root, 0.0), 1.0)
            u, v = roots[0], roots[1]
            corners[0], corners[1], corners[2], corners[3] = (1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v
            for s in range(speakers):
                gain = 0.0
                for corner in range(4):
                    gain += real[region, corner, s] * corners[corner]
                out[s, n] = gain
                power += gain * gain
        else:
            for s in range(speakers):
                gain = max(solve[region, s, 0] * x + solve[region, s, 1] * y + solve[region, s, 2] * z, 0.0)
                out[s, n] = gain
                power += gain * gain
        louder = 1.0 / math.sqrt(power)
        for s in range(speakers):
            out[s, n] *= louder
