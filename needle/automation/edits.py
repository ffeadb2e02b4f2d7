"""Range operations: what an engineer does with a stretch of a lane.

Each is a small class that makes other points of a stretch's points; ``changed`` takes the stretch out of the lane and
puts it back, so that outside nothing changes. The names under which they are asked for are in ``EDITS``.
"""

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import ClassVar

import numpy as np

from needle.automation.curve import MAX_TIME, SHAPES, Lane, Point
from needle.automation.grid import Grid, even_beats
from needle.automation.parameters import Parameter
from needle.automation.splice import SHORTEST_SECONDS, Points, piece_of, plain_lane, splice, stayed, without_doubles
from needle.automation.thinning import thinned
from needle.errors import NeedleError
from needle.tempo import TempoMap

MOST_CROSSINGS = 512
MOST_POINTS = 20_000
"""A lane holds this many points at the most."""

_SMOOTHING_STEPS = 24


@dataclass(frozen=True)
class Surroundings:
    """What an edit may ask about: the parameter's limits, the tempo, how long the piece is (s)."""

    parameter: Parameter
    tempo: TempoMap
    length: float


class RangeEdit:
    """What is done to a stretch. ``title`` is said of it, as in “Oars: bars 19–22 mirrored”."""

    title: ClassVar[str]

    def begin(self, start: float, end: float) -> float:
        """Where the stretch that is written begins (s)."""
        return start

    def end(self, start: float, end: float) -> float:
        """Where the stretch that is written ends (s)."""
        return end

    def on_other_side(self) -> "RangeEdit":
        """The same for the other side: places that it names lie opposite."""
        return self

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        """The new points from ``self.begin(start, end)`` to ``self.end(start, end)``, the outer ones exact."""
        raise NotImplementedError


class _Values(RangeEdit):
    """An edit that gives every point another value and leaves times and shapes."""

    def value(self, value: float) -> float:
        raise NotImplementedError

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        return [replace(p, value=around.parameter.limited(self.value(p.value)) + 0.0) for p in piece]


@dataclass(frozen=True)
class Shift(_Values):
    """Adds ``by`` to every value; none leaves the parameter's limits."""

    by: float
    title: ClassVar[str] = "shifted"

    def value(self, value: float) -> float:
        return value + self.by


@dataclass(frozen=True)
class Widen(_Values):
    """Scales the values about ``centre``: ``factor`` over 1 widens the move, below it narrows it."""

    factor: float
    centre: float = 0.0
    title: ClassVar[str] = "widened"

    def __post_init__(self) -> None:
        if not 0.0 <= self.factor <= 100.0:
            raise NeedleError("range_edit.scale_out_of_range")

    def value(self, value: float) -> float:
        return self.centre + (value - self.centre) * self.factor


@dataclass(frozen=True)
class Mirror(_Values):
    """Exchanges what lies on either side of ``centre``; done twice, everything is as it was."""

    centre: float = 0.0
    title: ClassVar[str] = "mirrored"

    def value(self, value: float) -> float:
        return 2.0 * self.centre - value


def _turned(point: Point) -> Point:
    """The shape of a segment when it is gone through from its end."""
    if point.shape == "curve":
        return replace(point, tension=-point.tension)
    return replace(point, shape_start=1.0 - point.shape_end, shape_end=1.0 - point.shape_start)


@dataclass(frozen=True)
class Reverse(RangeEdit):
    """The stretch from its end to its beginning; done twice, everything is as it was."""

    title: ClassVar[str] = "reversed"

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        return reversed_piece(piece, start, end)


def reversed_piece(piece: Points, start: float, end: float) -> list[Point]:
    """Points of a stretch gone through backwards: what led to a point leads away from it."""
    result: list[Point] = []
    for place in range(len(piece) - 1, -1, -1):
        t = piece[place].t
        # The edges exactly: a sum of times is not.
        at = start if t == end else end if t == start else min(max(start + end - t, start), end)
        leads = piece[place - 1] if place else piece[place]
        if place and leads.shape == "hold":
            # Backwards a hold stays at the value that it held, and jumps where it began.
            result += [Point(at, piece[place].value), Point(at, leads.value, "hold")]
        elif place and leads.t == piece[place].t:
            result.append(Point(at, piece[place].value))
        else:
            result.append(replace(_turned(leads), t=at, value=piece[place].value))
    result[-1] = replace(result[-1], shape="straight", tension=0.0, shape_start=0.0, shape_end=1.0)
    return without_doubles(result)


@dataclass(frozen=True)
class Stretch(RangeEdit):
    """The stretch in ``seconds``: longer, it takes the place of what follows; shorter, it stays where it ends."""

    seconds: float
    title: ClassVar[str] = "stretched"

    def __post_init__(self) -> None:
        if not SHORTEST_SECONDS <= self.seconds <= MAX_TIME:
            raise NeedleError("range_edit.too_short", shortest=round(SHORTEST_SECONDS * 1000))

    def end(self, start: float, end: float) -> float:
        return max(end, start + self.seconds)

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        factor = self.seconds / (end - start)
        moved = [replace(p, t=start + (p.t - start) * factor) for p in piece]
        moved[-1] = replace(moved[-1], t=start + self.seconds)
        rest = self.end(start, end)
        return moved if rest <= start + self.seconds else [*moved, Point(rest, moved[-1].value)]


@dataclass(frozen=True)
class MoveInTime(RangeEdit):
    """The stretch ``by`` seconds later, or earlier; it takes the place of what it comes upon.

    Where it leaves time behind, the line waits: before a later one at its first value, after an earlier one at its
    last.
    """

    by: float
    title: ClassVar[str] = "moved in time"

    def _moved(self, start: float, end: float) -> tuple[float, float]:
        by = max(self.by, -start)
        return start + by, end + by

    def begin(self, start: float, end: float) -> float:
        return min(start, self._moved(start, end)[0])

    def end(self, start: float, end: float) -> float:
        return max(end, self._moved(start, end)[1])

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        first, last = self._moved(start, end)
        inner = [replace(p, t=min(p.t + (first - start), last)) for p in piece[1:-1]]
        moved = [replace(piece[0], t=first), *inner, replace(piece[-1], t=last)]
        if first > start:
            return [Point(start, piece[0].value), *moved]
        return [*moved, Point(end, piece[-1].value)] if last < end else moved


@dataclass(frozen=True)
class Smooth(RangeEdit):
    """A moving average over ``seconds`` about every moment; both edges keep their values."""

    seconds: float = 0.25
    title: ClassVar[str] = "smoothed"

    def __post_init__(self) -> None:
        if not 0.005 <= self.seconds <= 60.0:
            raise NeedleError("range_edit.smoothing_out_of_range")

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        step = max(self.seconds / _SMOOTHING_STEPS, 0.002, (end - start) / (MOST_POINTS / 2))
        count = max(math.ceil((end - start) / step), 2)
        times = np.linspace(start, end, count + 1)
        values = Lane(piece).evaluate(times)
        values[0], values[-1] = piece[0].value, piece[-1].value
        half = min(max(round(self.seconds / 2.0 / (times[1] - times[0])), 1), count)
        # Turned about both edge values, the average there is the edge value itself.
        head = 2.0 * values[0] - values[half:0:-1]
        tail = 2.0 * values[-1] - values[-2 : -half - 2 : -1]
        summed = np.cumsum(np.concatenate([[0.0], head, values, tail]))
        width = 2 * half + 1
        smooth = (summed[width:] - summed[:-width]) / width
        smooth[0], smooth[-1] = values[0], values[-1]
        limited = [around.parameter.limited(float(v)) for v in smooth]
        return thinned([Point(float(t), v) for t, v in zip(times, limited, strict=True)], around.parameter.grain)


@dataclass(frozen=True)
class Thin(RangeEdit):
    """Takes points away that straight lines tell as well, within ``grain`` (the parameter's own if None)."""

    grain: float | None = None
    title: ClassVar[str] = "thinned"

    def __post_init__(self) -> None:
        if self.grain is not None and not 0.0 < self.grain < math.inf:
            raise NeedleError("range_edit.simplify_not_positive")

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        return thinned(piece, around.parameter.grain if self.grain is None else self.grain)


@dataclass(frozen=True)
class Quantise(RangeEdit):
    """Moves the points inside towards the grid's nearest lines, by a ``strength`` of 0…1; edges stay."""

    parts: int = 4
    strength: float = 1.0
    title: ClassVar[str] = "put on the grid"

    def __post_init__(self) -> None:
        if not 0.0 <= self.strength <= 1.0:
            raise NeedleError("range_edit.strength_out_of_range")

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        grid = Grid(around.tempo, max(around.length, end), self.parts)

        def moved(at: float) -> float:
            return min(max(at + self.strength * (grid.nearest(at) - at), start), end)

        inner = [replace(p, t=moved(p.t)) for p in piece[1:-1]]
        return without_doubles([piece[0], *inner, piece[-1]])


@dataclass(frozen=True)
class Hold(RangeEdit):
    """One value through the whole stretch."""

    value: float
    title: ClassVar[str] = "held"

    def on_other_side(self) -> RangeEdit:
        return replace(self, value=-self.value)

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        value = around.parameter.limited(self.value)
        return [Point(start, value, "hold"), Point(end, value)]


@dataclass(frozen=True)
class Sweep(RangeEdit):
    """So many ``crossings`` from one value to another and back, each equally many beats long, arriving at the end.

    One crossing is a ramp. ``shape`` and ``tension`` are those of every crossing; with *hold* it is stepped.
    """

    from_value: float
    to_value: float
    crossings: int = 1
    shape: str = "ease"
    tension: float = 0.0
    title: ClassVar[str] = "swept"

    def __post_init__(self) -> None:
        if not 1 <= self.crossings <= MOST_CROSSINGS:
            raise NeedleError("range_edit.crossings_out_of_range", most=MOST_CROSSINGS)
        if self.shape not in SHAPES:
            raise NeedleError("curve.unknown_shape", shape=self.shape, choices=SHAPES)

    def on_other_side(self) -> RangeEdit:
        return replace(self, from_value=-self.from_value, to_value=-self.to_value)

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        ends = [around.parameter.limited(v) for v in (self.from_value, self.to_value)]
        edges = even_beats(around.tempo, start, end, self.crossings)
        return [Point(at, ends[i % 2], self.shape, self.tension) for i, at in enumerate(edges)]


@dataclass(frozen=True)
class Delete(RangeEdit):
    """Takes the points inside away: a straight line from edge to edge."""

    title: ClassVar[str] = "cleared"

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        return [Point(start, piece[0].value), Point(end, piece[-1].value)]


@dataclass(frozen=True)
class Paste(RangeEdit):
    """Other points, given from 0 s on, in place of what is there; ``mirrored``: left and right exchanged."""

    clip: Points
    mirrored: bool = False
    title: ClassVar[str] = "pasted"

    def __post_init__(self) -> None:
        if len(self.clip) < 2 or self.clip[0].t != 0.0:
            raise NeedleError("range_edit.clip_is_incomplete")

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        sign = -1.0 if self.mirrored and around.parameter.mirrors else 1.0
        result = [
            replace(p, t=min(start + p.t, end), value=around.parameter.limited(sign * p.value) + 0.0)
            for p in self.clip
        ]
        result[-1] = replace(result[-1], t=end)
        return result


@dataclass(frozen=True)
class Draw(RangeEdit):
    """A line drawn by hand: ``samples`` (s, value) at rising times; ``shape`` *hold* makes steps of them.

    A freehand line (*straight*) is thinned. The line begins with its first value and ends with its last.
    """

    samples: tuple[tuple[float, float], ...]
    shape: str = "straight"
    title: ClassVar[str] = "drawn"

    def __post_init__(self) -> None:
        times = [t for t, _ in self.samples]
        if not times or any(a >= b for a, b in itertools.pairwise(times)):
            raise NeedleError("range_edit.drawn_times_must_rise")
        if self.shape not in SHAPES:
            raise NeedleError("curve.unknown_shape", shape=self.shape, choices=SHAPES)

    def points(self, piece: Points, start: float, end: float, around: Surroundings) -> Sequence[Point]:
        line = [Point(t, around.parameter.limited(v), self.shape) for t, v in self.samples if start <= t <= end]
        line = line or [Point(start, around.parameter.limited(self.samples[0][1]), self.shape)]
        edged = [replace(line[0], t=start), *line, replace(line[-1], t=end)]
        return thinned(without_doubles(edged), around.parameter.grain)


EDITS: dict[str, Callable[..., RangeEdit]] = {
    "shift": Shift,
    "widen": Widen,
    "mirror": Mirror,
    "reverse": Reverse,
    "stretch": Stretch,
    "move": MoveInTime,
    "smooth": Smooth,
    "thin": Thin,
    "quantise": Quantise,
    "hold": Hold,
    "ramp": partial(Sweep, crossings=1),
    "sweep": Sweep,
    "delete": Delete,
    "draw": Draw,
}
"""Every range operation by name."""


def changed(
    lane: Lane,
    static: float,
    start: float,
    end: float,
    edit: RangeEdit,
    around: Surroundings,
    glide: float = 0.0,
    stay: bool = False,
) -> Lane:
    """The lane with an edit made from ``start`` to ``end`` (s); ``static`` is its value if it has no points.

    Outside the stretch every value stays as it is, to the sample; ``glide`` (s) leads there and back inside it. With
    ``stay`` the lane keeps the value it arrives with until its next point, or for good. NeedleError where the stretch
    is too short or the edit cannot be made.
    """
    if end <= start:
        raise NeedleError("range_edit.range_is_empty")
    whole = plain_lane(lane, static, start)
    begin, stop = edit.begin(start, end), edit.end(start, end)
    piece = tuple(edit.points(piece_of(whole, start, end), start, end, around))
    written = stayed(whole, begin, stop, piece) if stay else splice(whole, begin, stop, piece, glide)
    if len(written.points) > MOST_POINTS:
        raise NeedleError("range_edit.too_many_points", most=MOST_POINTS)
    return written
