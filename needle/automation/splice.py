"""A stretch of a lane: taken out exactly, changed, and put back so that nothing outside it changes.

Cutting a lane in the middle of a shape leaves every value as it was: of a *curve* both parts are curves of less
tension, of an *ease* both keep their part of it.
"""

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from needle.automation.curve import RAMP_SECONDS, SAME_VALUE, Lane, Point
from needle.errors import NeedleError

SHORTEST_SECONDS = 4 * RAMP_SECONDS
"""A stretch that is changed lasts at least this long (s)."""

SAME_MOMENT = 1e-9
"""Times nearer than this (s) are the same: a sum of two is not exact."""

Points = tuple[Point, ...]


def plain_lane(lane: Lane, static: float, at: float = 0.0) -> Lane:
    """``lane``, or, if it has no points, one that stays at the ``static`` value, with its point at ``at`` (s)."""
    return lane if lane.points else Lane((Point(at, static),))


def value_before(lane: Lane, at: float) -> float:
    """The value that the lane arrives with at a time (s), ramps left out: where it jumps, the one before."""
    earlier = [p for p in lane.points if p.t < at]
    at_moment = [p for p in lane.points if p.t == at]
    if not earlier:
        return (at_moment or list(lane.points))[0].value
    if earlier[-1].shape == "hold":
        return earlier[-1].value
    if at_moment:
        return at_moment[0].value
    return _between(lane, at)


def value_after(lane: Lane, at: float) -> float:
    """The value that the lane goes on with from a time (s), ramps left out: where it jumps, the one after."""
    at_moment = [p for p in lane.points if p.t == at]
    return at_moment[-1].value if at_moment else _between(lane, at)


def _between(lane: Lane, at: float) -> float:
    """The value where no point stands, as if no jump had a ramp."""
    earlier = [p for p in lane.points if p.t < at]
    later = [p for p in lane.points if p.t > at]
    if not earlier or not later:
        return (earlier[-1:] or later)[0].value
    return float(Lane((earlier[-1], later[0])).evaluate(at)) if earlier[-1].shape != "hold" else earlier[-1].value


def _halves(point: Point, share: float) -> tuple[dict[str, Any], dict[str, Any]]:
    """What becomes of a shape's tension and part on either side of a cut at a share (0…1) of its way."""
    if point.shape == "curve":
        return {"tension": point.tension * share}, {"tension": point.tension * (1.0 - share)}
    if point.shape == "ease":
        middle = point.shape_start + share * (point.shape_end - point.shape_start)
        if point.shape_start < middle < point.shape_end:
            return {"shape_end": middle}, {"shape_start": middle}
    return {}, {}


def cut(lane: Lane, at: float) -> Lane:
    """The lane with a point at a time (s) where there was none; its values stay as they are."""
    if not lane.points or any(p.t == at for p in lane.points):
        return lane
    count = sum(p.t < at for p in lane.points)
    before, after = lane.points[:count], lane.points[count:]
    value = _between(lane, at)
    if not before:
        return Lane((Point(at, value), *after))
    last = before[-1]
    if not after:
        return Lane((*before, replace(last, t=at, value=value, shape_start=0.0, shape_end=1.0)))
    share = (at - last.t) / (after[0].t - last.t)
    first, second = _halves(last, share)
    return Lane((*before[:-1], replace(last, **first), replace(last, t=at, value=value, **second), *after))


def piece_of(lane: Lane, start: float, end: float) -> Points:
    """The lane from ``start`` to ``end`` (s) as points of its own, one at either edge; the lane has points."""
    whole = cut(cut(lane, start), end)
    inner = [p for p in whole.points if start < p.t < end]
    first = [p for p in whole.points if p.t == start][-1]
    return (first, *inner, Point(end, value_before(lane, end)))


def _until(lane: Lane, at: float) -> Points:
    """The lane up to a time (s), ending in the value that it arrives with."""
    earlier = [p for p in cut(lane, at).points if p.t < at]
    return (*earlier, Point(at, value_before(lane, at)))


def _from(lane: Lane, at: float) -> Points:
    """The lane from a time (s) on, beginning with the value that it goes on with."""
    whole = cut(lane, at).points
    return ([p for p in whole if p.t == at][-1], *(p for p in whole if p.t > at))


def splice(lane: Lane, start: float, end: float, piece: Points, glide: float = 0.0) -> Lane:
    """The lane with ``piece``, whose points stand from ``start`` to ``end`` (s), in place of what was there.

    Where the piece does not meet what is outside, the lane jumps at the edge, its ramp after it: the one at ``end``
    belongs to what begins there, and only for its ``RAMP_SECONDS`` does anything outside change. Or it glides there
    and back over ``glide`` seconds inside the stretch. The lane has points. NeedleError for a stretch shorter than
    ``SHORTEST_SECONDS``, or than both glides.
    """
    wanted = max(SHORTEST_SECONDS, 2.0 * glide)
    if end - start < wanted - SAME_MOMENT:
        raise NeedleError("splice.range_too_short", wanted=round(wanted * 1000))
    before, after = _until(lane, start), _from(lane, end)
    if glide:
        meets_before = abs(before[-1].value - piece[0].value) <= SAME_VALUE
        meets_after = abs(value_before(lane, end) - piece[-1].value) <= SAME_VALUE
        low = start if meets_before else start + glide
        high = end if meets_after else end - glide
        piece = piece_of(Lane(piece), low, high)
        if not meets_after:
            piece = (*piece[:-1], replace(piece[-1], shape="straight"), Point(end, value_before(lane, end)))
    return Lane(_joined(_joined(before, piece), after))


def stayed(lane: Lane, start: float, end: float, piece: Points) -> Lane:
    """The lane with ``piece`` from ``start`` to ``end`` (s), whose last value holds until the lane's next point."""
    later = tuple(p for p in lane.points if p.t > end)
    last = replace(piece[-1], shape="hold" if later else "straight", tension=0.0, shape_start=0.0, shape_end=1.0)
    return Lane((*_joined(_until(lane, start), (*piece[:-1], last)), *later))


def _joined(first: Points, second: Points) -> Points:
    """Two runs of points one after the other; where they meet in one value, one point stands there."""
    if first[-1].t == second[0].t and abs(first[-1].value - second[0].value) <= SAME_VALUE:
        return (*first[:-1], *second)
    if len(first) > 1 and first[-2].shape == "hold" and first[-1].t == second[0].t:
        # A hold arrives with its own value and jumps: it needs no point for that.
        return (*first[:-1], *second)
    return (*first, *second)


def without_doubles(points: Iterable[Point]) -> list[Point]:
    """At most two points at one time, the first and the last; at either edge the one that is inside."""
    result: list[Point] = []
    for point in points:
        crowded = len(result) > 1 and result[-2].t == point.t
        if crowded or (result and result[-1].t == point.t and result[-1].value == point.value):
            result[-1] = point
        else:
            result.append(point)
    while len(result) > 2 and result[0].t == result[1].t:
        del result[0]
    while len(result) > 2 and result[-1].t == result[-2].t:
        del result[-1]
    return result


def written(before: Lane, after: Lane) -> tuple[float, float, Points] | None:
    """The shortest stretch (s) and its new points that make one lane of another; None if they are the same.

    ``before.with_range(start, end, points)`` is ``after``.
    """
    old, new = before.points, after.points
    if old == new:
        return None
    head = 0
    while head < min(len(old), len(new)) and old[head] == new[head]:
        head += 1
    tail = 0
    while tail < min(len(old), len(new)) - head and old[-1 - tail] == new[-1 - tail]:
        tail += 1
    changed = [*old[head : len(old) - tail], *new[head : len(new) - tail]]
    start, end = min(p.t for p in changed), max(p.t for p in changed)
    return start, end, after.in_range(start, end)
