"""The values of many lanes at many times at once, and where their corners lie.

A table of lanes is flat: lane k has the points ``starts[k]`` up to ``starts[k + 1]`` of ``at`` (s), ``value``,
``shape`` (0 hold, 1 straight, 2 ease, 3 curve), ``tension``, ``shape_start`` and ``shape_end``, and the jumps
``jump_starts[k]`` up to ``jump_starts[k + 1]`` of ``jump_at`` (s) and ``jump_left`` (the value before each).
"""

import math

import numpy as np
from numpy.typing import NDArray

from needle.dsp.kernels import kernel

Numbers = NDArray[np.float64]
Indices = NDArray[np.int64]

CURVE_STEEPNESS = 6.0
"""k of a curve of full tension: (e^kx - 1) / (e^k - 1)."""

HOLD, STRAIGHT, EASE, CURVE = range(4)


def shape_progress(kind: int, x: Numbers, tension: Numbers) -> Numbers:
    """How much of the way from one value to the next is done at the share ``x`` (0…1) of the time, by a shape."""
    if kind == HOLD:
        return np.zeros_like(x)
    if kind == STRAIGHT:
        return x
    if kind == EASE:
        return x * x * (3.0 - 2.0 * x)
    k = tension * CURVE_STEEPNESS
    flat = np.abs(k) < 1e-6
    steep = np.where(flat, 1.0, k)
    return np.where(flat, x, np.expm1(steep * x) / np.expm1(steep))


def _values_twin(
    starts: Indices,
    at: Numbers,
    value: Numbers,
    shape: Indices,
    tension: Numbers,
    shape_start: Numbers,
    shape_end: Numbers,
    jump_starts: Indices,
    jump_at: Numbers,
    jump_left: Numbers,
    ramp: float,
    lanes: Indices,
    times: Numbers,
    out: Numbers,
) -> None:
    for lane in np.unique(lanes):
        moments = np.flatnonzero(lanes == lane)
        t, points = times[moments], slice(starts[lane], starts[lane + 1])
        p_at, p_value, p_shape, p_tension = at[points], value[points], shape[points], tension[points]
        begins, ends = shape_start[points], shape_end[points]
        count = len(p_at)
        if count == 1:
            out[moments] = p_value[0]
            continue
        results = np.searchsorted(p_at, t, side="right") - 1
        i = np.clip(results, 0, count - 2)
        x = np.clip((t - p_at[i]) / np.maximum(p_at[i + 1] - p_at[i], 1e-12), 0.0, 1.0)
        progress = np.empty(len(t))
        for kind in np.unique(p_shape[i]):
            of_kind = p_shape[i] == kind
            j = i[of_kind]
            low, now, high = (
                shape_progress(int(kind), share, p_tension[j])
                for share in (begins[j], begins[j] + (ends[j] - begins[j]) * x[of_kind], ends[j])
            )
            cut = ends[j] - begins[j] < 1.0
            span = np.where(cut & (high - low > 1e-12), high - low, 1.0)
            progress[of_kind] = np.where(cut, np.where(high - low > 1e-12, (now - low) / span, x[of_kind]), now)
        result = p_value[i] + (p_value[i + 1] - p_value[i]) * progress
        result = np.where(results >= count - 1, p_value[-1], result)
        jumps = slice(jump_starts[lane], jump_starts[lane + 1])
        j_at, j_left = jump_at[jumps], jump_left[jumps]
        if len(j_at):
            latest = np.searchsorted(j_at, t, side="right") - 1
            k = np.maximum(latest, 0)
            share = (t - j_at[k]) / ramp
            result = np.where((latest >= 0) & (share < 1.0), j_left[k] + (result - j_left[k]) * share, result)
        out[moments] = result


@kernel(
    _values_twin,
    *("ri[1]", "r8[1]", "r8[1]", "ri[1]", "r8[1]", "r8[1]", "r8[1]", "ri[1]", "r8[1]", "r8[1]"),
    *("float64", "ri[1]", "r8[1]", "w8[1]"),
    strict=True,
)
def lane_values(
    starts: Indices,
    at: Numbers,
    value: Numbers,
    shape: Indices,
    tension: Numbers,
    shape_start: Numbers,
    shape_end: Numbers,
    jump_starts: Indices,
    jump_at: Numbers,
    jump_left: Numbers,
    ramp: float,
    lanes: Indices,
    times: Numbers,
    out: Numbers,
) -> None:
    """Put the value of lane ``lanes[n]`` at ``times[n]`` (s) into ``out[n]``, jumps ramped over ``ramp`` (s)."""
    last_lane, i = -1, 0
    for n in range(times.shape[0]):
        lane, t = lanes[n], times[n]
        first, last = starts[lane], starts[lane + 1] - 1
        if first == last:
            out[n] = value[first]
            continue
        if t >= at[last]:
            result = value[last]
        elif t < at[first]:
            i = first
            # Before its first point a lane holds that point's value.
            result = value[first]
        else:
            if lane != last_lane or i < first or i >= last or t < at[i] or t >= at[i + 1]:
                low, high = first, last
                while high - low > 1:
                    middle = (low + high) // 2
                    if at[middle] <= t:
                        low = middle
                    else:
                        high = middle
                i, last_lane = low, lane
            x = (t - at[i]) / max(at[i + 1] - at[i], 1e-12)
            kind = shape[i]
            if kind == HOLD:
                x = 0.0
            elif kind == EASE:
                begin, end = shape_start[i], shape_end[i]
                if end - begin < 1.0:
                    y = begin + (end - begin) * x
                    lower = begin * begin * (3.0 - 2.0 * begin)
                    upper = end * end * (3.0 - 2.0 * end)
                    if upper - lower > 1e-12:
                        x = (y * y * (3.0 - 2.0 * y) - lower) / (upper - lower)
                else:
                    x = x * x * (3.0 - 2.0 * x)
            elif kind == CURVE:
                k = tension[i] * CURVE_STEEPNESS
                if abs(k) >= 1e-6:
                    x = math.expm1(k * x) / math.expm1(k)
            result = value[i] + (value[i + 1] - value[i]) * x
        begin_jump, end_jump = jump_starts[lane], jump_starts[lane + 1]
        if end_jump > begin_jump and t >= jump_at[begin_jump]:
            low, high = begin_jump, end_jump
            while high - low > 1:
                middle = (low + high) // 2
                if jump_at[middle] <= t:
                    low = middle
                else:
                    high = middle
            share = (t - jump_at[low]) / ramp
            if share < 1.0:
                result = jump_left[low] + (result - jump_left[low]) * share
        out[n] = result


def _blocks_twin(
    corner_starts: Indices,
    corner_at: Numbers,
    members: Indices,
    first: int,
    per_second: float,
    out: NDArray[np.bool_],
) -> None:
    count = out.shape[1]
    for row, member in enumerate(members):
        corners = corner_at[corner_starts[member] : corner_starts[member + 1]] * per_second - first
        for block in (np.floor(corners - 1e-6), np.floor(corners + 1e-6)):
            out[row, block[(block >= 0) & (block < count)].astype(np.int64)] = True


@kernel(_blocks_twin, "ri[1]", "r8[1]", "ri[1]", "int64", "float64", "wb[2]")
def cornered_blocks(
    corner_starts: Indices,
    corner_at: Numbers,
    members: Indices,
    first: int,
    per_second: float,
    out: NDArray[np.bool_],
) -> None:
    """Mark in ``out`` (members, blocks) every block, from ``first`` on, that a corner lies in or at the edge of.

    ``corner_at`` (s) are sorted within each member; ``per_second``: blocks in a second. ``out`` is False before.
    """
    count = out.shape[1]
    for row in range(members.shape[0]):
        begin, end = corner_starts[members[row]], corner_starts[members[row] + 1]
        low, high = begin, end
        earliest = (first - 1.0) / per_second
        while low < high:
            middle = (low + high) // 2
            if corner_at[middle] < earliest:
                low = middle + 1
            else:
                high = middle
        for c in range(low, end):
            place = corner_at[c] * per_second - first
            if place > count + 1.0:
                break
            block = math.floor(place - 1e-6)
            if 0 <= block < count:
                out[row, block] = True
            block = math.floor(place + 1e-6)
            if 0 <= block < count:
                out[row, block] = True
