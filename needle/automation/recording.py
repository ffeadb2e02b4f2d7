"""Recording moves: what a hand did while it played becomes points of a lane.

*Touch* writes while the control is held and glides back to what was there. *Latch* goes on with the last value until
the pass ends. *Write* overwrites the whole pass. *Trim* adds what the hand does to what is there, and glides back to
nothing added. Outside what was written nothing changes. What was written is thinned (``needle.automation.thinning``).
"""

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from needle.automation.curve import Lane, Point
from needle.automation.parameters import Parameter
from needle.automation.splice import (
    SHORTEST_SECONDS,
    Points,
    piece_of,
    plain_lane,
    splice,
    value_before,
    without_doubles,
)
from needle.automation.thinning import thinned
from needle.errors import NeedleError

GLIDE_SECONDS = 0.25
"""How long *touch* and *trim* take to glide back (s), unless told otherwise."""

LONGEST_GLIDE = 10.0
MOST_SAMPLES = 200_000

_TRIM_STEP = 0.01
"""Where the lane bends, *trim* reads it at least this often (s)."""


@dataclass(frozen=True)
class Hold:
    """One time that a control was held: the values (in *trim*: what is added) at rising times (s), until ``end``."""

    samples: tuple[tuple[float, float], ...]
    end: float

    def __post_init__(self) -> None:
        times = [t for t, _ in self.samples]
        if not times or any(a >= b for a, b in itertools.pairwise(times)) or self.end < times[-1]:
            raise NeedleError("recording.hold_is_malformed")
        if not np.isfinite([*times, self.end, *(v for _, v in self.samples)]).all() or times[0] < 0.0:
            raise NeedleError("recording.hold_times_must_rise")

    @property
    def start(self) -> float:
        return self.samples[0][0]


@dataclass(frozen=True)
class Pass:
    """One run of the playhead from ``start`` to ``end`` (s), and what a control did in it; a loop makes several."""

    start: float
    end: float
    holds: tuple[Hold, ...]

    def __post_init__(self) -> None:
        if not 0.0 <= self.start < self.end:
            raise NeedleError("recording.pass_is_empty")
        if any(a.end > b.start for a, b in itertools.pairwise(self.holds)):
            raise NeedleError("recording.control_held_twice")
        if self.holds and (self.holds[0].start < self.start or self.holds[-1].end > self.end):
            raise NeedleError("recording.hold_outside_pass")
        if sum(len(hold.samples) for hold in self.holds) > MOST_SAMPLES:
            raise NeedleError("recording.too_long")


Stretch = tuple[float, float, Points]
"""Where it was written (s), and with which points."""


def _held(hold: Hold, until: float, parameter: Parameter) -> list[Point]:
    points = [Point(t, parameter.limited(value)) for t, value in hold.samples]
    return points if until <= points[-1].t else [*points, replace(points[-1], t=until)]


def _touch(lane: Lane, run: Pass, parameter: Parameter, glide: float) -> list[Stretch]:
    result = []
    for place, hold in enumerate(run.holds):
        points = _held(hold, hold.end, parameter)
        if not glide:
            result.append((hold.start, max(hold.end, hold.start + SHORTEST_SECONDS), tuple(points)))
            continue
        back = hold.end + glide
        points.append(Point(back, value_before(lane, back)))
        following = run.holds[place + 1].start if place + 1 < len(run.holds) else back
        if following < back:
            points = list(piece_of(Lane(tuple(points)), hold.start, following))
        result.append((hold.start, min(back, following), tuple(points)))
    return result


def _latch(_lane: Lane, run: Pass, parameter: Parameter, _glide: float) -> list[Stretch]:
    following = [*(hold.start for hold in run.holds[1:]), run.end][: len(run.holds)]
    return [
        (hold.start, end, tuple(_held(hold, end, parameter))) for hold, end in zip(run.holds, following, strict=True)
    ]


def _write(lane: Lane, run: Pass, parameter: Parameter, glide: float) -> list[Stretch]:
    first = piece_of(lane, run.start, run.end)[0].value
    until = run.holds[0].start if run.holds else run.end
    head = [Point(run.start, first), Point(until, first)] if until > run.start else []
    latched = [points for _, _, points in _latch(lane, run, parameter, glide)]
    return [(run.start, run.end, (*head, *(p for points in latched for p in points)))]


def _trim(lane: Lane, run: Pass, parameter: Parameter, glide: float) -> list[Stretch]:
    result = []
    for place, hold in enumerate(run.holds):
        added = [Point(t, value) for t, value in hold.samples]
        if hold.end > added[-1].t:
            added.append(replace(added[-1], t=hold.end))
        end = max(hold.end + glide, hold.start + SHORTEST_SECONDS)
        if end > added[-1].t:
            added.append(Point(end, 0.0))
        following = run.holds[place + 1].start if place + 1 < len(run.holds) else end
        end = min(end, following)
        offsets = Lane(tuple(added))
        times = np.unique(
            np.concatenate(
                [
                    [p.t for p in added if p.t <= end],
                    [t for t in lane.corners if hold.start <= t <= end],
                    np.arange(hold.start, end, _TRIM_STEP),
                    [end],
                ]
            )
        )
        values = lane.evaluate(times) + offsets.evaluate(times)
        points = [Point(float(t), parameter.limited(float(v))) for t, v in zip(times, values, strict=True)]
        result.append((hold.start, end, tuple(points)))
    return result


MODES = {"touch": _touch, "latch": _latch, "write": _write, "trim": _trim}
"""Ways of recording by name."""


def recorded_steps(
    lane: Lane, static: float, run: Pass, mode: str, parameter: Parameter, glide: float = GLIDE_SECONDS
) -> Iterator[Lane]:
    """The lane after each stretch of a pass that was written, one after the other; see ``recorded``."""
    if mode not in MODES:
        raise NeedleError("recording.unknown_mode", mode=mode, choices=MODES)
    if not 0.0 <= glide <= LONGEST_GLIDE:
        raise NeedleError("recording.glide_out_of_range", longest=LONGEST_GLIDE)
    if not run.holds and mode != "write":
        return
    whole = plain_lane(lane, static, run.start)
    steps = whole
    for start, end, points in _joined_up(MODES[mode](whole, run, parameter, glide)):
        stop = max(end, start + SHORTEST_SECONDS)
        piece = _filling(points, start, stop)
        steps = splice(steps, start, stop, thinned(piece, parameter.grain))
        yield steps


def recorded(
    lane: Lane, static: float, run: Pass, mode: str, parameter: Parameter, glide: float = GLIDE_SECONDS
) -> Lane:
    """The lane after a pass over it; ``static`` is its value if it has no points, ``glide`` the glide-back time (s).

    NeedleError for a mode that is not there, or a glide beyond ``LONGEST_GLIDE``.
    """
    steps = list(recorded_steps(lane, static, run, mode, parameter, glide))
    return steps[-1] if steps else lane


def _joined_up(stretches: Sequence[Stretch]) -> list[Stretch]:
    """Stretches that follow each other without a gap as one, so that no edge lies between them."""
    result: list[Stretch] = []
    for start, end, points in stretches:
        if result and result[-1][1] >= start:
            first, _, before = result.pop()
            result.append((first, max(end, start), (*before, *points)))
        else:
            result.append((start, end, points))
    return result


def _filling(points: Sequence[Point], start: float, end: float) -> list[Point]:
    """Points exactly from ``start`` to ``end``, one at either edge."""
    result = without_doubles(replace(p, t=min(max(p.t, start), end)) for p in points)
    return result if result[-1].t == end else [*result, replace(result[-1], t=end)]
