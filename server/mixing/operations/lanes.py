"""Operations on lanes: writing points over a range of time."""

from typing import Annotated, Literal

from pydantic import Field

from needle.checks import check_lane
from needle.errors import NeedleError
from needle.moving.lane import Lane
from needle.moving.parameters import parameter_named
from needle.session import lane_key
from server.mixing.operations.base import Key, Operation, Touch
from server.mixing.operations.things import StoredPoint, Time, stored
from server.mixing.state import State, existing

MOST_POINTS = 20_000


class WritePoints(Operation):
    """Replaces everything from ``start`` to ``end`` (s, both included) of a lane with ``points``.

    Outside the range nothing changes, so that two people can write on different stretches of one lane.
    Without points it clears the range; a lane that is left without points is gone.
    """

    kind: Literal["write-points"] = "write-points"
    source: Key
    parameter: Key
    start: Time
    end: Time
    points: Annotated[list[StoredPoint], Field(max_length=MOST_POINTS)]

    def apply(self, state: State) -> Operation:
        existing(state, "sources", self.source)
        parameter_named(self.parameter)
        if self.start > self.end:
            raise NeedleError("The range must end after it starts.")
        key = lane_key(self.source, self.parameter)
        before = Lane.of((state.get("lanes", key) or {"points": []})["points"])
        fresh = Lane.of(point.model_dump() for point in self.points)
        after = check_lane(self.parameter, before.with_range(self.start, self.end, fresh.points))
        if len(after.points) > MOST_POINTS:
            raise NeedleError(f"A lane holds {MOST_POINTS} points at the most. Thin it first.")
        value = {
            "id": key,
            "source": self.source,
            "parameter": self.parameter,
            "points": stored(after.points),
        }
        state.put("lanes", key, value if after.points else None)
        return self.with_values(points=[StoredPoint(**p) for p in stored(before.in_range(self.start, self.end))])

    def touches(self) -> list[Touch]:
        return [(lane_key(self.source, self.parameter), self.start, self.end)]

    def describe(self, state: State) -> str:
        name = existing(state, "sources", self.source)["name"]
        count = len(self.points)
        what = "cleared" if not count else f"{count} point{'s' if count > 1 else ''} written"
        return f"{name}: {self.parameter} {what}"
