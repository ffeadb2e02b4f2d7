"""Writing a pulse out as points: lanes that do what it does, thinned, so that it can be edited point by point.

What moves levels is told by the lanes that a source has: a source at one place by its pan and trim, one of two sides
by each side's level.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from needle.automation.curve import RAMP_SECONDS, Lane, Point, Values
from needle.automation.parameters import PARAMETERS
from needle.automation.thinning import breakpoints
from needle.autopan.pulse import Pulsing
from needle.dsp.pan_laws import law_named
from needle.dsp.pan_modes import MODES
from needle.errors import NeedleError
from needle.units import OFF_DB, db_to_gain

GRAIN = 0.005
"""How far what is written may be off: of full gain, and of half the field's width."""

MOST_POINTS = 20_000
_STEP_SECONDS = 0.002
_LEAST_SECONDS = 0.05


@dataclass(frozen=True)
class Written:
    """Lanes by parameter, and static values that go with them (``mode`` among them where another is needed)."""

    lanes: dict[str, Lane]
    values: dict[str, float | str]


def written_out(
    pulsing: Pulsing,
    mode: str,
    values: Mapping[str, float],
    lanes: Mapping[str, Lane],
    law: str,
    start: float,
    end: float,
    channels: int,
) -> Written:
    """What a source's pulse does from ``start`` to ``end`` (s) as lanes of its own.

    ``values`` and ``lanes`` are the source's as they stand, ``mode`` its way of being placed, ``law`` the session's.
    NeedleError where its lanes cannot tell it, or not with at most 20,000 points.
    """
    if end - start < _LEAST_SECONDS:
        raise NeedleError("conversion.nothing_sounds")
    times = _times(pulsing, start, end)

    def now(name: str) -> Values:
        lane = lanes.get(name)
        return lane.evaluate(times) if lane else np.full(times.shape, float(values[name]))

    shift, sides = pulsing.shift(times), pulsing.sides(times)
    if shift is not None:
        result = {}
        for name in MODES[mode].parameters:
            if PARAMETERS[name].place:
                side = 1 if name == "pan_right" else 0
                result[name] = _places(times, np.clip(now(name) + shift[side], -1.0, 1.0))
        return Written(_checked(result), {})
    turn = pulsing.turn(times)
    if turn is not None:
        turned = now("rotation") + np.unwrap(turn, period=360.0)
        limits = PARAMETERS["rotation"]
        if turned.min() < limits.low or turned.max() > limits.high:
            raise NeedleError("conversion.turns_too_often")
        indices = breakpoints(times, turned, limits.grain)
        return Written(
            _checked({"rotation": Lane(tuple(Point(float(times[i]), float(turned[i])) for i in indices))}), {}
        )
    assert sides is not None  # a pulse moves places, turns, or moves levels
    if channels > 2:
        raise NeedleError("conversion.too_many_channels")
    if mode in ("pan", "mono"):
        pan, trim = _as_pan_and_trim(now("pan"), sides, law)
        return Written(
            _checked({"pan": _places(times, pan), "trim": _levels(times, np.maximum(trim + now("trim"), OFF_DB))}), {}
        )
    gains = sides
    fixed: dict[str, float | str] = {}
    result = {}
    if mode == "sides":
        gains = sides * db_to_gain(np.array([now("level_left"), now("level_right")]))
    elif mode == "balance":
        gains = sides * law_named("balance").gains(now("pan"))
        fixed = {"mode": "sides", "pan_left": -1.0, "pan_right": 1.0}
    else:
        centre, width = now("pan"), now("span")
        ends = np.clip([centre - width, centre + width], -1.0, 1.0)
        fixed = {"mode": "sides", "pan_left": float(ends[0, 0]), "pan_right": float(ends[1, 0])}
        for name, places in zip(("pan_left", "pan_right"), ends, strict=True):
            if np.ptp(places) > 0.0:
                result[name] = _places(times, places)
    for name, gain in zip(("level_left", "level_right"), gains, strict=True):
        result[name] = _levels(times, _decibels(gain))
    return Written(_checked(result), fixed)


def _times(pulsing: Pulsing, start: float, end: float) -> Values:
    """Moments close enough for what is quickest: an even grid, and finer for a cycle that is short."""
    quickest = float(pulsing.per_second(np.linspace(start, end, 256)).max())
    step = min(_STEP_SECONDS, 1.0 / quickest / 64.0, RAMP_SECONDS / 4.0)
    return np.linspace(start, end, int(np.ceil((end - start) / step)) + 1)


def _as_pan_and_trim(pan: Values, sides: Values, law: str) -> tuple[Values, Values]:
    """The pan and the level (dB) with which the law gives the same left and right."""
    rule = law_named(law)
    wanted = sides * rule.gains(pan)
    table = np.linspace(-1.0, 1.0, 4001)
    left, right = rule.gains(table)
    ratio = np.arctan2(right, left)
    there = np.arctan2(wanted[1], wanted[0])
    result = np.interp(there, ratio, table)
    loud = np.hypot(*wanted)
    # Where all is silent the place does not matter: it stays where it was last.
    audible = loud > 1e-6
    last = np.maximum.accumulate(np.where(audible, np.arange(len(pan)), 0))
    result = np.where(audible, result, result[last])
    return result, _decibels(loud / np.hypot(*rule.gains(result)))


def _decibels(gain: Values) -> Values:
    return np.where(gain > db_to_gain(OFF_DB + 0.01), 20.0 * np.log10(np.maximum(gain, 1e-6)), OFF_DB)


def _places(times: Values, values: Values) -> Lane:
    return Lane(tuple(Point(float(times[i]), float(values[i])) for i in breakpoints(times, values, 2.0 * GRAIN)))


def _levels(times: Values, levels: Values) -> Lane:
    """Levels thinned by what is heard of them: off by so much of full gain, not by so many dB."""
    limit = PARAMETERS["trim"]
    corners = breakpoints(times, levels, GRAIN, db_to_gain)
    return Lane(tuple(Point(float(times[i]), limit.limited(float(levels[i]))) for i in corners))


def _checked(lanes: dict[str, Lane]) -> dict[str, Lane]:
    most = max((len(lane.points) for lane in lanes.values()), default=0)
    if most > MOST_POINTS:
        raise NeedleError("conversion.too_many_points", count=most, most=MOST_POINTS)
    return lanes
