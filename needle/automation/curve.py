"""Lanes: how one parameter moves over time, point by point, and its value at any moment.

A point's shape acts until the next point. Before the first and after the last point their values hold.
Where the value jumps (two points at one time, or the end of a *hold*), it ramps over ``RAMP_SECONDS``.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from needle.errors import NeedleError

RAMP_SECONDS = 0.005
"""How long a jump takes (s), so that it does not click."""

SAME_VALUE = 1e-9
"""Values nearer than this are the same: between them nothing jumps."""

MAX_TIME = 24 * 3600.0
"""No point stands later than this (s)."""

_CURVE_STEEPNESS = 6.0

Values = NDArray[np.float64]


def _hold(x: Values, _tension: Values) -> Values:
    return np.zeros_like(x)


def _straight(x: Values, _tension: Values) -> Values:
    return x


def _ease(x: Values, _tension: Values) -> Values:
    return x * x * (3.0 - 2.0 * x)


def _curve(x: Values, tension: Values) -> Values:
    k = tension * _CURVE_STEEPNESS
    flat = np.abs(k) < 1e-6
    steep = np.where(flat, 1.0, k)
    return np.where(flat, x, np.expm1(steep * x) / np.expm1(steep))


SHAPES: dict[str, Callable[[Values, Values], Values]] = {
    "hold": _hold,
    "straight": _straight,
    "ease": _ease,
    "curve": _curve,
}
"""Shapes by name: progress 0…1 from the share x of the way, and the point's tension (-1…1).

*ease* is 3x² - 2x³; *curve* is (e^kx - 1) / (e^k - 1) with k = 6 × tension: positive tension starts slowly.
"""

_SHAPE_LIST = list(SHAPES)


@dataclass(frozen=True)
class Point:
    """A value at a time (s), and the shape that leads on to the next point.

    Of an *ease* only the part from ``begins`` to ``ends`` (0…1 of its way) may be used: what is left of one that was
    cut, so that cutting changes nothing.
    """

    t: float
    value: float
    shape: str = "straight"
    tension: float = 0.0
    begins: float = 0.0
    ends: float = 1.0

    def __post_init__(self) -> None:
        if not 0.0 <= self.t <= MAX_TIME:
            raise NeedleError(f"A point cannot stand at {self.t} s. Times run from 0 to 24 hours.")
        if not np.isfinite(self.value):
            raise NeedleError(f"The point at {self.t} s needs a number for its value.")
        if self.shape not in SHAPES:
            raise NeedleError(f"There is no shape “{self.shape}”. Choose {', '.join(SHAPES)}.")
        if not -1.0 <= self.tension <= 1.0:
            raise NeedleError("Tension lies between -1 and 1.")
        if not 0.0 <= self.begins < self.ends <= 1.0:
            raise NeedleError("The part of a shape that is used begins before it ends, within 0 and 1.")


@dataclass(frozen=True)
class Lane:
    """Points in the order of their times; two at one time are a jump, the later in the list comes after."""

    points: tuple[Point, ...] = ()

    def __post_init__(self) -> None:
        object.__setattr__(self, "points", tuple(self.points))
        if any(a.t > b.t for a, b in zip(self.points, self.points[1:], strict=False)):
            raise NeedleError("Points must stand in the order of their times.")

    @classmethod
    def of(cls, points: Iterable[dict[str, Any]]) -> "Lane":
        """A lane from plain dictionaries with the fields of ``Point``."""
        return cls(tuple(Point(**point) for point in points))

    @cached_property
    def _arrays(self) -> tuple[Values, Values, Values, NDArray[np.int64]]:
        return (
            np.array([p.t for p in self.points]),
            np.array([p.value for p in self.points]),
            np.array([p.tension for p in self.points]),
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
        return np.array(times), np.array(lefts)

    @property
    def jumps(self) -> Values:
        """Times (s) at which the lane jumps, ascending."""
        return self._jumps[0]

    def evaluate(self, times: ArrayLike) -> Values:
        """The lane's value at each time (s), jumps ramped; the same shape as ``times``.

        NeedleError if the lane has no points: the static value holds then, which the lane does not know.
        """
        if not self.points:
            raise NeedleError("A lane without points has no value of its own.")
        t = np.asarray(times, dtype=np.float64)
        at, value, tension, shape = self._arrays
        if len(self.points) == 1:
            return np.full(t.shape, value[0])
        here = np.searchsorted(at, t, side="right") - 1
        i = np.minimum(np.maximum(here, 0), len(at) - 2)
        start, low = at[i], value[i]
        span = at[i + 1] - start
        x = np.minimum(np.maximum((t - start) / np.maximum(span, 1e-12), 0.0), 1.0)
        result = low + (value[i + 1] - low) * self._progress(x, i, tension, shape)
        return self._ramped(t, np.where(here >= len(at) - 1, value[-1], result))

    @cached_property
    def _parts(self) -> tuple[Values, Values] | None:
        """Where the used part of every point's shape begins and ends; None if all are whole."""
        parts = np.array([(p.begins, p.ends) if p.shape == "ease" else (0.0, 1.0) for p in self.points]).T
        return None if (parts[0] == 0.0).all() and (parts[1] == 1.0).all() else (parts[0], parts[1])

    def _progress(self, x: Values, i: NDArray[np.int64], tension: Values, shape: NDArray[np.int64]) -> Values:
        if self._parts is None:
            return self._whole_progress(x, i, tension, shape)
        begins, ends = (edge[i] for edge in self._parts)
        low, here, high = (
            self._whole_progress(share, i, tension, shape) for share in (begins, begins + (ends - begins) * x, ends)
        )
        cut = ends - begins < 1.0
        span = np.where(cut & (high - low > 1e-12), high - low, 1.0)
        return np.where(cut, np.where(high - low > 1e-12, (here - low) / span, x), here)

    @staticmethod
    def _whole_progress(x: Values, i: NDArray[np.int64], tension: Values, shape: NDArray[np.int64]) -> Values:
        kinds = shape[i]
        lowest, highest = (kinds.min(), kinds.max()) if kinds.size else (0, 0)
        if lowest == highest:
            return SHAPES[_SHAPE_LIST[lowest]](x, tension[i])
        progress = np.empty_like(x)
        for kind in range(lowest, highest + 1):
            chosen = kinds == kind
            progress[chosen] = SHAPES[_SHAPE_LIST[kind]](x[chosen], tension[i][chosen])
        return progress

    def _ramped(self, t: Values, result: Values) -> Values:
        jump_at, left = self._jumps
        if not jump_at.size:
            return result
        latest = np.searchsorted(jump_at, t, side="right") - 1
        k = np.maximum(latest, 0)
        x = (t - jump_at[k]) / RAMP_SECONDS
        return np.where((latest >= 0) & (x < 1.0), left[k] + (result - left[k]) * x, result)

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
    def _texts(self) -> list[str]:
        return [f"{p.t!r} {p.value!r} {p.shape} {p.tension!r} {p.begins!r} {p.ends!r}" for p in self.points]

    def _deciding(self, start: float, end: float) -> tuple[int, int]:
        if not self.points:
            return 0, 0
        at = self._arrays[0]
        first = max(int(np.searchsorted(at, start - RAMP_SECONDS, side="left")) - 1, 0)
        while first > 0 and at[first] - at[first - 1] < RAMP_SECONDS:
            first -= 1
        nearest = int(np.searchsorted(at, end, side="left"))
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
        fresh = tuple(points)
        if any(not start <= p.t <= end for p in fresh):
            raise NeedleError("New points must stand inside the range they replace.")
        before = tuple(p for p in self.points if p.t < start)
        after = tuple(p for p in self.points if p.t > end)
        return Lane(before + fresh + after)

    def in_range(self, start: float, end: float) -> tuple[Point, ...]:
        """The points from ``start`` to ``end`` (s), both included."""
        return tuple(p for p in self.points if start <= p.t <= end)

    def shifted(self, by: float, low: float, high: float) -> "Lane":
        """The lane with ``by`` added to every point, none beyond ``low`` and ``high``."""
        return Lane(tuple(replace(p, value=min(max(p.value + by, low), high)) for p in self.points))


_WHOLE = {"begins": 0.0, "ends": 1.0}


def stored(points: Iterable[Point]) -> list[dict[str, Any]]:
    """Points as plain dictionaries; that a shape is whole goes without saying."""
    return [{k: v for k, v in vars(point).items() if k not in _WHOLE or v != _WHOLE[k]} for point in points]
