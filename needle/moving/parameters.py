"""What can be automated, and between which limits."""

from dataclasses import dataclass

from needle.conventions import OFF_DB
from needle.errors import NeedleError


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
        return self.place or self.name == "span"

    @property
    def grain(self) -> float:
        """How far a thinned lane may be off: 0.5 % of the range, for levels a fifth of a decibel."""
        return 0.2 if self.unit == "dB" else 0.005 * (self.high - self.low)

    def limited(self, value: float) -> float:
        """``value``, or the limit that it passes."""
        return min(max(value, self.low), self.high)


_LEFT_TO_RIGHT = "left to right"

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
        Parameter("span", -1.0, 1.0, "half widths of the field", 1.0),
        Parameter("width", 0.0, 2.0, "times the source's own", 1.0),
        Parameter("pulse_depth", 0.0, 1.0, "of full depth", 1.0),
        Parameter("pulse_period", 1.0 / 16.0, 64.0, "beats", 1.0),
        Parameter("pulse_rate", 0.02, 64.0, "Hz", 1.0),
    )
}
"""Every automatable parameter of a source by name. ``trim`` moves the level and leaves ``level`` to be set."""

OF_PULSES = {"pulse_depth": "depth", "pulse_period": "period", "pulse_rate": "rate"}
"""What can be automated of a pulse, and which of its values that is: they are not of the thing that pulses itself."""

OF_OTHERS = {
    "send": ("level", "pan", *OF_PULSES),
    "return": ("level", "pan", "width", *OF_PULSES),
    "group": ("level", *OF_PULSES),
}
"""What can be automated of the other things, with the limits of a source's parameter of that name."""


def parameters_of(kind: str) -> tuple[str, ...]:
    """The names of what can be automated of a kind of thing: source, send, return or group."""
    return OF_OTHERS.get(kind, tuple(PARAMETERS))


GAIN_LIMIT_DB = 36.0
"""A source's gain before everything else lies within plus or minus this (dB)."""


def parameter_named(name: str) -> Parameter:
    """The parameter of that name; NeedleError lists the names if there is none."""
    try:
        return PARAMETERS[name]
    except KeyError:
        raise NeedleError(f"“{name}” cannot be automated. Choose {', '.join(PARAMETERS)}.") from None
