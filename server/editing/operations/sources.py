"""Operations on a source: its place, level, gain, mute, name and order, and its coming and going."""

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from needle.automation.parameters import parameters_of
from needle.errors import NeedleError
from needle.session.document import send_key
from needle.session.owners import kind_and_id, lane_key
from needle.session.validation import check_send, check_source
from server.editing.operations.base import Operation, SetSome, Touch, some_values
from server.editing.operations.lanes import LaneKey, RestoreLanes, send_owner, sends_of, without_lanes
from server.editing.operations.rhythm import RestoreRhythm, without_rhythm
from server.editing.operations.room import AddLayer, PassageKey, RestoreRoute, layers_of, without_room
from server.mixsessions.entities import (
    ColourIndex,
    DoubleDelay,
    GroupKey,
    Milliseconds,
    Share,
    StoredLayer,
    StoredPoint,
    StoredRoute,
    StoredSend,
    StoredSource,
    Time,
    Trim,
    Word,
)
from server.mixsessions.fields import Gain, Key, Name, Order
from server.mixsessions.state import State, existing


class _SetSource(SetSome):
    """Sets fields of a source."""

    source: Key
    _part: ClassVar[str] = "sources"
    _which: ClassVar[str] = "source"

    def check(self, value: Mapping[str, Any]) -> None:
        check_source(value)


LEVELS = ("level", "trim", "lfe")
"""What of a source its level is set by; all else places it."""


class PlaceSource(some_values("source", _SetSource, without=LEVELS)):
    """Puts a source at a place, or changes what placing it means."""

    kind: Literal["place-source"] = "place-source"
    mode: Word | None = None
    swap_channels: bool | None = None
    invert_left: bool | None = None
    invert_right: bool | None = None
    delay_panning: Word | None = None
    delay_panning_ms: Milliseconds | None = None
    level_share: Share | None = None
    double: bool | None = None
    double_ms: DoubleDelay | None = None
    double_trim: Trim | None = None
    snap: bool | None = None


class SetLevel(some_values("source", _SetSource, only=LEVELS)):
    """Sets a source's level, the trim that is added to it, or what goes to the LFE (dB; the lowest is off)."""

    kind: Literal["set-level"] = "set-level"


class SetGain(_SetSource):
    """Sets a source's gain before everything else (dB)."""

    kind: Literal["set-gain"] = "set-gain"
    gain: Gain


class MuteSource(_SetSource):
    """Mutes a source for everybody, or its own sound without its layers, or lets it sound again."""

    kind: Literal["mute-source"] = "mute-source"
    muted: bool | None = None
    direct_muted: bool | None = None


class RenameSource(_SetSource):
    """Gives a source another name."""

    kind: Literal["rename-source"] = "rename-source"
    name: Name

    def _word(self, name: str, value: Any) -> str:
        return f"is now called “{value}”"


class ArrangeSource(_SetSource):
    """Changes how a source is drawn and listed, and when it starts."""

    kind: Literal["arrange-source"] = "arrange-source"
    colour: ColourIndex | None = None
    order: Order | None = None
    start: Time | None = None

    def _word(self, name: str, value: Any) -> str:
        return {"colour": "another colour", "order": "moved in the list"}.get(name) or f"starts at {value:.3f} s"


class JoinGroup(_SetSource):
    """Puts a source in a group, or, with an empty name, in none."""

    kind: Literal["join-group"] = "join-group"
    group: GroupKey

    def apply(self, state: State) -> Operation:
        if self.group:
            existing(state, "groups", self.group)
        return super().apply(state)

    def describe(self, state: State) -> str:
        name = existing(state, "sources", self.source)["name"]
        group = existing(state, "groups", self.group)["name"] if self.group else ""
        return f"{name} joins {group}" if group else f"{name} leaves its group"


class AddSource(Operation):
    """Adds a source, with the lanes and sends it comes with.

    ``lanes``: points by parameter, or by the whole key of a lane of its sends; ``off`` names those switched off.
    ``rhythm``: its pulse, its sends' pulses, its deal and what is dealt. ``routes`` and ``layers``: how it sounds in
    the room.
    """

    kind: Literal["add-source"] = "add-source"
    source: StoredSource
    lanes: dict[LaneKey, list[StoredPoint]] = {}
    off: list[LaneKey] = []
    sends: list[StoredSend] = []
    rhythm: RestoreRhythm | None = None
    routes: dict[PassageKey, StoredRoute] = {}
    layers: list[StoredLayer] = []

    def apply(self, state: State) -> Operation:
        key = self.source.id
        value = self.source.model_dump()
        check_source(value)
        if state.get("sources", key) is not None:
            raise NeedleError("edit.source_exists", key=key)
        if value["group"] and state.get("groups", value["group"]) is None:
            value["group"] = ""
        state.put("sources", key, value)
        for send in self.sends:
            # A return that has gone meanwhile takes nothing any more.
            if send.source == key and state.get("returns", send.to) is not None:
                result = {**send.model_dump(by_alias=True), "id": send_key(key, send.to)}
                check_send(result)
                state.put("sends", result["id"], result)
        for passage, route in self.routes.items():
            RestoreRoute(source=key, passage=passage, route=route).apply(state)
        for layer in self.layers:
            if layer.source == key and state.get("layers", layer.id) is None:
                AddLayer(layer=layer).apply(state)
        whole = {name: name if "/" in name else lane_key(key, name) for name in self.lanes}
        there = {whole[name]: points for name, points in self.lanes.items() if _belongs(state, key, whole[name])}
        RestoreLanes(lanes=there, off=[whole.get(name, name) for name in self.off]).apply(state)
        if self.rhythm is not None:
            pulses = {
                owner: pulse for owner, pulse in self.rhythm.pulses.items() if _belongs(state, key, f"{owner}/")
            }
            self.rhythm.with_values(pulses=pulses).apply(state)
        return RemoveSource(source=key)

    def touches(self) -> list[Touch]:
        return _everything_of(self.source.id)

    def describe(self, state: State) -> str:
        return f"{self.source.name} added"


class RemoveSource(Operation):
    """Takes a source away; its inverse brings it back with its lanes and sends."""

    kind: Literal["remove-source"] = "remove-source"
    source: Key

    def apply(self, state: State) -> Operation:
        source = existing(state, "sources", self.source)
        sends = sends_of(state, "source", self.source)
        layers = layers_of(state, self.source)
        owners = [self.source, *map(send_owner, sends), *(f"layer:{layer['id']}" for layer in layers)]
        removed, rhythm = without_lanes(state, owners), without_rhythm(state, owners)
        routing = without_room(state, self.source, layers)
        for send in sends:
            state.put("sends", send["id"], None)
        state.put("sources", self.source, None)
        in_room = {"routes": routing["routes"] if routing else {}, "layers": layers}
        lanes = removed.model_dump(include={"lanes", "off"}) if removed else {}
        return AddSource.model_validate({"source": source, "sends": sends, "rhythm": rhythm, **in_room, **lanes})

    def touches(self) -> list[Touch]:
        return _everything_of(self.source)

    def describe(self, state: State) -> str:
        return f"{existing(state, 'sources', self.source)['name']} removed"


def _belongs(state: State, source: str, key: str) -> bool:
    """Whether a lane's owner is the source, one of its sends or layers, and is there."""
    owner, _, _ = key.rpartition("/")
    kind, entity_id = kind_and_id(owner)
    if kind == "source":
        return owner == source
    if kind == "layer":
        layer = state.get("layers", entity_id)
        return layer is not None and layer["source"] == source
    return kind == "send" and entity_id.startswith(f"{source}/") and state.get("sends", entity_id) is not None


def _everything_of(source: str) -> list[Touch]:
    fields = [(f"{source}.{field}", None, None) for field in StoredSource.model_fields if field != "id"]
    return fields + [(lane_key(source, parameter), None, None) for parameter in parameters_of("source")]
