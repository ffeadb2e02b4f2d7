"""Operations on the room: which loudspeakers a source may sound from, its layers, and the turn of the whole room."""

from collections.abc import Iterable, Mapping
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from needle.effects.chain import checked_effects
from needle.errors import NeedleError
from needle.mix.speaker_routing import ALWAYS, ROUTE_DEFAULTS
from needle.session.owners import ROOM, ROOM_DEFAULTS, ROOM_KEY
from needle.session.validation import check_layer, check_speaker_routing
from server.editing.operations.base import Operation, SetSome, Touch, describe_value, level_words, some_values
from server.editing.operations.lanes import LaneKey, RestoreLanes, without_lanes
from server.mixsessions.entities import SpeakerName, StoredEffect, StoredLayer, StoredPoint, StoredRoute, Word
from server.mixsessions.fields import Key, Level, Name, Order
from server.mixsessions.state import State, Value, existing

PassageKey = Annotated[str, Field(max_length=64, pattern=r"^[\w-]*$")]


class SetRoute(Operation):
    """Sets some of the route in which a source may sound in the room: always, or, with a ``passage``, during that.

    ``off``: the speakers that may not sound. ``levels`` (dB) by group change those that are named. ``direct`` and
    ``ambient`` (dB) are the parts of a stem. A passage's route begins as the one that always holds.
    """

    kind: Literal["set-route"] = "set-route"
    source: Key
    passage: PassageKey = ALWAYS
    off: Annotated[list[SpeakerName], Field(max_length=32)] | None = None
    levels: dict[Word, Level] = {}
    direct: Level | None = None
    ambient: Level | None = None

    def apply(self, state: State) -> Operation:
        existing(state, "sources", self.source)
        if self.passage:
            existing(state, "passages", self.passage)
        before = state.get("speaker_routing", self.source)
        routes = before["routes"] if before else {}
        route = routes.get(self.passage, routes.get(ALWAYS, ROUTE_DEFAULTS))
        values = {name: value for name in ("off", "direct", "ambient") if (value := getattr(self, name)) is not None}
        after = {**route, **values, "levels": {**route["levels"], **self.levels}}
        routing = {"id": self.source, "routes": {**routes, self.passage: after}}
        check_speaker_routing(routing)
        state.put("speaker_routing", self.source, routing)
        return RestoreRoute.model_validate(
            {"source": self.source, "passage": self.passage, "route": routes.get(self.passage)}
        )

    def touches(self) -> list[Touch]:
        names = [name for name in ("off", "direct", "ambient") if getattr(self, name) is not None]
        return [(f"route:{self.source}/{self.passage}.{name}", None, None) for name in (*names, *self.levels)]

    def describe(self, state: State) -> str:
        words = [f"{name} {level_words(level)}" for name, level in self.levels.items()]
        words += [f"{n} {level_words(v)}" for n in ("direct", "ambient") if (v := getattr(self, n)) is not None]
        if self.off is not None:
            words.append(f"not from {', '.join(self.off)}" if self.off else "from every loudspeaker")
        return f"{_where(state, self.source, self.passage)}: {', '.join(words) or 'nothing'}"


class RestoreRoute(Operation):
    """Puts a whole route in place, or with none takes it away."""

    kind: Literal["restore-route"] = "restore-route"
    source: Key
    passage: PassageKey = ALWAYS
    route: StoredRoute | None = None

    def apply(self, state: State) -> Operation:
        existing(state, "sources", self.source)
        before = state.get("speaker_routing", self.source)
        routes = dict(before["routes"]) if before else {}
        removed = routes.pop(self.passage, None)
        if self.route is not None:
            routes[self.passage] = self.route.model_dump()
        routing = {"id": self.source, "routes": routes}
        check_speaker_routing(routing)
        state.put("speaker_routing", self.source, routing if routes else None)
        return RestoreRoute.model_validate({"source": self.source, "passage": self.passage, "route": removed})

    def touches(self) -> list[Touch]:
        names = ("off", "direct", "ambient", "centre", "front", "sides", "back", "above", "lfe")
        return [(f"route:{self.source}/{self.passage}.{name}", None, None) for name in names]

    def describe(self, state: State) -> str:
        wording = "as it was set" if self.route else "as everywhere else" if self.passage else "from everywhere"
        return f"{_where(state, self.source, self.passage)}: {wording}"


def _where(state: State, source: str, passage: str) -> str:
    name = existing(state, "sources", source)["name"]
    result = state.get("passages", passage) if passage else None
    return f"{name} in {result['name']}" if result else f"{name} in the room"


class SetRoom(some_values("room", SetSome)):
    """Turns the whole room (degrees to the left); ``forget``: as if nobody had ever turned it."""

    kind: Literal["set-room"] = "set-room"
    key: Literal["mix"] = ROOM_KEY
    forget: bool | None = None
    _part: ClassVar[str] = "room"
    _which: ClassVar[str] = "key"
    _prefix: ClassVar[str] = "room:"

    def apply(self, state: State) -> Operation:
        before = state.get("room", ROOM_KEY)
        if self.forget:
            state.put("room", ROOM_KEY, None)
            return SetRoom(rotation=before["rotation"] if before else ROOM_DEFAULTS["rotation"])
        if before is not None:
            return super().apply(state)
        if self.rotation is None:
            raise NeedleError("edit.nothing_to_change")
        state.put("room", ROOM_KEY, {**ROOM_DEFAULTS, "rotation": self.rotation})
        return SetRoom(forget=True)

    def touches(self) -> list[Touch]:
        return [(f"{ROOM}.rotation", None, None)]

    def describe(self, state: State) -> str:
        return f"The room turned to {self.rotation or 0.0:g}°"


class AddLayer(Operation):
    """Puts a layer under a source, with the lanes it comes with by their keys; ``off`` names those switched off."""

    kind: Literal["add-layer"] = "add-layer"
    layer: StoredLayer
    lanes: dict[LaneKey, list[StoredPoint]] = {}
    off: list[LaneKey] = []

    def apply(self, state: State) -> Operation:
        existing(state, "sources", self.layer.source)
        value = {**self.layer.model_dump(), "effects": checked_effects(e.model_dump() for e in self.layer.effects)}
        check_layer(value)
        if state.get("layers", self.layer.id) is not None:
            raise NeedleError("edit.layer_exists", id=self.layer.id)
        if len(layers_of(state, self.layer.source)) >= MOST_LAYERS:
            raise NeedleError("edit.too_many_layers", most=MOST_LAYERS)
        state.put("layers", self.layer.id, value)
        there = {key: points for key, points in self.lanes.items() if key.startswith(f"layer:{self.layer.id}/")}
        RestoreLanes(lanes=there, off=self.off).apply(state)
        return RemoveLayer(source=self.layer.source, layer=self.layer.id)

    def touches(self) -> list[Touch]:
        return _layer_touches(self.layer.source, self.layer.id)

    def describe(self, state: State) -> str:
        return f"{existing(state, 'sources', self.layer.source)['name']}: layer {self.layer.name} added"


class SetLayer(some_values("layer", SetSome)):
    """Changes some values of a layer."""

    kind: Literal["set-layer"] = "set-layer"
    layer: Key
    name: Name | None = None
    order: Order | None = None
    input: Literal["source", "previous"] | None = None
    pre: bool | None = None
    muted: bool | None = None
    effects: list[StoredEffect] | None = None
    _part: ClassVar[str] = "layers"
    _which: ClassVar[str] = "layer"
    _prefix: ClassVar[str] = "layer:"

    def check(self, value: Mapping[str, Any]) -> None:
        check_layer(value)

    def changes(self) -> dict[str, Any]:
        result = super().changes()
        return {**result, "effects": checked_effects(result["effects"])} if "effects" in result else result

    def describe(self, state: State) -> str:
        layer = existing(state, "layers", self.layer)
        source = existing(state, "sources", layer["source"])
        return f"{source['name']} · {super().describe(state)}"

    def _word(self, name: str, value: Any) -> str:
        if name == "effects":
            return ", ".join(effect["kind"] for effect in value) or "no effect"
        return describe_value(name, value)


class RemoveLayer(Operation):
    """Takes a layer away; its inverse brings it back with what moves it."""

    kind: Literal["remove-layer"] = "remove-layer"
    source: Key
    layer: Key

    def apply(self, state: State) -> Operation:
        layer = existing(state, "layers", self.layer)
        removed = without_lanes(state, [f"layer:{self.layer}"])
        state.put("layers", self.layer, None)
        lanes = removed.model_dump(include={"lanes", "off"}) if removed else {}
        return AddLayer.model_validate({"layer": layer, **lanes})

    def touches(self) -> list[Touch]:
        return _layer_touches(self.source, self.layer)

    def describe(self, state: State) -> str:
        layer = existing(state, "layers", self.layer)
        return f"{existing(state, 'sources', layer['source'])['name']}: layer {layer['name']} removed"


MOST_LAYERS = 8


def layers_of(state: State, source: str) -> list[Value]:
    """The layers under a source."""
    return [layer for layer in state.all("layers") if layer["source"] == source]


def without_room(state: State, source: str, layers: Iterable[Value]) -> Value | None:
    """Take away a source's routes and layers, which go with it; its routing as it was."""
    for layer in layers:
        state.put("layers", layer["id"], None)
    routing = state.get("speaker_routing", source)
    if routing is not None:
        state.put("speaker_routing", source, None)
    return routing


def _layer_touches(source: str, layer: str) -> list[Touch]:
    fields = [field for field in StoredLayer.model_fields if field not in ("id", "source")]
    return [(f"{source}.layers", None, None), *((f"layer:{layer}.{field}", None, None) for field in fields)]
