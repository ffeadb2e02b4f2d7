"""The operation on one point of a lane: put, moved or taken away, whatever colleagues do to the points around it."""

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from needle.automation.curve import Lane, Point, stored
from needle.automation.edits import MOST_POINTS
from needle.errors import NeedleError
from needle.session.owners import lane_key, lane_value, owned_parameter
from needle.session.validation import check_lane
from server.editing.operations.base import Operation, Touch, bars_in, value_words
from server.editing.operations.lanes import Owner, owner_name, points_in
from server.mixsessions.entities import StoredPoint
from server.mixsessions.fields import Key
from server.mixsessions.state import State

Rank = Annotated[int, Field(ge=0)]


class MovePoint(Operation):
    """Moves a point from where it stood ``before`` to where it stands ``after``; points that it passes stay.

    Without ``after`` it is deleted, without ``before`` added. The ranks count the points of the same time that stand
    ahead of it. ``off``: a lane that begins with it is switched off.
    """

    kind: Literal["move-point"] = "move-point"
    owner: Owner
    parameter: Key
    before: StoredPoint | None = None
    before_rank: Rank | None = None
    after: StoredPoint | None = None
    after_rank: Rank | None = None
    off: bool = False

    @model_validator(mode="after")
    def _some(self) -> "MovePoint":
        if self.before is None and self.after is None:
            raise ValueError("Say which point, or where it goes.")
        return self

    def apply(self, state: State) -> Operation:
        owner_name(state, self.owner)
        owned_parameter(self.owner, self.parameter)
        key = lane_key(self.owner, self.parameter)
        lane = state.get("lanes", key) or {"points": [], "off": self.off}
        points = list(Lane.of(lane["points"]).points)
        at = self._index_of(points)
        if at is None and self.after is None:
            raise NeedleError("edit.point_gone")
        back: dict[str, Any] = dict.fromkeys(("before", "before_rank", "after", "after_rank"))
        back["off"] = bool(lane.get("off"))
        if at is not None:
            removed = points.pop(at)
            back |= {"after": StoredPoint(**vars(removed)), "after_rank": sum(p.t == removed.t for p in points[:at])}
        if self.after is not None:
            inserted = Point(**self.after.model_dump())
            place = self._place(points, inserted, at)
            points.insert(place, inserted)
            back |= {"before": self.after, "before_rank": sum(p.t == inserted.t for p in points[:place])}
        if len(points) > MOST_POINTS:
            raise NeedleError("edit.too_many_points", most=MOST_POINTS)
        after = check_lane(self.parameter, Lane(tuple(points)))
        state.put("lanes", key, lane_value(key, stored(after.points), bool(lane.get("off"))) if points else None)
        return self.with_values(**back)

    def _index_of(self, points: list[Point]) -> int | None:
        """The point that is meant: the same one, else one of its time and value, else of its time."""
        if self.before is None:
            return None
        was = Point(**self.before.model_dump())
        there = [i for i, p in enumerate(points) if p.t == was.t]
        same = [i for i in there if points[i] == was]
        if same and self.before_rank is not None and there[min(self.before_rank, len(there) - 1)] in same:
            return there[min(self.before_rank, len(there) - 1)]
        alike = [i for i in there if points[i].value == was.value]
        return next(iter(same or alike or there), None)

    def _place(self, points: list[Point], point: Point, was: int | None) -> int:
        """Where it goes among the others: after those of its time that are told, else as near as it was."""
        before, same = sum(p.t < point.t for p in points), sum(p.t == point.t for p in points)
        if self.after_rank is not None:
            return before + min(self.after_rank, same)
        return before + same if was is None else min(max(was, before), before + same)

    def since(self, later: list[dict[str, Any]]) -> Operation:
        before = self.before
        for body in later:
            its = body.get("before") if body.get("kind") == self.kind else None
            if (
                its
                and before
                and body.get("after")
                and all(body[n] == getattr(self, n) for n in ("owner", "parameter"))
            ):
                same = (its["t"], its["value"]) == (before.t, before.value)
                before = StoredPoint(**body["after"]) if same else before
        return self if before is self.before else self.with_values(before=before, before_rank=None)

    def cost(self, state: State) -> int:
        return 1 + points_in(state, self.owner, self.parameter)

    def touches(self) -> list[Touch]:
        key = lane_key(self.owner, self.parameter)
        return [(key, t, t) for t in dict.fromkeys(p.t for p in (self.before, self.after) if p is not None)]

    def describe(self, state: State) -> str:
        def at(point: StoredPoint) -> str:
            return f"{value_words(self.parameter, point.value)}, {bars_in(state, point.t, point.t)}"

        if self.after is None:
            what = f"point deleted: {at(self.before)}" if self.before else "point deleted"
        elif self.before is None:
            what = f"set to {at(self.after)}"
        else:
            what = f"point moved from {at(self.before)}, to {at(self.after)}"
        return f"{owner_name(state, self.owner)}: {self.parameter.replace('_', ' ')} {what}"
