"""Types of single fields, as they are sent and stored: keys, names, and numbers within their limits."""

from typing import Annotated, Any

from pydantic import BeforeValidator, Field

from needle.automation.parameters import GAIN_LIMIT_DB, PARAMETERS
from server.common.texts import displayable

Key = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[\w-]+$")]
Name = Annotated[str, BeforeValidator(displayable), Field(min_length=1, max_length=120)]
Finite = Annotated[float, Field(allow_inf_nan=False)]
Order = Annotated[int, Field(ge=-100_000, le=100_000)]
Gain = Annotated[float, Field(ge=-GAIN_LIMIT_DB, le=GAIN_LIMIT_DB, allow_inf_nan=False)]


def limited(name: str) -> Any:
    """The type of a number that an automatable parameter may have."""
    parameter = PARAMETERS[name]
    return Annotated[float, Field(ge=parameter.low, le=parameter.high, allow_inf_nan=False)]


Pan = limited("pan")
Level = limited("level")
Span = limited("span")
Width = limited("width")
