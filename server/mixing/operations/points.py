"""Points as they are sent and stored."""

from collections.abc import Iterable
from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from needle.moving.lane import MAX_TIME, Point
from server.mixing.operations.base import Finite

Time = Annotated[float, Field(ge=0.0, le=MAX_TIME, allow_inf_nan=False)]


class StoredPoint(BaseModel):
    """A point of a lane: time (s), value, the shape on to the next point and its tension (-1…1)."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    t: Time
    value: Finite
    shape: Literal["hold", "straight", "ease", "curve"] = "straight"
    tension: Annotated[float, Field(ge=-1.0, le=1.0, allow_inf_nan=False)] = 0.0


def stored(points: Iterable[Point]) -> list[dict[str, Any]]:
    """Points as plain dictionaries."""
    return [asdict(point) for point in points]
