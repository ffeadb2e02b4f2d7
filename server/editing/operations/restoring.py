"""The operation that puts things as they were: made by the server from the log, never sent by a browser."""

from typing import Annotated, Any, Literal

from pydantic import Field

from needle.automation.curve import Lane
from needle.automation.splice import written
from needle.session.validation import Document
from server.editing.operations.base import Operation, Touch
from server.mixsessions.deltas import SETTINGS_KEY
from server.mixsessions.entities import Stored
from server.mixsessions.fields import Name
from server.mixsessions.state import State

_PREFIXES = {
    "sources": "", "groups": "group:", "passages": "passage:", "returns": "return:", "sends": "send:",
    "pulses": "pulse:", "deals": "deal:", "layers": "layer:", "room": "room:", "session": "session:",
}  # fmt: skip
"""How touches name the fields of things, part by part."""

PART_OF_PREFIX = {prefix: part for part, prefix in _PREFIXES.items()}


class Put(Stored):
    """A thing as it is to stand; without a value it is taken away."""

    part: str
    key: Annotated[str, Field(max_length=200)]
    value: dict[str, Any] | None = None


class PutThings(Operation):
    """Puts things as they were at some revision; ``summary`` says which, in the engineer's words."""

    kind: Literal["put-things"] = "put-things"
    summary: Name
    things: list[Put]
    touched: list[Touch]

    @classmethod
    def between(cls, summary: str, now: Document, then: Document) -> "PutThings":
        """What makes the document ``now`` as it was ``then``."""
        things, touched = [], []
        for part in then:
            old, new = ({SETTINGS_KEY: d[part]} if part == "session" else d[part] for d in (now, then))
            for key in sorted(old.keys() | new.keys()):
                if old.get(key) != new.get(key):
                    things.append(Put(part=part, key=key, value=new.get(key)))
                    touched += changed_touches(part, key, old.get(key), new.get(key))
        return cls(summary=summary[:120], things=things, touched=touched)

    def apply(self, state: State) -> Operation:
        before = []
        for thing in self.things:
            before.append(thing.model_copy(update={"value": state.get(thing.part, thing.key)}))
            state.put(thing.part, thing.key, thing.value)
        return self.with_values(things=before[::-1])

    def touches(self) -> list[Touch]:
        return self.touched

    def whole_sources(self) -> set[str]:
        return {thing.key for thing in self.things if thing.part == "sources"}

    def describe(self, state: State) -> str:
        return self.summary


def changed_touches(part: str, key: str, before: dict[str, Any] | None, after: dict[str, Any] | None) -> list[Touch]:
    """What is touched when a thing becomes another one, as the operations that do so name it."""
    if part == "lanes":
        lanes = [Lane.of(lane["points"] if lane else []) for lane in (before, after)]
        switched = [(f"{key}.on", None, None)] if (before or {}).get("off") != (after or {}).get("off") else []
        change = written(*lanes)
        return switched + ([(key, change[0], change[1])] if change else [])
    old, new = before or {}, after or {}
    fields = sorted(name for name in old.keys() | new.keys() if name != "id" and old.get(name) != new.get(name))
    if part == "events":
        return [(f"events:{key}", None, None)]
    if part == "speaker_routing":
        routes = [entity.get("routes", {}) for entity in (old, new)]
        passages = sorted(
            name for name in routes[0].keys() | routes[1].keys() if routes[0].get(name) != routes[1].get(name)
        )
        parts = ("off", "direct", "ambient", "centre", "front", "sides", "back", "above", "lfe")
        return [(f"route:{key}/{passage}.{name}", None, None) for passage in passages for name in parts]
    return [(f"{_PREFIXES[part]}{key}.{field}", None, None) for field in fields]
