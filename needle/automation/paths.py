"""Paths on the plan: shapes that a source goes along from one time to another, as points of its lanes.

Places are room coordinates, left to right and back to front. What is drawn by hand keeps its own pace.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Point
from needle.automation.parameters import PARAMETERS
from needle.automation.thinning import thinned
from needle.errors import NeedleError

Values = NDArray[np.float64]
Course = Callable[["Path", Values], tuple[Values, Values]]

_PER_TURN = 128
_STEPS = 256
MOST_DRAWN = 5000
MOST_TURNS = 64.0


@dataclass(frozen=True)
class Path:
    """A shape about ``centre`` (x, y): it begins at ``angle`` (degrees, 0 in front, + to the left) and ``radius``,
    and goes ``turns`` round (+ to the left) to the radius ``end_radius``.

    A line leads from ``centre`` to ``to``. ``drawn`` are (share of the time 0…1, x, y). ``rise`` is the height at its
    beginning and end, None if it keeps what it has.
    """

    kind: str
    centre: tuple[float, float] = (0.0, 0.0)
    to: tuple[float, float] = (0.0, 0.0)
    radius: float = 1.0
    end_radius: float = 1.0
    angle: float = 0.0
    turns: float = 1.0
    drawn: tuple[tuple[float, float, float], ...] = ()
    rise: tuple[float, float] | None = None

    def __post_init__(self) -> None:
        if self.kind not in PATHS:
            raise NeedleError("path.unknown", kind=self.kind, choices=PATHS)
        if not abs(self.turns) <= MOST_TURNS:
            raise NeedleError("path.too_many_turns", most=MOST_TURNS)
        if self.kind == "drawn" and not 2 <= len(self.drawn) <= MOST_DRAWN:
            raise NeedleError("path.drawn_path_is_short")
        shares = [share for share, _, _ in self.drawn]
        if sorted(shares) != shares or any(not 0.0 <= share <= 1.0 for share in shares):
            raise NeedleError("path.drawn_times_must_rise")


def _round(path: Path, share: Values, end_radius: float) -> tuple[Values, Values]:
    turn = np.radians(path.angle + 360.0 * path.turns * share)
    radius = path.radius + (end_radius - path.radius) * share
    return path.centre[0] - radius * np.sin(turn), path.centre[1] + radius * np.cos(turn)


def _circle(path: Path, share: Values) -> tuple[Values, Values]:
    return _round(path, share, path.radius)


def _spiral(path: Path, share: Values) -> tuple[Values, Values]:
    return _round(path, share, path.end_radius)


def _line(path: Path, share: Values) -> tuple[Values, Values]:
    (x, y), (to_x, to_y) = path.centre, path.to
    return x + (to_x - x) * share, y + (to_y - y) * share


def _drawn(path: Path, share: Values) -> tuple[Values, Values]:
    at, x, y = np.array(path.drawn).T
    return np.interp(share, at, x), np.interp(share, at, y)


PATHS: Mapping[str, tuple[str, str, Course]] = {
    "circle": ("circle", "Whole turns round a place.", _circle),
    "arc": ("arc", "Part of a turn.", _circle),
    "line": ("line", "Straight from one place to another.", _line),
    "spiral": ("spiral", "Turns that draw near or go away.", _spiral),
    "drawn": ("drawn", "As it was drawn on the plan.", _drawn),
}
"""Every shape by name: title, sentence, and where it is at a share of its time."""


def path_points(path: Path, start: float, end: float) -> dict[str, tuple[Point, ...]]:
    """The points of ``pan`` and ``front``, and of ``height`` if it rises, from ``start`` to ``end`` (s), thinned.

    Both ends are exact; everything is kept within the room. NeedleError if the time does not run.
    """
    if not 0.0 <= start < end:
        raise NeedleError("path.ends_before_it_begins")
    steps = max(_STEPS, int(np.ceil(abs(path.turns) * _PER_TURN)) if path.kind != "drawn" else _STEPS)
    share = np.linspace(0.0, 1.0, steps + 1)
    if path.kind == "drawn":
        share = np.unique(np.concatenate([share, [one for one, _, _ in path.drawn]]))
    x, y = PATHS[path.kind][2](path, share)
    lanes = {"pan": _points(x, share, start, end, "pan"), "front": _points(y, share, start, end, "front")}
    if path.rise is not None:
        low, high = path.rise
        lanes["height"] = _points(low + (high - low) * share, share, start, end, "height")
    return lanes


def _points(values: Values, share: Values, start: float, end: float, parameter: str) -> tuple[Point, ...]:
    limits = PARAMETERS[parameter]
    limited = np.clip(values, limits.low, limits.high)
    times = start + (end - start) * share
    return thinned([Point(float(t), float(v)) for t, v in zip(times, limited, strict=True)], limits.grain)
