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

    def limited(self, value: float) -> float:
        """``value``, or the limit that it passes."""
        return min(max(value, self.low), self.high)


_LEFT_TO_RIGHT = "left to right"

PARAMETERS = {
    parameter.name: parameter
    for parameter in (
        Parameter("pan", -1.0, 1.0, _LEFT_TO_RIGHT, 0.0, place=True),
        Parameter("level", OFF_DB, 12.0, "dB", 0.0),
        Parameter("pan_left", -1.0, 1.0, _LEFT_TO_RIGHT, -1.0, place=True),
        Parameter("pan_right", -1.0, 1.0, _LEFT_TO_RIGHT, 1.0, place=True),
        Parameter("level_left", OFF_DB, 12.0, "dB", 0.0),
        Parameter("level_right", OFF_DB, 12.0, "dB", 0.0),
        Parameter("span", -1.0, 1.0, "half widths of the field", 1.0),
        Parameter("width", 0.0, 2.0, "times the source's own", 1.0),
    )
}
"""Every automatable parameter by name."""

GAIN_LIMIT_DB = 36.0
"""A source's gain before everything else lies within plus or minus this (dB)."""


def parameter_named(name: str) -> Parameter:
    """The parameter of that name; NeedleError lists the names if there is none."""
    try:
        return PARAMETERS[name]
    except KeyError:
        raise NeedleError(f"“{name}” cannot be automated. Choose {', '.join(PARAMETERS)}.") from None
