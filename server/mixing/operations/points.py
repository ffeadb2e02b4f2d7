"""The operation on one point of a lane: put, moved or taken away, whatever colleagues do to the points around it."""

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from needle.automation.curve import Lane, Point, stored
from needle.automation.edits import MOST_POINTS
from needle.errors import NeedleError
from needle.session.owners import lane_key, lane_value, owned_parameter
from needle.session.validation import check_lane
from server.mixing.operations.base import Key, Operation, Touch
from server.mixing.operations.lanes import Owner, owner_name
from server.mixing.operations.things import StoredPoint
from server.mixing.state import State

Place = Annotated[int, Field(ge=0)]


class MovePoint(Operation):
    """Moves the point that ``was`` somewhere ``to`` another place; points that it passes stay.

    Without ``to`` it is taken away, without ``was`` put there. ``stood`` and ``after`` count the points of the same
    time before it, where it was and where it goes. ``off``: a lane that begins with it is switched off.
    """

    kind: Literal["move-point"] = "move-point"
    source: Owner
    parameter: Key
    was: StoredPoint | None = None
    stood: Place | None = None
    to: StoredPoint | None = None
    after: Place | None = None
    off: bool = False

    @model_validator(mode="after")
    def _some(self) -> "MovePoint":
        if self.was is None and self.to is None:
            raise ValueError("Say which point, or where it goes.")
        return self

    def apply(self, state: State) -> Operation:
        owner_name(state, self.source)
        owned_parameter(self.source, self.parameter)
        key = lane_key(self.source, self.parameter)
        lane = state.get("lanes", key) or {"points": [], "off": self.off}
        points = list(Lane.of(lane["points"]).points)
        at = self._found(points)
        if at is None and self.to is None:
            raise NeedleError("That point is not there any more: somebody has moved it or taken it away.")
        back: dict[str, Any] = {"was": None, "stood": None, "to": None, "after": None, "off": bool(lane.get("off"))}
        if at is not None:
            gone = points.pop(at)
            back |= {"to": StoredPoint(**vars(gone)), "after": sum(p.t == gone.t for p in points[:at])}
        if self.to is not None:
            fresh = Point(**self.to.model_dump())
            place = self._place(points, fresh, at)
            points.insert(place, fresh)
            back |= {"was": self.to, "stood": sum(p.t == fresh.t for p in points[:place])}
        if len(points) > MOST_POINTS:
            raise NeedleError(f"A lane holds {MOST_POINTS} points at the most. Thin it first.")
        after = check_lane(self.parameter, Lane(tuple(points)))
        state.put("lanes", key, lane_value(key, stored(after.points), bool(lane.get("off"))) if points else None)
        return self.with_values(**back)

    def _found(self, points: list[Point]) -> int | None:
        """The point that is meant: the same one, else one of its time and value, else of its time."""
        if self.was is None:
            return None
        was = Point(**self.was.model_dump())
        there = [i for i, p in enumerate(points) if p.t == was.t]
        same = [i for i in there if points[i] == was]
        if same and self.stood is not None and there[min(self.stood, len(there) - 1)] in same:
            return there[min(self.stood, len(there) - 1)]
        alike = [i for i in there if points[i].value == was.value]
        return next(iter(same or alike or there), None)

    def _place(self, points: list[Point], fresh: Point, was: int | None) -> int:
        """Where it goes among the others: after those of its time that are told, else as near as it was."""
        before, same = sum(p.t < fresh.t for p in points), sum(p.t == fresh.t for p in points)
        if self.after is not None:
            return before + min(self.after, same)
        return before + same if was is None else min(max(was, before), before + same)

    def since(self, later: list[dict[str, Any]]) -> Operation:
        was = self.was
        for body in later:
            its = body.get("was") if body.get("kind") == self.kind else None
            if its and was and body.get("to") and all(body[n] == getattr(self, n) for n in ("source", "parameter")):
                was = StoredPoint(**body["to"]) if (its["t"], its["value"]) == (was.t, was.value) else was
        return self if was is self.was else self.with_values(was=was, stood=None)

    def touches(self) -> list[Touch]:
        key = lane_key(self.source, self.parameter)
        return [(key, t, t) for t in dict.fromkeys(p.t for p in (self.was, self.to) if p is not None)]

    def describe(self, state: State) -> str:
        what = "taken away" if self.to is None else "set" if self.was is None else "moved"
        return f"{owner_name(state, self.source)}: {self.parameter.replace('_', ' ')} point {what}"
