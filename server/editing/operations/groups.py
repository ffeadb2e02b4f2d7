"""Operations on groups: making one, changing it, and taking it apart."""

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from needle.errors import NeedleError
from needle.session.validation import check_group
from server.editing.operations.base import Operation, SetSome, Touch, some_values
from server.editing.operations.rhythm import without_moves
from server.editing.operations.several import Batch
from server.mixsessions.entities import StoredGroup
from server.mixsessions.fields import Key, Name, Order, Pan
from server.mixsessions.state import State, existing


class AddGroup(Operation):
    """Makes a group of sources, which leave the groups that they were in."""

    kind: Literal["add-group"] = "add-group"
    group: StoredGroup
    members: list[Key] = []

    def apply(self, state: State) -> Operation:
        value = self.group.model_dump()
        check_group(value)
        if state.get("groups", self.group.id) is not None:
            raise NeedleError("edit.group_exists", id=self.group.id)
        members = [existing(state, "sources", key) for key in self.members]
        state.put("groups", self.group.id, value)
        for member in members:
            state.put("sources", member["id"], {**member, "group": self.group.id})
        return RemoveGroup(group=self.group.id, back={member["id"]: member["group"] for member in members})

    def touches(self) -> list[Touch]:
        return [*_everything_of(self.group.id), *[(f"{member}.group", None, None) for member in self.members]]

    def describe(self, state: State) -> str:
        return f"Group {self.group.name} made of {len(self.members)} sources"


class SetGroup(some_values("group", SetSome)):
    """Changes a group: its name, level, mute, the shift of its members' places, its order."""

    kind: Literal["set-group"] = "set-group"
    group: Key
    name: Name | None = None
    order: Order | None = None
    muted: bool | None = None
    shift: Pan | None = None
    _part: ClassVar[str] = "groups"
    _which: ClassVar[str] = "group"
    _prefix: ClassVar[str] = "group:"

    def check(self, value: Mapping[str, Any]) -> None:
        check_group(value)


class RemoveGroup(Operation):
    """Takes a group apart; its members stay, in no group or ``back`` in those that are named."""

    kind: Literal["remove-group"] = "remove-group"
    group: Key
    back: dict[Key, str] = {}

    def apply(self, state: State) -> Operation:
        group = existing(state, "groups", self.group)
        members = [source for source in state.all("sources") if source["group"] == self.group]
        for member in members:
            before = self.back.get(member["id"], "")
            there = before and state.get("groups", before) is not None
            state.put("sources", member["id"], {**member, "group": before if there else ""})
        moves = without_moves(state, [f"group:{self.group}"])
        state.put("groups", self.group, None)
        back = AddGroup.model_validate({"group": group, "members": [member["id"] for member in members]})
        return Batch.of("Put back", [back, *moves])

    def touches(self) -> list[Touch]:
        return _everything_of(self.group)

    def describe(self, state: State) -> str:
        return f"Group {existing(state, 'groups', self.group)['name']} taken apart"


def _everything_of(group: str) -> list[Touch]:
    return [(f"group:{group}.{field}", None, None) for field in StoredGroup.model_fields if field != "id"]
