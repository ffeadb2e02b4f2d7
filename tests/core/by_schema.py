"""Sessions made at random by the JSON Schema of their bundle: whatever it allows, in any combination."""

import json
import string
from pathlib import Path
from typing import Any

from hypothesis import strategies as st

from needle.automation.curve import SHAPES
from needle.automation.parameters import PARAMETERS, parameters_of
from needle.autopan.pulse import FORMS, UNITS
from needle.autopan.waveforms import WAVES
from needle.dealing.deal import ORDERS, SOUNDS
from needle.dealing.voice import TIMBRES
from needle.dsp.fractional_delay import WAYS
from needle.dsp.pan_laws import LAWS
from needle.dsp.pan_modes import MODES
from needle.effects.chain import EFFECTS
from needle.layouts import LAYOUTS
from needle.session.document import send_key
from needle.session.owners import kind_and_id, lane_key

SCHEMA = json.loads((Path(__file__).parents[2] / "docs/schemas/session-bundle.schema.json").read_text("utf-8"))
DEFINITIONS = SCHEMA["$defs"]
SECONDS = 0.5
CHANNELS = (1, 2, 4)
"""Of the assets there are: ``a1.wav`` and so on."""

_SPEAKERS = sorted({speaker.name for layout in LAYOUTS.values() for speaker in layout.speakers})
_WORDS: dict[str, list[str]] = {
    "law": list(LAWS), "layout": list(LAYOUTS), "mode": list(MODES), "delay_panning": list(WAYS), "form": list(FORMS),
    "unit": list(UNITS), "wave": list(WAVES), "order": list(ORDERS), "sound": list(SOUNDS), "timbre": list(TIMBRES),
    "kind": list(EFFECTS), "shape": list(SHAPES), "frozen_asset": [""], "frozen_fingerprint": [""],
}  # fmt: skip
"""What a name may be where the schema says only that it is text."""

_LIMITS = {
    "period": (0.0625, 64.0), "rate": (0.05, 20.0), "duty": (0.05, 0.95), "smooth": (0.0, 1.0),
    "offset": (0.0, 360.0), "start_phase": (0.0, 0.4), "origin": (0.0, 8.0), "depth": (0.0, 1.0),
    "delay_panning_ms": (0.1, 30.0), "seconds": (0.1, SECONDS), "t": (0.0, SECONDS), "tension": (-1.0, 1.0),
    "shape_start": (0.0, 0.4), "shape_end": (0.6, 1.0), "rotation": (-720.0, 720.0), "low_pass": (0.0, 20000.0),
    "length": (0.05, 8.0), "transpose": (-24.0, 24.0), "repeat_interval": (0.0625, 16.0), "fade": (0.0, 24.0),
}  # fmt: skip
"""Numbers whose limits the core knows and the schema does not."""


_FEWEST = {"steps": 2, "places": 2}


def values(schema: dict[str, Any], name: str = "") -> st.SearchStrategy[Any]:
    """What a schema allows; ``name`` is the property's. What need not be there is left out now and then."""
    if "$ref" in schema:
        return values(DEFINITIONS[schema["$ref"].rpartition("/")[2]], name)
    if "enum" in schema:
        return st.sampled_from(schema["enum"])
    if "anyOf" in schema:
        return st.one_of([values(part, name) for part in schema["anyOf"]])
    kind = schema["type"]
    if kind == "boolean":
        return st.booleans()
    if kind == "integer":
        low = int(schema.get("minimum", 0))
        return st.integers(
            low, min(int(schema.get("maximum", schema.get("exclusiveMaximum", low + 9) - 1)), low + 99)
        )
    if kind == "number":
        low, high = _LIMITS.get(name, (schema.get("minimum", -1.0), schema.get("maximum", 1.0)))
        return st.one_of(st.floats(low, high), st.sampled_from([low, high]))
    if kind == "string":
        if name in _WORDS:
            return st.sampled_from(_WORDS[name])
        return st.text(string.ascii_lowercase, min_size=max(schema.get("minLength", 0), 1), max_size=8)
    if kind == "array":
        if "prefixItems" in schema:
            return st.tuples(*(values(part, name) for part in schema["prefixItems"])).map(list)
        most = min(schema.get("maxItems", 4), 4)
        return st.lists(values(schema["items"], name), min_size=_FEWEST.get(name, 0), max_size=most)
    return _object(schema)


@st.composite
def _object(draw, schema: dict[str, Any]) -> dict[str, Any]:
    needed = set(schema.get("required", ()))
    return {
        name: draw(values(part, name))
        for name, part in schema.get("properties", {}).items()
        if name in needed or draw(st.booleans())
    }


def _row(draw, definition: str, **known: Any) -> dict[str, Any]:
    return {**draw(values(DEFINITIONS[definition])), **known}


@st.composite
def documents(draw) -> dict[str, Any]:
    """Whole sessions: any values, in any mode and layout, that belong together by their names."""
    settings = _row(draw, "SettingsOut", rate=48000, length=draw(st.sampled_from([0.0, SECONDS])))
    settings["tempos"] = [[0.0, draw(st.floats(30.0, 240.0))]]
    settings["metres"] = [[1, 4, 4]]
    document: dict[str, Any] = {part: {} for part in SCHEMA["properties"]["document"]["properties"]}
    document["session"] = settings
    for number in range(draw(st.integers(1, 3))):
        channels = draw(st.sampled_from(CHANNELS))
        modes = [name for name, mode in MODES.items() if mode.takes(channels)]
        key = f"s{number}"
        document["sources"][key] = _row(
            draw, "StoredSource", id=key, name=key, asset=f"a{channels}.wav", channels=channels, first_channel=0,
            group="", mode=draw(st.sampled_from(modes)), start=draw(st.sampled_from([0.0, 0.1])),
        )  # fmt: skip
    sources = list(document["sources"])
    if draw(st.booleans()):
        document["groups"]["g"] = _row(draw, "StoredGroup", id="g", name="G")
        document["sources"][sources[0]]["group"] = "g"
    for number in range(draw(st.integers(0, 2))):
        key = f"r{number}"
        document["returns"][key] = _row(draw, "StoredReturn", id=key, name=key, effects=_effects(draw))
        for source in sources:
            send = send_key(source, key)
            document["sends"][send] = _row(draw, "StoredSend", id=send, source=source, **{"return": key})
    if draw(st.booleans()):
        document["passages"]["p"] = _row(draw, "StoredPassage", id="p", name="P", start=0.0, end=0.5)
    for part, definition in (("pulses", "StoredPulse"), ("deals", "StoredDeal"), ("events", "StoredEvents")):
        for source in sources:
            if draw(st.booleans()):
                document[part][source] = _row(draw, definition, id=source)
    for source in sources:
        if draw(st.booleans()):
            document["speaker_routing"][source] = {"id": source, "routes": draw(_routes([*document["passages"], ""]))}
        if draw(st.booleans()):
            key = f"l-{source}"
            document["layers"][key] = _row(
                draw, "StoredLayer", id=key, name=key, source=source, effects=_effects(draw)
            )
    if draw(st.booleans()):
        document["room"]["mix"] = _row(draw, "StoredRoom", id="mix", name="Room")
    for deal in document["deals"].values():
        deal["places"] = [{**place, "id": f"p{i}"} for i, place in enumerate(deal.get("places", []))]
        if not deal["places"]:
            deal["places"] = [{"id": "p0", "pan": -1.0}, {"id": "p1"}]
    for source in document["events"].values():
        source["items"] = [[i * 0.1, 0.05, 60.0 + i, 0.7] for i in range(3)]
    owners = [
        *sources,
        *(f"return:{key}" for key in document["returns"]),
        *(f"send:{key}" for key in document["sends"]),
    ]
    for _ in range(draw(st.integers(0, 3))):
        owner = draw(st.sampled_from(owners))
        parameter = draw(st.sampled_from(list(parameters_of(kind_and_id(owner)[0]))))
        key = lane_key(owner, parameter)
        limits = PARAMETERS[parameter]
        points = draw(st.lists(values(DEFINITIONS["StoredPoint"]), min_size=1, max_size=4))
        for point in points:
            point["value"] = draw(st.floats(max(limits.low, -720.0), min(limits.high, 720.0)))
        points.sort(key=lambda point: point["t"])
        document["lanes"][key] = {"id": key, "owner": owner, "parameter": parameter, "points": points}
    return document


def _effects(draw) -> list[dict[str, Any]]:
    """A few effects; settings are there or not, as the schema has it."""
    effects = []
    for number in range(draw(st.integers(0, 2))):
        effect = _row(draw, "StoredEffect", id=f"e{number}")
        settings = {}
        for setting in EFFECTS[effect["kind"]].settings:
            if draw(st.booleans()):
                numbers = st.floats(setting.low, min(setting.high, setting.low + 2.0))
                settings[setting.name] = draw(st.sampled_from(setting.choices) if setting.choices else numbers)
        effect["settings"] = settings
        effects.append(effect)
    return effects


@st.composite
def _routes(draw, passages: list[str]) -> dict[str, Any]:
    routes = {}
    for passage in passages:
        if draw(st.booleans()):
            route = draw(values(DEFINITIONS["StoredRoute"]))
            route["off"] = draw(st.lists(st.sampled_from(_SPEAKERS), max_size=3, unique=True))
            route["levels"] = {}
            routes[passage] = route
    return routes
