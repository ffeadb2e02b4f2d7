"""A session as plain values: its *document*, what each thing in it is at first, and the mix that it makes.

The document is the session's whole state as JSON-ready dictionaries: what a bundle holds, what the
server's operations change, and what ``mix_of`` turns into something that can be rendered.
"""

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import POINT_DEFAULTS, Lane
from needle.automation.parameters import defaults_of, parameters_of
from needle.effects.base import Around
from needle.effects.chain import Chain, with_settings
from needle.mix.dealt_sounds import GeneratedAudio
from needle.mix.model import Mix, MixLayer, MixReturn, MixSend, MixSource
from needle.mix.speaker_routing import ROUTE_DEFAULTS, speaker_routing_in
from needle.render.freezing import as_frozen
from needle.session.migrations import VERSION, with_todays_names
from needle.session.owners import ROOM, ROOM_DEFAULTS, kind_and_id, lane_key, room_in
from needle.session.rhythm import DEAL_DEFAULTS, PLACE_DEFAULTS, PULSE_DEFAULTS, deal_in, pulsing_in, sounds_until
from needle.session.validation import PARTS, Document
from needle.tempo import TempoMap
from needle.units import OFF_DB, check_rate

Audio = NDArray[np.float32]

EMPTY_SECONDS = 30.0
"""How long a session is that follows its sources and has none yet."""

SOURCE_DEFAULTS: dict[str, Any] = {
    "seconds": 0.0,
    "first_channel": 0,
    "start": 0.0,
    "gain": 0.0,
    "muted": False,
    "group": "",
    "swap_channels": False,
    "invert_left": False,
    "invert_right": False,
    "delay_panning": "off",
    "delay_panning_ms": 0.7,
    "level_share": 0.0,
    "double": False,
    "double_ms": 0.0,
    "double_trim": 0.0,
    "frozen_asset": "",
    "frozen_fingerprint": "",
    "snap": False,
    "direct_muted": False,
    **defaults_of("source"),
}
"""A source's values where nobody has set them. ``first_channel`` is the first that it takes of its asset.

``frozen_asset`` names the audio that it was frozen as, ``frozen_fingerprint`` what that was made of.
"""

GROUP_DEFAULTS: dict[str, Any] = {"order": 0, "muted": False, "shift": 0.0, **defaults_of("group")}

RETURN_DEFAULTS: dict[str, Any] = {"colour": 0, "order": 0, "muted": False, "effects": [], **defaults_of("return")}

SEND_DEFAULTS: dict[str, Any] = {"pre": False, "place": "same", **defaults_of("send")}

LAYER_DEFAULTS: dict[str, Any] = {
    "order": 0, "input": "source", "pre": False, "effects": [], "muted": False, **defaults_of("layer"),
}  # fmt: skip
"""A layer under a source where nobody has set anything."""

_DEFAULTS = {
    "sources": SOURCE_DEFAULTS,
    "groups": GROUP_DEFAULTS,
    "returns": RETURN_DEFAULTS,
    "sends": SEND_DEFAULTS,
    "pulses": PULSE_DEFAULTS,
    "deals": DEAL_DEFAULTS,
    "layers": LAYER_DEFAULTS,
    "room": ROOM_DEFAULTS,
}


def empty_document(name: str, rate: int = 48000, length: float = 60.0) -> Document:
    """A session without sources: ``rate`` in Hz, ``length`` in seconds, 120 bpm in 4/4, constant power.

    A length of 0 follows the sources.
    """
    settings = {
        "name": name,
        "rate": check_rate(rate),
        "length": length,
        "layout": "0+2+0",
        "tempos": [[0.0, 120.0]],
        "metres": [[1, 4, 4]],
        "law": "constant-power",
        "centre_zero": False,
    }
    return {"session": settings, **{part: {} for part in PARTS}}


_ENVELOPING = 6
"""The first version in which returns have an envelopment."""


def upgraded(document: Document, version: int = VERSION) -> Document:
    """A document of any earlier version with everything that it may leave out, as it is at first.

    Returns in a room from before they had an envelopment stay directional.
    """
    document = with_todays_names(document, version)
    complete = {**document, **{part: document.get(part, {}) for part in PARTS}}
    settings = document.get("session")
    is_stereo = isinstance(settings, dict) and settings.get("layout") == "0+2+0"
    if version < _ENVELOPING and not is_stereo:
        complete["returns"] = _each(complete["returns"], lambda row: {"envelopment": 0.0, **row})
    for part, at_first in _DEFAULTS.items():
        complete[part] = _each(complete[part], partial(_with_defaults, at_first))
    for part in ("returns", "layers"):
        complete[part] = _each(complete[part], lambda row: {**row, "effects": _each(row["effects"], with_settings)})
    complete["deals"] = _each(
        complete["deals"],
        lambda deal: {**deal, "places": _each(deal["places"], partial(_with_defaults, PLACE_DEFAULTS))},
    )
    complete["lanes"] = _each(complete["lanes"], _with_whole_points)
    complete["speaker_routing"] = _each(
        complete["speaker_routing"],
        lambda row: {**row, "routes": _each(row.get("routes", {}), partial(_with_defaults, ROUTE_DEFAULTS))},
    )
    return complete


def _each(things: Any, completed: Callable[[dict[str, Any]], dict[str, Any]]) -> Any:
    """Things by key or in a list, each completed; what is not of the right kind is left to be refused."""
    if isinstance(things, dict):
        return {key: completed(item) if isinstance(item, dict) else item for key, item in things.items()}
    if isinstance(things, list):
        return [completed(item) if isinstance(item, dict) else item for item in things]
    return things


def _with_whole_points(lane: dict[str, Any]) -> dict[str, Any]:
    if "points" not in lane:
        return lane
    return {**lane, "points": _each(lane["points"], partial(_with_defaults, POINT_DEFAULTS))}


def _with_defaults(at_first: dict[str, Any], row: dict[str, Any]) -> dict[str, Any]:
    return {**at_first, **row}


def send_key(source: str, to: str) -> str:
    """The key of a send in ``document["sends"]``."""
    return f"{source}/{to}"


def names_in(document: Document) -> dict[str, str]:
    """What a session's sources, groups and returns are called, by id."""
    parts = ("sources", "groups", "returns")
    return {key: row["name"] for part in parts for key, row in document[part].items()}


def groups_in(document: Document) -> dict[str, str]:
    """The group of every source by id, empty for none."""
    return {key: row["group"] for key, row in document["sources"].items()}


def markers_in(document: Document) -> list[tuple[float, str]]:
    """Where the passages of a session begin (beats of the piece), with their names, in the order of time."""
    return sorted((float(passage["start"]), passage["name"]) for passage in document["passages"].values())


def tempo_map(document: Document) -> TempoMap:
    """The session's tempo map."""
    session = document["session"]
    return TempoMap(tuple(map(tuple, session["tempos"])), tuple(map(tuple, session["metres"])))


def piece_length(document: Document) -> float:
    """How long the piece is (s): as set, or until the last source and the tails of what it feeds have sounded."""
    session = document["session"]
    if session["length"] > 0.0:
        return session["length"]
    sources = document["sources"].values()
    last = max((source["start"] + source["seconds"] for source in sources), default=0.0)
    voiced = [sounds_until(document, key, tempo_map(document)) for key in document["deals"]]
    last = max([last, *voiced])
    if last <= 0.0:
        return EMPTY_SECONDS
    fed = {
        send["return"]
        for key, send in document["sends"].items()
        if send["level"] > OFF_DB or lane_key(f"send:{key}", "level") in document["lanes"]
    }
    around = Around(session["rate"], tempo_map(document))
    tails = [
        Chain.of(row["effects"]).tail(around)
        for key, row in document["returns"].items()
        if key in fed and not row["muted"]
    ]
    return last + max(tails, default=0) / session["rate"]


def mix_of(
    document: Document,
    audio: Callable[[str], Audio | GeneratedAudio],
    lane_of: Callable[[Mapping[str, Any]], Lane] = lambda stored: Lane.of(stored["points"]),
) -> Mix:
    """The document as a ``Mix``.

    ``audio(asset)`` gives an asset's samples, float32 of shape (channels, frames) at the session's rate;
    ``lane_of(stored)`` a lane, for callers who keep lanes they have already read.
    """
    session = document["session"]
    rows = sorted(document["sources"].values(), key=lambda s: (s["order"], s["id"]))
    returns = sorted(document["returns"].values(), key=lambda r: (r["order"], r["id"]))
    tempo = tempo_map(document)
    mix = Mix(
        rate=session["rate"],
        length=piece_length(document),
        law=session["law"],
        centre_zero=session["centre_zero"],
        sources=tuple(_source(document, row, audio, lane_of, tempo) for row in rows),
        returns=tuple(_return(document, row, lane_of, tempo) for row in returns),
        tempo=tempo,
        layout=session["layout"],
    )
    return as_frozen(
        mix,
        {row["id"]: (audio(row["frozen_asset"]), row["frozen_fingerprint"]) for row in rows if row["frozen_asset"]},
    )


_AS_STORED = (
    "id", "asset", "first_channel", "gain", "mode", "swap_channels", "invert_left", "invert_right",
    "delay_panning", "delay_panning_ms", "level_share", "double", "double_ms", "double_trim", "snap", "direct_muted",
    *defaults_of("source"),
)  # fmt: skip


def _source(
    document: Document,
    row: Mapping[str, Any],
    audio: Callable[[str], Audio | GeneratedAudio],
    lane_of: Callable[[Mapping[str, Any]], Lane],
    tempo: TempoMap,
) -> MixSource:
    sends = {}
    for to in document["returns"]:
        key = send_key(row["id"], to)
        send = document["sends"].get(key)
        moves = _lanes(document, f"send:{key}", lane_of) if send else {}
        if send and (send["level"] > OFF_DB or "level" in moves):
            pulse = pulsing_in(document, f"send:{key}", tempo, moves)
            place = {name: send[name] for name in SEND_DEFAULTS}
            sends[to] = MixSend(**place, lanes=moves, pulse=pulse)
    group = document["groups"].get(row["group"], GROUP_DEFAULTS)
    lanes = _lanes(document, row["id"], lane_of)
    governed = _lanes(document, f"group:{row['group']}", lane_of)
    group_pulse = pulsing_in(document, f"group:{row['group']}", tempo, governed)
    if "level" in governed:
        lanes["group_level"] = governed["level"]
    turned = _lanes(document, ROOM, lane_of)
    if turned:
        lanes["room_rotation"] = turned["rotation"]
    return MixSource(
        audio=audio(row["asset"])[row["first_channel"] : row["first_channel"] + row["channels"]],
        offset=round(row["start"] * document["session"]["rate"]),
        muted=row["muted"] or group["muted"],
        shift=group["shift"],
        group_level=group["level"],
        pulse=pulsing_in(document, row["id"], tempo, lanes),
        group_pulse=group_pulse,
        deal=deal_in(document, row["id"], tempo),
        room_rotation=room_in(document)["rotation"],
        speaker_routing=speaker_routing_in(document, row["id"], tempo),
        layers=_layers(document, row["id"], lane_of),
        lanes=lanes,
        sends=sends,
        **{name: row[name] for name in _AS_STORED},
    )


def _return(
    document: Document, row: Mapping[str, Any], lane_of: Callable[[Mapping[str, Any]], Lane], tempo: TempoMap
) -> MixReturn:
    owner = f"return:{row['id']}"
    lanes = _lanes(document, owner, lane_of)
    pulse = pulsing_in(document, owner, tempo, lanes)
    turned = _lanes(document, ROOM, lane_of)
    if turned:
        lanes["room_rotation"] = turned["rotation"]
    return MixReturn(
        chain=Chain.of(row["effects"]),
        lanes=lanes,
        pulse=pulse,
        room_rotation=room_in(document)["rotation"],
        **{name: row[name] for name in ("id", "muted", *defaults_of("return"))},
    )


def layers_of(document: Document, source: str) -> list[dict[str, Any]]:
    """The layers under a source, from the top of the stack."""
    result = [layer for layer in document["layers"].values() if layer["source"] == source]
    return sorted(result, key=lambda layer: (layer["order"], layer["id"]))


def _layers(document: Document, source: str, lane_of: Callable[[Mapping[str, Any]], Lane]) -> tuple[MixLayer, ...]:
    return tuple(
        MixLayer(
            chain=Chain.of(row["effects"]),
            lanes=_lanes(document, f"layer:{row['id']}", lane_of),
            **{name: row[name] for name in ("id", "input", "pre", "muted", *defaults_of("layer"))},
        )
        for row in layers_of(document, source)
    )


def _lanes(document: Document, owner: str, lane_of: Callable[[Mapping[str, Any]], Lane]) -> dict[str, Lane]:
    """What a thing's parameters follow: its lanes that have points and are not switched off."""
    result = {}
    for parameter in parameters_of(kind_and_id(owner)[0]):
        stored = document["lanes"].get(lane_key(owner, parameter))
        if stored and stored["points"] and not stored.get("off"):
            result[parameter] = lane_of(stored)
    return result
