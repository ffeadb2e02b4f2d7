"""What can be automated, and between which limits."""

from dataclasses import dataclass

from needle.conventions import OFF_DB
from needle.errors import NeedleError


@dataclass(frozen=True)
class Parameter:
    """An automatable number of a source: its limits and unit."""

    name: str
    low: float
    high: float
    unit: str
    default: float


PARAMETERS = {
    parameter.name: parameter
    for parameter in (
        Parameter("pan", -1.0, 1.0, "left to right", 0.0),
        Parameter("level", OFF_DB, 12.0, "dB", 0.0),
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
