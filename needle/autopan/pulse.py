"""A pulse: rhythmic movement of level or place, by a wave whose cycle is told in beats or in Hz.

The phase is (beat - origin) / period + start phase, so that tempo changes are followed exactly, and halving or
doubling the period leaves the origin where it is. ``Pulsing`` is a pulse in a session, with its tempo map and lanes.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from needle.automation.curve import RAMP_SECONDS, Lane, Values
from needle.automation.parameters import PARAMETERS
from needle.autopan.waveforms import FEWEST_STEPS, MOST_STEPS, Form, wave_at, wave_named
from needle.errors import NeedleError
from needle.stable_text import stable_text
from needle.tempo import TempoMap

SHORTEST_BEATS, LONGEST_BEATS = PARAMETERS["pulse_period"].low, PARAMETERS["pulse_period"].high
SLOWEST_HZ, FASTEST_HZ = PARAMETERS["pulse_rate"].low, PARAMETERS["pulse_rate"].high

FORMS = {
    "level": "Level: each side is turned down and up.",
    "place": "Place: it swings about where it stands.",
    "turn": "Turn: it swings round the listener, in a room of loudspeakers.",
}
HALF_TURN = 180.0
"""How far a pulse of full depth turns to either side (degrees): its ends are the same place."""

UNITS = {"beats": "beats", "hertz": "Hz"}
LANES = ("pulse_depth", "pulse_period", "pulse_rate")
"""What of a pulse can be automated. The period moves where it is told in beats, the rate where in Hz."""

LAST_BEAT = 1e6
LARGEST_SEED = 999_999
_CLOCK_SECONDS = 0.001
"""Where the period moves, the phase is summed in steps this long (s)."""


@dataclass(frozen=True, repr=False)
class Pulse:
    """The open parameters of a pulse.

    ``form``: *level* or *place*. ``period`` in beats counts with ``unit`` beats, ``rate`` in Hz with hertz.
    ``origin`` is the beat on which a cycle begins, ``start_phase`` a share of a cycle (0…1) by which it is ahead.
    ``smooth`` is a share of the cycle. ``depth`` 0…1. ``offset`` (degrees, 0…360) is how far ahead the right side is:
    180 pans, 0 and 360 pump, 90 swirls. ``constant_power`` holds the power of both sides together as far as they are
    opposite.
    """

    on: bool = True
    form: str = "level"
    wave: str = "sine"
    unit: str = "beats"
    period: float = 1.0
    rate: float = 1.0
    origin: float = 0.0
    start_phase: float = 0.0
    duty: float = 0.5
    steps: tuple[float, ...] = (1.0, 0.3, -0.3, -1.0)
    seed: int = 1
    glide: bool = False
    smooth: float = 0.0
    flip: bool = False
    depth: float = 1.0
    offset: float = 180.0
    constant_power: bool = False

    def __repr__(self) -> str:
        return stable_text(self, "Pulse")

    def __post_init__(self) -> None:
        object.__setattr__(self, "steps", tuple(float(step) for step in self.steps))
        wave_named(self.wave)
        if self.form not in FORMS:
            raise NeedleError("pulse.unknown_form", form=self.form, choices=FORMS)
        if self.unit not in UNITS:
            raise NeedleError("pulse.unknown_unit", unit=self.unit, choices=UNITS)
        for name, (low, high, unit) in LIMITS.items():
            value = getattr(self, name)
            if not (np.isfinite(value) and low <= value <= high):
                raise NeedleError("pulse.out_of_range", name=name, value=value, low=low, high=high, unit=unit)
        if not FEWEST_STEPS <= len(self.steps) <= MOST_STEPS:
            raise NeedleError("pulse.steps_out_of_range", least=FEWEST_STEPS, most=MOST_STEPS)
        if any(not -1.0 <= step <= 1.0 for step in self.steps):
            raise NeedleError("pulse.step_out_of_range")

    @classmethod
    def of(cls, stored: Mapping[str, Any]) -> "Pulse":
        """A pulse from a plain dictionary, whatever else is in it."""
        return cls(**{f.name: stored[f.name] for f in fields(cls) if f.name in stored})

    @cached_property
    def shape(self) -> Form:
        """What its wave is made by."""
        return Form(self.duty, self.steps, self.seed, self.glide)

    def as_dict(self) -> dict[str, Any]:
        """Its values as plain, JSON-ready ones."""
        return {f.name: list(v) if isinstance(v := getattr(self, f.name), tuple) else v for f in fields(self)}


LIMITS: dict[str, tuple[float, float, str]] = {
    "period": (SHORTEST_BEATS, LONGEST_BEATS, "beats"),
    "rate": (SLOWEST_HZ, FASTEST_HZ, "Hz"),
    "origin": (0.0, LAST_BEAT, "beats"),
    "start_phase": (0.0, 1.0, "of a cycle"),
    "duty": (0.02, 0.98, "of a cycle"),
    "seed": (0, LARGEST_SEED, "whole numbers"),
    "smooth": (0.0, 1.0, "of a cycle"),
    "depth": (0.0, 1.0, "of full depth"),
    "offset": (0.0, 360.0, "degrees"),
}
"""Between which limits each number of a pulse lies, and its unit."""


@dataclass(frozen=True)
class Pulsing:
    """A pulse at work: what it does at any time (s) of a session with this tempo map, its lanes by parameter."""

    pulse: Pulse
    tempo: TempoMap = field(default_factory=TempoMap)
    lanes: Mapping[str, Lane] = field(default_factory=dict)

    @property
    def moved(self) -> tuple[Lane, ...]:
        """The lanes that have a say: depth, and the period or the rate by which cycles are told."""
        cycle = "pulse_period" if self.pulse.unit == "beats" else "pulse_rate"
        return tuple(self.lanes[name] for name in ("pulse_depth", cycle) if name in self.lanes)

    def cycles(self, times: ArrayLike) -> Values:
        """The phase at each time (s), in cycles."""
        t = np.asarray(times, dtype=np.float64)
        pulse = self.pulse
        lane = self._cycle_lane
        if lane is None:
            if pulse.unit == "beats":
                return (self.tempo.beats_at(t) - pulse.origin) / pulse.period + pulse.start_phase
            return (t - self.tempo.seconds_at(pulse.origin)) * pulse.rate + pulse.start_phase
        clock, begins = self._clock_until(float(t.max(initial=0.0)))
        place = np.maximum(t, 0.0) / _CLOCK_SECONDS
        step = np.minimum(place.astype(np.intp), len(clock) - 2)
        run = clock[step] + (clock[step + 1] - clock[step]) * (place - step)
        return run - begins + pulse.start_phase

    def per_second(self, times: ArrayLike) -> Values:
        """How many cycles pass in a second, at each time."""
        t = np.asarray(times, dtype=np.float64)
        lane = self._cycle_lane
        if self.pulse.unit == "beats":
            period = self.pulse.period if lane is None else np.maximum(lane.evaluate(t), SHORTEST_BEATS)
            return self.tempo.bpm_at(t) / 60.0 / period
        return np.full(t.shape, self.pulse.rate) if lane is None else lane.evaluate(t)

    def wave(self, times: ArrayLike, ahead: float = 0.0, ramped: bool = True) -> Values:
        """The wave at each time, smoothed and flipped; ``ahead`` in cycles.

        Jumps take as long as a lane's (5 ms) if they are ``ramped``.
        """
        t = np.asarray(times, dtype=np.float64)
        pulse = self.pulse
        smooth: Values | float = pulse.smooth
        if ramped and wave_named(pulse.wave).jumps(pulse.shape):
            smooth = np.clip(RAMP_SECONDS * self.per_second(t), pulse.smooth, 1.0)
        result = wave_at(pulse.wave, pulse.shape, self.cycles(t) + ahead, smooth)
        return -result if pulse.flip else result

    def depth(self, times: ArrayLike) -> Values:
        """How deep it is at each time (0…1)."""
        lane = self.lanes.get("pulse_depth")
        t = np.asarray(times, dtype=np.float64)
        return np.full(t.shape, self.pulse.depth) if lane is None else lane.evaluate(t)

    def sides(self, times: ArrayLike) -> Values | None:
        """The gains of the left and the right side at each time, (2, *shape); None where it does not move levels."""
        if self.pulse.form != "level":
            return None
        ahead = self.pulse.offset / 360.0
        depth = self.depth(times)
        left = self.wave(times)
        right = left if ahead in (0.0, 1.0) else self.wave(times, ahead)
        gains = 1.0 - depth * (1.0 - (1.0 + np.array([left, right])) / 2.0)
        if self.pulse.constant_power:
            gains = gains * evening(gains, depth, self.pulse.offset)
        return gains

    def shift(self, times: ArrayLike) -> Values | None:
        """How far it moves what stands left and right, (2, *shape); None where it does not move places."""
        if self.pulse.form != "place":
            return None
        ahead = self.pulse.offset / 360.0
        left = self.wave(times)
        right = left if ahead in (0.0, 1.0) else self.wave(times, ahead)
        return self.depth(times) * np.array([left, right])

    def turn(self, times: ArrayLike) -> Values | None:
        """How far it turns what stands in a room (degrees to the left), (*shape); None where it does not."""
        if self.pulse.form != "turn":
            return None
        # From one end of a full turn to the other is no way at all, so that a ramp would be a leap round the room.
        whole = self.pulse.wave in ("rising", "falling") and self.pulse.depth == 1.0 and not self.moved
        return HALF_TURN * self.depth(times) * self.wave(times, ramped=not whole)

    def text_between(self, low: float, high: float) -> str:
        """All that it depends on between two times (s), as text."""
        lanes = " ".join(lane.text_between(low, high) for lane in self.moved)
        begins = f"{float(self.cycles(max(low, 0.0))):.9f}" if self._cycle_lane is not None else ""
        return f"{self.pulse} {self.tempo.tempos} {begins} {lanes}"

    @property
    def _cycle_lane(self) -> Lane | None:
        return self.lanes.get("pulse_period" if self.pulse.unit == "beats" else "pulse_rate")

    def _runs(self, edges: NDArray[np.floating[Any]]) -> Values:
        """How many cycles run between each two times: exact in the tempo, by the lane's value in the middle."""
        lane = self.lanes["pulse_period" if self.pulse.unit == "beats" else "pulse_rate"]
        value = lane.evaluate((edges[1:] + edges[:-1]) / 2.0)
        if self.pulse.unit == "beats":
            return np.diff(self.tempo.beats_at(edges)) / np.maximum(value, SHORTEST_BEATS)
        return np.diff(edges) * value

    @cached_property
    def _clocks(self) -> dict[str, Any]:
        return {}

    def _clock_until(self, latest: float) -> tuple[Values, float]:
        """Cycles run since the beginning, step by step, and how many had run at the origin."""
        origin = self.tempo.seconds_at(self.pulse.origin)
        steps = int(np.ceil(max(latest, origin) / _CLOCK_SECONDS)) + 2
        known = self._clocks.get("clock")
        if known is None or len(known) < steps:
            # Whole minutes, so that a longer piece seldom begins anew. Every stretch sums the same steps.
            steps = -(-steps // 60_000) * 60_000 + 1
            known = np.concatenate([[0.0], np.cumsum(self._runs(np.arange(steps + 1) * _CLOCK_SECONDS))])
            self._clocks["clock"] = known
        place = origin / _CLOCK_SECONDS
        step = int(place)
        return known, float(known[step] + (known[step + 1] - known[step]) * (place - step))


def evening(gains: Values, depth: Values, offset: float) -> Values:
    """What both sides are multiplied by so that their power together stays that of the swing's ends, (*shape).

    ``gains`` (2, *shape). It counts as far as the sides are opposite: fully at 180 degrees, not at all at 0.
    """
    opposite = np.sin(np.radians(offset) / 2.0) ** 2
    power = np.maximum((gains**2).sum(axis=0), 1e-12)
    wanted = 1.0 + (1.0 - depth) ** 2
    return np.minimum((wanted / power) ** (opposite / 2.0), np.sqrt(2.0))
