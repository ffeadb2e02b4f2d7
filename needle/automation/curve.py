"""Lanes: how one parameter moves over time, point by point, and its value at any moment.

A point's shape acts until the next point. Before the first and after the last point their values hold.
Where the value jumps (two points at one time, or the end of a *hold*), it ramps over ``RAMP_SECONDS``.
"""

from bisect import bisect_left
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from needle.dsp.kernels.lane_values import lane_values, shape_progress
from needle.errors import NeedleError

RAMP_SECONDS = 0.005
"""How long a jump takes (s), so that it does not click."""

SAME_VALUE = 1e-9
"""Values nearer than this are the same: between them nothing jumps."""

MAX_TIME = 24 * 3600.0
"""No point stands later than this (s)."""

Values = NDArray[np.float64]
Indices = NDArray[np.int64]

SHAPES: dict[str, Callable[[Values, Values], Values]] = {
    name: partial(shape_progress, number) for number, name in enumerate(("hold", "straight", "ease", "curve"))
}
"""Shapes by name: progress 0…1 from the share x of the way, and the point's tension (-1…1).

*ease* is 3x² - 2x³; *curve* is (e^kx - 1) / (e^k - 1) with k = 6 × tension: positive tension starts slowly.
"""

_SHAPE_LIST = list(SHAPES)


@dataclass(frozen=True)
class Point:
    """A value at a time (s), and the shape that leads on to the next point.

    Of an *ease* only the part from ``shape_start`` to ``shape_end`` (0…1 of its way) may be used: what is left of one
    that was cut, so that cutting changes nothing.
    """

    t: float
    value: float
    shape: str = "straight"
    tension: float = 0.0
    shape_start: float = 0.0
    shape_end: float = 1.0

    def __post_init__(self) -> None:
        if not 0.0 <= self.t <= MAX_TIME:
            raise NeedleError("curve.time_out_of_range", t=self.t)
        if not np.isfinite(self.value):
            raise NeedleError("curve.value_is_no_number", t=self.t)
        if self.shape not in SHAPES:
            raise NeedleError("curve.unknown_shape", shape=self.shape, choices=SHAPES)
        if not -1.0 <= self.tension <= 1.0:
            raise NeedleError("curve.tension_out_of_range")
        if not 0.0 <= self.shape_start < self.shape_end <= 1.0:
            raise NeedleError("curve.shape_part_is_empty")


@dataclass(frozen=True)
class Lane:
    """Points in the order of their times; two at one time are a jump, the later in the list comes after."""

    points: tuple[Point, ...] = ()

    def __post_init__(self) -> None:
        object.__setattr__(self, "points", tuple(self.points))
        if any(a.t > b.t for a, b in zip(self.points, self.points[1:], strict=False)):
            raise NeedleError("curve.points_out_of_order")

    @classmethod
    def of(cls, points: Iterable[dict[str, Any]]) -> "Lane":
        """A lane from plain dictionaries with the fields of ``Point``."""
        return cls(tuple(Point(**point) for point in points))

    @cached_property
    def _arrays(self) -> tuple[Values, Values, Values, NDArray[np.int64]]:
        return (
            np.array([p.t for p in self.points], dtype=np.float64),
            np.array([p.value for p in self.points], dtype=np.float64),
            np.array([p.tension for p in self.points], dtype=np.float64),
            np.array([_SHAPE_LIST.index(p.shape) for p in self.points], dtype=np.int64),
        )

    @cached_property
    def _jumps(self) -> tuple[Values, Values]:
        """Times (s) of the jumps, and the (ramped) value just before each."""
        times: list[float] = []
        lefts: list[float] = []
        i = 1
        while i < len(self.points):
            before, first = self.points[i - 1], self.points[i]
            while i + 1 < len(self.points) and self.points[i + 1].t == first.t:
                i += 1
            stays = before.t == first.t or before.shape == "hold"
            left = before.value if stays else first.value
            if abs(left - self.points[i].value) > SAME_VALUE:
                if times and first.t - times[-1] < RAMP_SECONDS:
                    left = lefts[-1] + (left - lefts[-1]) * (first.t - times[-1]) / RAMP_SECONDS
                times.append(first.t)
                lefts.append(left)
            i += 1
        return np.array(times, dtype=np.float64), np.array(lefts, dtype=np.float64)

    @property
    def jumps(self) -> Values:
        """Times (s) at which the lane jumps, ascending."""
        return self._jumps[0]

    def evaluate(self, times: ArrayLike) -> Values:
        """Tell the lane's value at each time, jumps ramped over ``RAMP_SECONDS``.

        Parameters
        ----------
        times : array_like, any shape
            In seconds.

        Returns
        -------
        float64, the same shape

        Raises
        ------
        NeedleError
            If the lane has no points: the static value holds then, which the lane does not know.

        Examples
        --------
        >>> Lane((Point(0.0, -1.0), Point(2.0, 1.0, "hold"))).evaluate([0.5, 1.0, 9.0]).tolist()
        [-0.5, 0.0, 1.0]
        """
        if not self.points:
            raise NeedleError("curve.no_points")
        t = np.asarray(times, dtype=np.float64)
        return self._alone.evaluate(np.zeros(t.size, dtype=np.int64), t.ravel()).reshape(t.shape)

    @cached_property
    def _alone(self) -> "LaneTable":
        return LaneTable((self,))

    @cached_property
    def flat(self) -> "FlatLane":
        """Its points and jumps as arrays."""
        parts = [(p.shape_start, p.shape_end) if p.shape == "ease" else (0.0, 1.0) for p in self.points]
        starts, ends = np.ascontiguousarray(np.array(parts, dtype=np.float64).T)
        return FlatLane(*self._arrays, starts, ends, *self._jumps)

    @cached_property
    def corners(self) -> Values:
        """Times (s) where the lane may bend or jump: its points and the ends of its ramps, ascending."""
        return np.unique(np.concatenate([self._arrays[0], self._jumps[0] + RAMP_SECONDS]))

    def between(self, start: float, end: float) -> tuple[Point, ...]:
        """The points that decide the lane's values from ``start`` to ``end`` (s): what a cache depends on."""
        first, last = self._deciding(start, end)
        return self.points[first:last]

    def text_between(self, start: float, end: float) -> str:
        """The same points as text."""
        first, last = self._deciding(start, end)
        return " ".join(self._texts[first:last])

    @cached_property
    def _times(self) -> list[float]:
        return [p.t for p in self.points]

    @cached_property
    def _texts(self) -> list[str]:
        return [f"{p.t!r} {p.value!r} {p.shape} {p.tension!r} {p.shape_start!r} {p.shape_end!r}" for p in self.points]

    def _deciding(self, start: float, end: float) -> tuple[int, int]:
        if not self.points:
            return 0, 0
        at = self._times
        first = max(bisect_left(at, start - RAMP_SECONDS) - 1, 0)
        while first > 0 and at[first] - at[first - 1] < RAMP_SECONDS:
            first -= 1
        nearest = bisect_left(at, end)
        last = nearest + 1
        while 0 < last < len(at) and at[last] == at[last - 1]:
            last += 1
        if 0 < nearest < len(at) and self.points[nearest - 1].shape == "hold":
            last = nearest
        return first, last

    def with_range(self, start: float, end: float, points: Iterable[Point]) -> "Lane":
        """The lane with everything from ``start`` to ``end`` (s, both included) replaced by ``points``.

        NeedleError if one of ``points`` stands outside the range.
        """
        new_points = tuple(points)
        if any(not start <= p.t <= end for p in new_points):
            raise NeedleError("curve.points_outside_range")
        before = tuple(p for p in self.points if p.t < start)
        after = tuple(p for p in self.points if p.t > end)
        return Lane(before + new_points + after)

    def in_range(self, start: float, end: float) -> tuple[Point, ...]:
        """The points from ``start`` to ``end`` (s), both included."""
        return tuple(p for p in self.points if start <= p.t <= end)

    def shifted(self, by: float, low: float, high: float) -> "Lane":
        """The lane with ``by`` added to every point, none beyond ``low`` and ``high``."""
        return Lane(tuple(replace(p, value=min(max(p.value + by, low), high)) for p in self.points))


class FlatLane(NamedTuple):
    """A lane as arrays: of its points (time s, value, tension, shape, part of the shape) and of its jumps."""

    at: Values
    value: Values
    tension: Values
    shape: Indices
    shape_start: Values
    shape_end: Values
    jump_at: Values
    jump_left: Values


class LaneTable:
    """Many lanes, none without points, whose values are told together."""

    def __init__(self, lanes: Sequence[Lane]) -> None:
        flat = [lane.flat for lane in lanes]
        columns = [np.concatenate(column) for column in zip(*flat, strict=True)] if flat else [np.zeros(0)] * 8
        at, value, tension, shape, shape_start, shape_end, jump_at, jump_left = columns
        starts, jump_starts = (
            np.cumsum([0, *(len(getattr(lane, name)) for lane in flat)], dtype=np.int64) for name in ("at", "jump_at")
        )
        self._points = starts, at, value, shape.astype(np.int64), tension, shape_start, shape_end
        self._jumps = jump_starts, jump_at, jump_left

    def evaluate(self, lanes: Indices, times: Values) -> Values:
        """The value of lane ``lanes[n]`` (its place in the table) at ``times[n]`` (s): float64 (n,)."""
        out = np.empty(len(times))
        lane_values(*self._points, *self._jumps, RAMP_SECONDS, lanes, np.ascontiguousarray(times), out)
        return out


POINT_DEFAULTS = {"shape": Point.shape, "tension": Point.tension}
"""What a stored point that leaves them out has."""

_WHOLE = {"shape_start": Point.shape_start, "shape_end": Point.shape_end}


def stored(points: Iterable[Point]) -> list[dict[str, Any]]:
    """Points as plain dictionaries; that a shape is whole goes without saying."""
    return [{k: v for k, v in vars(point).items() if k not in _WHOLE or v != _WHOLE[k]} for point in points]
