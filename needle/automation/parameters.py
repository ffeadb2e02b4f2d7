"""What can be automated, and between which limits."""

import math
from dataclasses import dataclass

from needle.errors import NeedleError
from needle.units import OFF_DB


@dataclass(frozen=True)
class Parameter:
    """An automatable number of a source: its limits and unit. ``place`` ones are shifted with a group."""

    name: str
    low: float
    high: float
    unit: str
    default: float
    place: bool = False

    @property
    def mirrors(self) -> bool:
        """Whether exchanging left and right turns the number over."""
        return self.place or self.name in ("span", "rotation")

    @property
    def grain(self) -> float:
        """How far a thinned lane may be off: 0.5 % of the range, a fifth of a decibel, a degree of turning."""
        return {"dB": 0.2, "degrees to the left": 1.0}.get(self.unit, 0.005 * (self.high - self.low))

    def limited(self, value: float) -> float:
        """``value``, or the limit that it passes."""
        return min(max(value, self.low), self.high)


_LEFT_TO_RIGHT = "left to right"
_BACK_TO_FRONT = "back to front"
_UPWARDS = "down to up"

MOST_TURNS = 20
"""How often a rotation may go round, either way."""

PARAMETERS = {
    parameter.name: parameter
    for parameter in (
        Parameter("pan", -1.0, 1.0, _LEFT_TO_RIGHT, 0.0, place=True),
        Parameter("level", OFF_DB, 12.0, "dB", 0.0),
        Parameter("trim", OFF_DB, 12.0, "dB", 0.0),
        Parameter("pan_left", -1.0, 1.0, _LEFT_TO_RIGHT, -1.0, place=True),
        Parameter("pan_right", -1.0, 1.0, _LEFT_TO_RIGHT, 1.0, place=True),
        Parameter("level_left", OFF_DB, 12.0, "dB", 0.0),
        Parameter("level_right", OFF_DB, 12.0, "dB", 0.0),
        Parameter("width_left", 0.0, 1.0, "of the field", 0.0),
        Parameter("width_right", 0.0, 1.0, "of the field", 0.0),
        Parameter("span", -1.0, 1.0, "half widths of the field", 1.0),
        Parameter("width", 0.0, 2.0, "times the source's own", 1.0),
        Parameter("front", -1.0, 1.0, _BACK_TO_FRONT, 1.0),
        Parameter("height", -1.0, 1.0, _UPWARDS, 0.0),
        Parameter("front_left", -1.0, 1.0, _BACK_TO_FRONT, 1.0),
        Parameter("front_right", -1.0, 1.0, _BACK_TO_FRONT, 1.0),
        Parameter("height_left", -1.0, 1.0, _UPWARDS, 0.0),
        Parameter("height_right", -1.0, 1.0, _UPWARDS, 0.0),
        Parameter("spread", 0.0, 360.0, "degrees", 0.0),
        Parameter("rotation", -MOST_TURNS * 360.0, MOST_TURNS * 360.0, "degrees to the left", 0.0),
        Parameter("centre", 0.0, 1.0, "of what the centre speaker has", 1.0),
        Parameter("lfe", OFF_DB, 12.0, "dB", OFF_DB),
        Parameter("envelop", 0.0, 1.0, "of the reverb's tail is diffuse", 0.7),
        Parameter("pulse_depth", 0.0, 1.0, "of full depth", 1.0),
        Parameter("pulse_period", 1.0 / 16.0, 64.0, "beats", 1.0),
        Parameter("pulse_rate", 0.02, 64.0, "Hz", 1.0),
    )
}
"""Every automatable parameter by name. ``trim`` moves the level and leaves ``level`` to be set."""

PULSE_PARAMETERS = {"pulse_depth": "depth", "pulse_period": "period", "pulse_rate": "rate"}
"""What can be automated of a pulse, and which of its values that is: they are not of the thing that pulses itself."""

PARAMETERS_BY_KIND = {
    "send": ("level", "pan", "front", "height", "spread", *PULSE_PARAMETERS),
    "return": ("level", "pan", "width", "front", "height", "spread", "rotation", "envelop", *PULSE_PARAMETERS),
    "group": ("level", *PULSE_PARAMETERS),
    "layer": ("level", "pan", "span", "front", "height", "spread", "rotation"),
    "room": ("rotation",),
}
"""What can be automated of the other things, with the limits of a source's parameter of that name."""


_OF_RETURNS_ONLY = ("envelop",)

SOURCE_PARAMETERS = tuple(name for name in PARAMETERS if name not in _OF_RETURNS_ONLY)
"""The names of what can be automated of a source."""


def parameters_of(kind: str) -> tuple[str, ...]:
    """The names of what can be automated of a kind of thing: source, send, return, group, layer or room."""
    return PARAMETERS_BY_KIND.get(kind, SOURCE_PARAMETERS)


GAIN_LIMIT_DB = 36.0
"""A source's gain before everything else lies within plus or minus this (dB)."""


TRIM_DB = (-24.0, 12.0)
"""Between which a double may change both copies (dB)."""


def parameter_named(name: str) -> Parameter:
    """The parameter of that name; NeedleError lists the names if there is none."""
    try:
        return PARAMETERS[name]
    except KeyError:
        raise NeedleError(f"“{name}” cannot be automated. Choose {', '.join(PARAMETERS)}.") from None


def check_within(name: str, value: float, low: float, high: float, unit: str) -> float:
    """``value`` if it lies within limits; NeedleError names them otherwise."""
    if not (math.isfinite(value) and low <= value <= high):
        raise NeedleError(f"{name} cannot be {value}. It runs from {low:g} to {high:g} ({unit}).")
    return float(value)


def check_value(parameter: str, value: float) -> float:
    """``value`` if the parameter may have it; NeedleError names the limits otherwise."""
    limits = parameter_named(parameter)
    return check_within(parameter, value, limits.low, limits.high, limits.unit)
