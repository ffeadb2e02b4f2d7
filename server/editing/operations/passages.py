"""Operations on passages: naming a stretch of bars, changing it, and taking the name away."""

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from needle.errors import NeedleError
from needle.session.validation import check_passage
from server.editing.operations.base import Operation, SetSome, Touch
from server.mixsessions.entities import Beat
from server.mixsessions.fields import Key, Name
from server.mixsessions.state import State, existing


class AddPassage(Operation):
    """Names a stretch (in beats)."""

    kind: Literal["add-passage"] = "add-passage"
    id: Key
    name: Name
    start: Beat
    end: Beat

    def apply(self, state: State) -> Operation:
        value = {"id": self.id, "name": self.name, "start": self.start, "end": self.end}
        check_passage(value)
        if state.get("passages", self.id) is not None:
            raise NeedleError("edit.passage_exists", id=self.id)
        state.put("passages", self.id, value)
        return RemovePassage(id=self.id)

    def touches(self) -> list[Touch]:
        return _everything_of(self.id)

    def describe(self, state: State) -> str:
        return f"Passage {self.name} added"


class SetPassage(SetSome):
    """Gives a passage another name, start or end."""

    kind: Literal["set-passage"] = "set-passage"
    id: Key
    name: Name | None = None
    start: Beat | None = None
    end: Beat | None = None
    _part: ClassVar[str] = "passages"
    _which: ClassVar[str] = "id"
    _prefix: ClassVar[str] = "passage:"

    def check(self, value: Mapping[str, Any]) -> None:
        check_passage(value)


class RemovePassage(Operation):
    """Takes a passage's name away."""

    kind: Literal["remove-passage"] = "remove-passage"
    id: Key

    def apply(self, state: State) -> Operation:
        passage = existing(state, "passages", self.id)
        state.put("passages", self.id, None)
        return AddPassage(**passage)

    def touches(self) -> list[Touch]:
        return _everything_of(self.id)

    def describe(self, state: State) -> str:
        return f"Passage {existing(state, 'passages', self.id)['name']} removed"


def _everything_of(passage: str) -> list[Touch]:
    return [(f"passage:{passage}.{field}", None, None) for field in ("name", "start", "end")]
