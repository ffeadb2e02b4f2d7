"""Operations on lanes: writing points over a range of time, switching automation off and on, putting lanes back."""

from collections.abc import Iterable
from typing import Annotated, Any, Literal

from pydantic import Field

from needle.automation.curve import Lane, stored
from needle.automation.edits import MOST_POINTS
from needle.automation.parameters import parameters_of
from needle.errors import NeedleError
from needle.session.document import send_key
from needle.session.owners import PART_OF, ROOM, ROOM_DEFAULTS, kind_and_id, lane_key, lane_value, owned_parameter
from needle.session.validation import check_lane
from server.editing.operations.base import Operation, Touch, bars_in, value_words
from server.mixsessions.entities import StoredPoint, Time
from server.mixsessions.fields import Key
from server.mixsessions.state import State, existing, taken_away

Owner = Annotated[
    str, Field(max_length=140, pattern=r"^([\w-]+|(group|return|layer|room):[\w-]+|send:[\w-]+/[\w-]+)$")
]
"""What a lane belongs to: a source's id, ``group:…``, ``return:…``, ``layer:…``, ``room:mix`` or ``send:…/…``."""

LaneKey = Annotated[str, Field(max_length=200, pattern=r"^[\w:/-]+$")]


def owner_name(state: State, owner: str) -> str:
    """A lane's owner, which must be there, in the engineer's words."""
    kind, key = kind_and_id(owner)
    if owner == ROOM:
        return ROOM_DEFAULTS["name"]
    entity = existing(state, PART_OF[kind], key)
    if kind == "layer":
        return f"{existing(state, 'sources', entity['source'])['name']} · {entity['name']}"
    if kind != "send":
        return entity["name"]
    source, to = existing(state, "sources", entity["source"]), existing(state, "returns", entity["return"])
    return f"{source['name']} in {to['name']}"


class WritePoints(Operation):
    """Replaces everything from ``start`` to ``end`` (s, both included) of a lane with ``points``.

    Outside the range nothing changes, so that two people can write on different stretches of one lane.
    Without points it clears the range; a lane that is left without points is gone. ``owner`` is what the lane
    belongs to: a source, a send, a return or a group.
    """

    kind: Literal["write-points"] = "write-points"
    owner: Owner
    parameter: Key
    start: Time
    end: Time
    points: Annotated[list[StoredPoint], Field(max_length=MOST_POINTS)]

    def apply(self, state: State) -> Operation:
        owner_name(state, self.owner)
        owned_parameter(self.owner, self.parameter)
        if self.start > self.end:
            raise NeedleError("edit.range_is_empty")
        key = lane_key(self.owner, self.parameter)
        was = state.get("lanes", key) or {"points": []}
        before = Lane.of(was["points"])
        lane = Lane.of(point.model_dump() for point in self.points)
        after = check_lane(self.parameter, before.with_range(self.start, self.end, lane.points))
        if len(after.points) > MOST_POINTS:
            raise NeedleError("edit.too_many_points", most=MOST_POINTS)
        value = lane_value(key, stored(after.points), was.get("off", False))
        state.put("lanes", key, value if after.points else None)
        return self.with_values(points=[StoredPoint(**p) for p in stored(before.in_range(self.start, self.end))])

    def cost(self, state: State) -> int:
        return 1 + len(self.points) + points_in(state, self.owner, self.parameter)

    def touches(self) -> list[Touch]:
        return [(lane_key(self.owner, self.parameter), self.start, self.end)]

    def describe(self, state: State) -> str:
        values = [value_words(self.parameter, point.value) for point in self.points]
        if not values:
            what = "cleared"
        elif len(values) == 1:
            what = f"set to {values[0]}"
        else:
            what = f"drawn from {values[0]} to {values[-1]}"
        where = bars_in(state, self.start, self.end)
        count = f" ({len(values)} points)" if len(values) > 1 else ""
        return f"{owner_name(state, self.owner)}: {self.parameter.replace('_', ' ')} {what}, {where}{count}"


def points_in(state: State, owner: str, parameter: str) -> int:
    """How many points a lane has."""
    return len((state.get("lanes", lane_key(owner, parameter)) or {"points": []})["points"])


class SwitchLane(Operation):
    """Switches a lane's automation off, so that the static value holds, or on again; its points stay."""

    kind: Literal["switch-lane"] = "switch-lane"
    owner: Owner
    parameter: Key
    on: bool

    def apply(self, state: State) -> Operation:
        lane = existing(state, "lanes", lane_key(self.owner, self.parameter))
        state.put("lanes", lane["id"], lane_value(lane["id"], lane["points"], not self.on))
        return self.with_values(on=not lane.get("off", False))

    def touches(self) -> list[Touch]:
        return [(f"{lane_key(self.owner, self.parameter)}.on", None, None)]

    def describe(self, state: State) -> str:
        what = "follows its line" if self.on else "automation off"
        return f"{owner_name(state, self.owner)}: {self.parameter.replace('_', ' ')} {what}"


class RestoreLanes(Operation):
    """Puts whole lanes as they were: the inverse of changes that move lanes bodily or take their owner away.

    A lane without points is taken away; those named in ``off`` are switched off.
    """

    kind: Literal["restore-lanes"] = "restore-lanes"
    lanes: dict[LaneKey, list[StoredPoint]]
    off: list[LaneKey] = []

    def apply(self, state: State) -> Operation:
        before: dict[str, Any] = {}
        off = []
        for key, points in self.lanes.items():
            owner, _, parameter = key.rpartition("/")
            owned_parameter(owner, parameter)
            owner_name(state, owner)
            was = state.get("lanes", key) or {"points": []}
            before[key] = was["points"]
            off += [key] if was.get("off") else []
            lane = check_lane(parameter, Lane.of(point.model_dump() for point in points))
            state.put("lanes", key, lane_value(key, stored(lane.points), key in self.off) if points else None)
        return RestoreLanes.model_validate({"lanes": before, "off": off})

    def cost(self, state: State) -> int:
        if any(len(points) > MOST_POINTS for points in self.lanes.values()):
            raise NeedleError("edit.too_many_points", most=MOST_POINTS)
        return sum(1 + len(points) for points in self.lanes.values())

    def touches(self) -> list[Touch]:
        return [(key, None, None) for key in self.lanes]

    def describe(self, state: State) -> str:
        return "Lanes restored"


def without_lanes(state: State, owners: Iterable[str]) -> RestoreLanes | None:
    """Take away all lanes of things that go; what puts them back, None if there were none."""
    lanes, off = {}, []
    for owner in owners:
        for parameter in parameters_of(kind_and_id(owner)[0]):
            lane = taken_away(state, "lanes", lane_key(owner, parameter))
            if lane is not None:
                lanes[lane["id"]] = lane["points"]
                off += [lane["id"]] if lane.get("off") else []
    return RestoreLanes.model_validate({"lanes": lanes, "off": off}) if lanes else None


def sends_of(state: State, field: str, key: str) -> list[dict[str, Any]]:
    """The sends of a source, or to a return (``field``: source or return)."""
    return [send for send in state.all("sends") if send[field] == key]


def send_owner(send: dict[str, Any]) -> str:
    """A send as the owner of lanes."""
    return f"send:{send_key(send['source'], send['return'])}"
