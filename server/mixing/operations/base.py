"""What every operation is: it applies itself, gives its inverse, says what it touches, and describes itself."""

from typing import Annotated, ClassVar, Self

from pydantic import BaseModel, ConfigDict, Field

from needle.moving.parameters import PARAMETERS
from server.mixing.state import State

Key = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[\w-]+$")]
Name = Annotated[str, Field(min_length=1, max_length=120)]
Finite = Annotated[float, Field(allow_inf_nan=False)]
Pan = Annotated[float, Field(ge=PARAMETERS["pan"].low, le=PARAMETERS["pan"].high, allow_inf_nan=False)]
Level = Annotated[float, Field(ge=PARAMETERS["level"].low, le=PARAMETERS["level"].high, allow_inf_nan=False)]

Touch = tuple[str, float | None, float | None]
"""What an operation changes: a name such as ``oars.level``, and for lanes the range of time (s)."""


class Operation(BaseModel):
    """Base of all operations. ``kind`` is its name on the wire and in the log."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    kind: ClassVar[str]

    def apply(self, state: State) -> "Operation":
        """Change the state and give back the operation that restores it exactly. NeedleError if it may not."""
        raise NotImplementedError

    def touches(self) -> list[Touch]:
        """What it changes, so that an undo can tell whether a colleague has changed the same since."""
        raise NotImplementedError

    def describe(self, state: State) -> str:
        """What it does, in the engineer's words; told before it is applied."""
        raise NotImplementedError

    def with_values(self, **values: object) -> Self:
        """The same operation with other values."""
        return self.model_copy(update=values)


def overlap(one: Touch, other: Touch) -> bool:
    """Whether two touches change the same thing, at the same time if they are bound to one."""
    if one[0] != other[0]:
        return False
    if None in (one[1], other[1]):
        return True
    return one[1] <= other[2] and other[1] <= one[2]
