"""Every parameter, declared once: what stores, checks, renders, automates, names and shows it follows from here."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, make_dataclass
from functools import cache
from types import MappingProxyType

from needle.errors import NeedleError
from needle.units import OFF_DB


@dataclass(frozen=True)
class Parameter:
    """An automatable number: its limits and unit, and what has it.

    ``defaults`` are by kind of thing: source, send, return, group, layer, room. ``display`` is how it is written:
    place, level, share, front, height, degrees, beats or hertz. ``place`` ones are shifted with a group, ``in_room``
    ones heard only where there are more than two loudspeakers. ``pulse_value``: which value of a pulse it is, where
    it is not of the thing that pulses itself.
    """

    name: str
    title: str
    low: float
    high: float
    unit: str
    display: str
    defaults: Mapping[str, float]
    place: bool = False
    in_room: bool = False
    pulse_value: str = ""

    @property
    def by_side(self) -> bool:
        """Whether it is of one side of a source of two."""
        return self.name.endswith(("_left", "_right"))

    @property
    def default(self) -> float:
        """The value that a source has at first, or the first of what has it."""
        return next(iter(self.defaults.values()))

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
_WHAT_PULSES = ("source", "send", "return", "group")

MOST_TURNS = 20
"""How often a rotation may go round, either way."""

_ROUND = MOST_TURNS * 360.0

PARAMETERS = {
    parameter.name: parameter
    for parameter in (
        Parameter("pan", "Left–right", -1.0, 1.0, _LEFT_TO_RIGHT, "place",
                  {"source": 0.0, "send": 0.0, "return": 0.0, "layer": 0.0}, place=True),
        Parameter("level", "Level", OFF_DB, 12.0, "dB", "level",
                  {"source": 0.0, "send": OFF_DB, "return": 0.0, "group": 0.0, "layer": 0.0}),
        Parameter("trim", "Level trim", OFF_DB, 12.0, "dB", "level", {"source": 0.0}),
        Parameter("pan_left", "Left side", -1.0, 1.0, _LEFT_TO_RIGHT, "place", {"source": -1.0}, place=True),
        Parameter("pan_right", "Right side", -1.0, 1.0, _LEFT_TO_RIGHT, "place", {"source": 1.0}, place=True),
        Parameter("level_left", "Left level", OFF_DB, 12.0, "dB", "level", {"source": 0.0}),
        Parameter("level_right", "Right level", OFF_DB, 12.0, "dB", "level", {"source": 0.0}),
        Parameter("width_left", "Left side's width", 0.0, 1.0, "of the field", "share", {"source": 0.0}),
        Parameter("width_right", "Right side's width", 0.0, 1.0, "of the field", "share", {"source": 0.0}),
        Parameter("span", "Span", -1.0, 1.0, "half widths of the field", "share", {"source": 1.0, "layer": 1.0}),
        Parameter("width", "Width", 0.0, 2.0, "times the source's own", "share", {"source": 1.0, "return": 1.0}),
        Parameter("front", "Front–back", -1.0, 1.0, _BACK_TO_FRONT, "front",
                  {"source": 1.0, "send": 1.0, "return": 0.0, "layer": 1.0}, in_room=True),
        Parameter("height", "Height", -1.0, 1.0, _UPWARDS, "height",
                  {"source": 0.0, "send": 0.0, "return": 0.0, "layer": 0.0}, in_room=True),
        Parameter("front_left", "Left side front–back", -1.0, 1.0, _BACK_TO_FRONT, "front",
                  {"source": 1.0}, in_room=True),
        Parameter("front_right", "Right side front–back", -1.0, 1.0, _BACK_TO_FRONT, "front",
                  {"source": 1.0}, in_room=True),
        Parameter("height_left", "Left side height", -1.0, 1.0, _UPWARDS, "height", {"source": 0.0}, in_room=True),
        Parameter("height_right", "Right side height", -1.0, 1.0, _UPWARDS, "height", {"source": 0.0}, in_room=True),
        Parameter("spread", "Spread", 0.0, 360.0, "degrees", "degrees",
                  {"source": 0.0, "send": 0.0, "return": 0.0, "layer": 0.0}, in_room=True),
        Parameter("rotation", "Rotation", -_ROUND, _ROUND, "degrees to the left", "degrees",
                  {"source": 0.0, "return": 0.0, "layer": 0.0, "room": 0.0}, in_room=True),
        Parameter("envelopment", "Envelopment", 0.0, 1.0, "of the reverb's tail is diffuse", "share",
                  {"return": 0.7}, in_room=True),
        Parameter("centre_level", "Centre level", 0.0, 1.0, "of what the centre speaker has", "share",
                  {"source": 1.0}, in_room=True),
        Parameter("lfe", "LFE", OFF_DB, 12.0, "dB", "level", {"source": OFF_DB}, in_room=True),
        Parameter("pulse_depth", "Pulse depth", 0.0, 1.0, "of full depth", "share",
                  dict.fromkeys(_WHAT_PULSES, 1.0), pulse_value="depth"),
        Parameter("pulse_period", "Pulse cycle", 1.0 / 16.0, 64.0, "beats", "beats",
                  dict.fromkeys(_WHAT_PULSES, 1.0), pulse_value="period"),
        Parameter("pulse_rate", "Pulse rate", 0.02, 64.0, "Hz", "hertz",
                  dict.fromkeys(_WHAT_PULSES, 1.0), pulse_value="rate"),
    )
}  # fmt: skip
"""Every automatable parameter by name. ``trim`` moves the level and leaves ``level`` to be set."""

PULSE_PARAMETERS = {name: parameter.pulse_value for name, parameter in PARAMETERS.items() if parameter.pulse_value}
"""What can be automated of a pulse, and which of its values that is: they are not of the thing that pulses itself."""


@cache
def parameters_of(kind: str) -> tuple[str, ...]:
    """The names of what can be automated of a kind of thing: source, send, return, group, layer or room."""
    return tuple(name for name, parameter in PARAMETERS.items() if kind in parameter.defaults)


@cache
def defaults_of(kind: str) -> Mapping[str, float]:
    """The parameters that a kind of thing has itself, and their values at first."""
    parameters = (parameter for parameter in PARAMETERS.values() if kind in parameter.defaults)
    values = {parameter.name: parameter.defaults[kind] for parameter in parameters if not parameter.pulse_value}
    return MappingProxyType(values)


def values_class(kind: str) -> type:
    """A frozen dataclass of the parameters that a kind of thing has itself, as keywords with their defaults."""
    fields = [(name, float, field(default=value)) for name, value in defaults_of(kind).items()]
    return make_dataclass(f"{kind.title()}Values", fields, frozen=True, kw_only=True)


GAIN_LIMIT_DB = 36.0
"""A source's gain before everything else lies within plus or minus this (dB)."""


TRIM_DB = (-24.0, 12.0)
"""Between which a double may change both copies (dB)."""


def parameter_named(name: str) -> Parameter:
    """The parameter of that name; NeedleError lists the names if there is none."""
    try:
        return PARAMETERS[name]
    except KeyError:
        raise NeedleError("parameter.not_automatable", parameter=name, choices=PARAMETERS) from None


def check_within(name: str, value: float, low: float, high: float, unit: str) -> float:
    """``value`` if it lies within limits; NeedleError names them otherwise."""
    if not (math.isfinite(value) and low <= value <= high):
        raise NeedleError("parameter.out_of_range", name=name, value=value, low=low, high=high, unit=unit)
    return float(value)


def check_value(parameter: str, value: float) -> float:
    """``value`` if the parameter may have it; NeedleError names the limits otherwise."""
    limits = parameter_named(parameter)
    return check_within(parameter, value, limits.low, limits.high, limits.unit)
