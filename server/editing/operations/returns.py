"""Operations on returns, their effects, and the sends that feed them."""

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from needle.effects.chain import checked_effects
from needle.errors import NeedleError
from needle.session.document import SEND_DEFAULTS, send_key
from needle.session.validation import check_return, check_send
from server.editing.operations.base import Operation, SetSome, Touch, describe_value, level_words, some_values
from server.editing.operations.lanes import send_owner, sends_of
from server.editing.operations.rhythm import without_moves
from server.editing.operations.several import Batch
from server.mixsessions.entities import ColourIndex, SendPlace, StoredEffect, StoredReturn, StoredSend
from server.mixsessions.fields import Key, Name, Order
from server.mixsessions.state import State, existing


class AddReturn(Operation):
    """Adds a return, with the sends that feed it."""

    kind: Literal["add-return"] = "add-return"
    to: StoredReturn
    sends: list[StoredSend] = []

    def apply(self, state: State) -> Operation:
        value = self.to.model_dump()
        value["effects"] = checked_effects(value["effects"])
        check_return(value)
        if state.get("returns", self.to.id) is not None:
            raise NeedleError("edit.return_exists", id=self.to.id)
        state.put("returns", self.to.id, value)
        for send in self.sends:
            if send.to == self.to.id and state.get("sources", send.source) is not None:
                result = {**send.model_dump(by_alias=True), "id": send_key(send.source, send.to)}
                check_send(result)
                state.put("sends", result["id"], result)
        return RemoveReturn(to=self.to.id)

    def touches(self) -> list[Touch]:
        return _everything_of(self.to.id)

    def describe(self, state: State) -> str:
        return f"Return {self.to.name} added"


class SetReturn(some_values("return", SetSome)):
    """Changes a return: its name, level, mute, balance, width, colour, order."""

    kind: Literal["set-return"] = "set-return"
    to: Key
    name: Name | None = None
    colour: ColourIndex | None = None
    order: Order | None = None
    muted: bool | None = None
    _part: ClassVar[str] = "returns"
    _which: ClassVar[str] = "to"
    _prefix: ClassVar[str] = "return:"

    def check(self, value: Mapping[str, Any]) -> None:
        check_return(value)


class SetEffect(Operation):
    """Turns one effect of a return on or off, or changes some of its settings."""

    kind: Literal["set-effect"] = "set-effect"
    to: Key
    effect: Key
    on: bool | None = None
    settings: dict[Key, float | str] = {}

    def apply(self, state: State) -> Operation:
        mix_return = existing(state, "returns", self.to)
        before = next((effect for effect in mix_return["effects"] if effect["id"] == self.effect), None)
        if before is None:
            raise NeedleError("edit.effect_gone", name=mix_return["name"])
        after = {
            **before,
            "on": before["on"] if self.on is None else self.on,
            "settings": {**before["settings"], **self.settings},
        }
        effects = checked_effects([after if effect is before else effect for effect in mix_return["effects"]])
        state.put("returns", self.to, {**mix_return, "effects": effects})
        changed = {name: before["settings"][name] for name in self.settings}
        return self.with_values(on=None if self.on is None else before["on"], settings=changed)

    def touches(self) -> list[Touch]:
        names = [*self.settings, *([] if self.on is None else ["on"])]
        return [(f"return:{self.to}.{self.effect}.{name}", None, None) for name in names]

    def describe(self, state: State) -> str:
        mix_return = existing(state, "returns", self.to)
        kind = next((effect["kind"] for effect in mix_return["effects"] if effect["id"] == self.effect), "effect")
        words = [describe_value(name, value) for name, value in self.settings.items()]
        words += [] if self.on is None else ["on" if self.on else "off"]
        return f"{mix_return['name']}, {kind}: {', '.join(words) or 'nothing'}"


class ArrangeEffects(Operation):
    """Gives a return another list of effects: added, taken away, or in another order."""

    kind: Literal["arrange-effects"] = "arrange-effects"
    to: Key
    effects: list[StoredEffect]

    def apply(self, state: State) -> Operation:
        mix_return = existing(state, "returns", self.to)
        effects = checked_effects(effect.model_dump() for effect in self.effects)
        state.put("returns", self.to, {**mix_return, "effects": effects})
        return ArrangeEffects.model_validate({"to": self.to, "effects": mix_return["effects"]})

    def touches(self) -> list[Touch]:
        return [(f"return:{self.to}.effects", None, None)]

    def describe(self, state: State) -> str:
        kinds = ", ".join(effect.kind for effect in self.effects) or "no effect"
        return f"{existing(state, 'returns', self.to)['name']}: {kinds}"


class RemoveReturn(Operation):
    """Takes a return away; its inverse brings it back with the sends that fed it."""

    kind: Literal["remove-return"] = "remove-return"
    to: Key

    def apply(self, state: State) -> Operation:
        mix_return = existing(state, "returns", self.to)
        sends = sends_of(state, "return", self.to)
        moves = without_moves(state, [f"return:{self.to}", *map(send_owner, sends)])
        for send in sends:
            state.put("sends", send["id"], None)
        state.put("returns", self.to, None)
        back = AddReturn.model_validate({"to": mix_return, "sends": sends})
        return Batch.of("Put back", [back, *moves])

    def touches(self) -> list[Touch]:
        return _everything_of(self.to)

    def describe(self, state: State) -> str:
        return f"Return {existing(state, 'returns', self.to)['name']} removed"


class SetSend(some_values("send", Operation)):
    """Changes what a source gives to a return; the send begins with the first change."""

    kind: Literal["set-send"] = "set-send"
    source: Key
    to: Key
    pre: bool | None = None
    place: SendPlace | None = None

    def _changes(self) -> dict[str, Any]:
        return {name: value for name in SEND_DEFAULTS if (value := getattr(self, name)) is not None}

    def apply(self, state: State) -> Operation:
        existing(state, "sources", self.source)
        existing(state, "returns", self.to)
        key = send_key(self.source, self.to)
        before = state.get("sends", key)
        send = before or {"id": key, "source": self.source, "return": self.to, **SEND_DEFAULTS}
        after = {**send, **self._changes()}
        check_send(after)
        state.put("sends", key, after)
        if before is None:
            return RemoveSend(source=self.source, to=self.to)
        return self.with_values(**{name: before[name] for name in self._changes()})

    def touches(self) -> list[Touch]:
        return [(f"send:{send_key(self.source, self.to)}.{name}", None, None) for name in self._changes()]

    def describe(self, state: State) -> str:
        source, to = existing(state, "sources", self.source)["name"], existing(state, "returns", self.to)["name"]
        words = []
        for name, value in self._changes().items():
            if name == "level":
                words.append(level_words(value))
            elif name == "pre":
                words.append("tapped before the level" if value else "tapped after the level")
            else:
                words.append(f"placed {value}" if name == "place" else describe_value(name, value))
        return f"{source} to {to}: {', '.join(words)}"


class RemoveSend(Operation):
    """Takes a send away."""

    kind: Literal["remove-send"] = "remove-send"
    source: Key
    to: Key

    def apply(self, state: State) -> Operation:
        key = send_key(self.source, self.to)
        send = existing(state, "sends", key)
        moves = without_moves(state, [send_owner(send)])
        state.put("sends", key, None)
        values = {name: send[name] for name in SEND_DEFAULTS}
        back = SetSend.model_validate({"source": self.source, "to": self.to, **values})
        return Batch.of("Put back", [back, *moves])

    def touches(self) -> list[Touch]:
        key = send_key(self.source, self.to)
        return [(f"send:{key}.{name}", None, None) for name in SEND_DEFAULTS]

    def describe(self, state: State) -> str:
        source, to = existing(state, "sources", self.source)["name"], existing(state, "returns", self.to)["name"]
        return f"{source} to {to}: taken away"


def _everything_of(mix_return: str) -> list[Touch]:
    fields = [field for field in StoredReturn.model_fields if field != "id"]
    return [(f"return:{mix_return}.{field}", None, None) for field in fields]
