"""Range operations as they are asked for over HTTP: one class a kind, with the numbers that it takes."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from needle.automation.edits import EDITS, RangeEdit
from needle.automation.recording import MOST_SAMPLES
from server.mixsessions.fields import Finite

Seconds = Annotated[float, Field(gt=0.0, le=24 * 3600.0, allow_inf_nan=False)]
Shape = Literal["hold", "straight", "ease", "curve"]


class ShiftIn(Schema):
    kind: Literal["shift"]
    by: Finite


class WidenIn(Schema):
    kind: Literal["widen"]
    factor: Finite
    centre: Finite = 0.0


class MirrorIn(Schema):
    kind: Literal["mirror"]
    centre: Finite = 0.0


class PlainIn(Schema):
    kind: Literal["reverse", "delete"]


class StretchIn(Schema):
    kind: Literal["stretch"]
    seconds: Seconds


class MoveIn(Schema):
    """The stretch ``by`` seconds later, or earlier."""

    kind: Literal["move"]
    by: Finite


class SmoothIn(Schema):
    kind: Literal["smooth"]
    seconds: Seconds = 0.25


class ThinIn(Schema):
    kind: Literal["thin"]
    grain: Finite | None = None


class QuantiseIn(Schema):
    """``parts`` of a beat, 0 for bars; ``strength`` 0…1."""

    kind: Literal["quantise"]
    parts: int = 4
    strength: Finite = 1.0


class HoldIn(Schema):
    kind: Literal["hold"]
    value: Finite


class SweepIn(Schema):
    """A ramp is a sweep of one crossing."""

    kind: Literal["ramp", "sweep"]
    from_value: Finite
    to_value: Finite
    crossings: int = 1
    shape: Shape = "ease"
    tension: Annotated[float, Field(ge=-1.0, le=1.0, allow_inf_nan=False)] = 0.0


class DrawIn(Schema):
    """A line drawn by hand: (s, value) at rising times."""

    kind: Literal["draw"]
    samples: Annotated[list[tuple[Finite, Finite]], Field(min_length=1, max_length=MOST_SAMPLES)]
    shape: Literal["straight", "hold"] = "straight"


AnyEdit = Annotated[
    ShiftIn
    | WidenIn
    | MirrorIn
    | PlainIn
    | StretchIn
    | MoveIn
    | SmoothIn
    | ThinIn
    | QuantiseIn
    | HoldIn
    | SweepIn
    | DrawIn,
    Field(discriminator="kind"),
]


def edit_from(edit: AnyEdit) -> RangeEdit:
    """The range operation; NeedleError if its numbers break a rule."""
    return EDITS[edit.kind](**edit.model_dump(exclude={"kind"}))
