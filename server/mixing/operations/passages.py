"""Operations on passages: naming a stretch of bars, and taking the name away."""

from typing import Annotated, Literal

from pydantic import Field

from needle.errors import NeedleError
from server.mixing.operations.base import Finite, Key, Name, Operation, Touch
from server.mixing.state import State, existing

Beat = Annotated[Finite, Field(ge=0.0, le=1e6)]


class AddPassage(Operation):
    """Names a stretch (in beats)."""

    kind: Literal["add-passage"] = "add-passage"
    id: Key
    name: Name
    start: Beat
    end: Beat

    def apply(self, state: State) -> Operation:
        if self.start >= self.end:
            raise NeedleError("A passage must end after it starts.")
        if state.get("passages", self.id) is not None:
            raise NeedleError(f"There is already a passage with the id “{self.id}”.")
        value = {"id": self.id, "name": self.name, "start": self.start, "end": self.end}
        state.put("passages", self.id, value)
        return RemovePassage(id=self.id)

    def touches(self) -> list[Touch]:
        return [(f"passage:{self.id}", None, None)]

    def describe(self, state: State) -> str:
        return f"Passage {self.name} added"


class RemovePassage(Operation):
    """Takes a passage's name away."""

    kind: Literal["remove-passage"] = "remove-passage"
    id: Key

    def apply(self, state: State) -> Operation:
        passage = existing(state, "passages", self.id)
        state.put("passages", self.id, None)
        return AddPassage(**passage)

    def touches(self) -> list[Touch]:
        return [(f"passage:{self.id}", None, None)]

    def describe(self, state: State) -> str:
        return f"Passage {existing(state, 'passages', self.id)['name']} removed"
