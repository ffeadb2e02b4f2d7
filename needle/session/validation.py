"""What every number and name of a session must keep to, with a sentence for what does not."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from needle.automation.curve import MAX_TIME, Lane
from needle.automation.parameters import (
    GAIN_LIMIT_DB,
    PARAMETERS,
    TRIM_DB,
    check_value,
    check_within,
    defaults_of,
)
from needle.dsp.fractional_delay import LONGEST_MS, SHORTEST_MS, timing_of
from needle.dsp.pan_laws import law_named
from needle.dsp.pan_modes import MOST_INPUTS, mode_for
from needle.effects.chain import checked_effects
from needle.errors import NeedleError
from needle.layouts import layout_named
from needle.mix.model import LAYER_INPUTS, SEND_PLACES
from needle.mix.speaker_routing import check_route
from needle.session.owners import owned_parameter, owner_in
from needle.session.rhythm import check_deal, check_events, check_pulse
from needle.tempo import TempoMap
from needle.units import check_rate

SOURCE_COLOURS = 10
"""how many colours there are to draw sources with; ``colour`` is 0 to ``SOURCE_COLOURS`` - 1."""

DOUBLE_LATEST_MS = 50.0
"""A double comes no later than this (ms)."""

LONGEST_SECONDS = 24 * 3600.0

PARTS = (
    "sources", "lanes", "passages", "groups", "returns", "sends", "pulses", "deals", "events",
    "speaker_routing", "layers", "room",
)  # fmt: skip
"""What a document holds besides its settings, each a dictionary by id."""

Document = dict[str, Any]


def check_lane(parameter: str, lane: Lane) -> Lane:
    """``lane`` if every value lies within the parameter's limits; NeedleError otherwise."""
    for point in lane.points:
        check_value(parameter, point.value)
    return lane


def check_gain(gain: float) -> float:
    """A source's gain (dB) if it is allowed; NeedleError otherwise."""
    if not (np.isfinite(gain) and abs(gain) <= GAIN_LIMIT_DB):
        raise NeedleError("session.gain_out_of_range", gain=gain, low=-GAIN_LIMIT_DB, high=GAIN_LIMIT_DB)
    return float(gain)


def _check_values(kind: str, row: Mapping[str, Any]) -> None:
    """NeedleError if a parameter that a kind of thing has is out of its limits."""
    for parameter in defaults_of(kind):
        check_value(parameter, row[parameter])


def check_source(source: Mapping[str, Any]) -> None:
    """NeedleError if one of a source's values is not allowed."""
    if not 1 <= source["channels"] <= MOST_INPUTS:
        raise NeedleError("session.channel_count", most=MOST_INPUTS)
    mode_for(source["mode"], source["channels"])
    timing_of(source["delay_panning"], source["delay_panning_ms"], source["level_share"])
    check_gain(source["gain"])
    _check_values("source", source)
    check_within("The difference of arrival", source["delay_panning_ms"], SHORTEST_MS, LONGEST_MS, "ms")
    check_within("The share told by level", source["level_share"], 0.0, 1.0, "0 to 1")
    check_within("The double's delay", source["double_ms"], 0.0, DOUBLE_LATEST_MS, "ms")
    check_within("The double's level", source["double_trim"], *TRIM_DB, "dB")
    check_within("The start", source["start"], 0.0, MAX_TIME, "s")


def check_group(group: Mapping[str, Any]) -> None:
    """NeedleError if one of a group's values is not allowed."""
    _check_values("group", group)
    check_within("A group's shift", group["shift"], -1.0, 1.0, PARAMETERS["pan"].unit)


def check_return(one: Mapping[str, Any]) -> None:
    """NeedleError if one of a return's values, or a setting of its effects, is not allowed."""
    _check_values("return", one)
    checked_effects(one["effects"])


def check_send(send: Mapping[str, Any]) -> None:
    """NeedleError if one of a send's values is not allowed."""
    _check_values("send", send)
    if send["place"] not in SEND_PLACES:
        raise NeedleError("mix.unknown_send_place", place=send["place"], choices=SEND_PLACES)


def check_layer(layer: Mapping[str, Any]) -> None:
    """NeedleError if one of a layer's values, or a setting of its effects, is not allowed."""
    _check_values("layer", layer)
    if layer["input"] not in LAYER_INPUTS:
        raise NeedleError("mix.unknown_layer_input", input=layer["input"], choices=LAYER_INPUTS)
    checked_effects(layer["effects"])


def check_speaker_routing(routing: Mapping[str, Any]) -> None:
    """NeedleError if one of the routes of a source to the loudspeakers is not allowed."""
    for route in routing["routes"].values():
        check_route(route)


def check_room(room: Mapping[str, Any]) -> None:
    """NeedleError if the whole room cannot be turned so far."""
    _check_values("room", room)


def check_settings(session: Mapping[str, Any]) -> None:
    """NeedleError if one of the session's own settings is not allowed."""
    check_rate(session["rate"])
    law_named(session["law"])
    TempoMap(tuple(map(tuple, session["tempos"])), tuple(map(tuple, session["metres"])))
    if not 0.0 <= float(session["length"]) <= LONGEST_SECONDS:
        raise NeedleError("session.too_long")
    layout_named(session["layout"])


def check_passage(passage: Mapping[str, Any]) -> None:
    """NeedleError if a passage does not end after it starts."""
    if not 0.0 <= passage["start"] < passage["end"]:
        raise NeedleError("passage.is_empty")


def check_document(document: Document) -> Document:
    """``document`` if every rule holds; NeedleError says which does not, and where."""
    for part in ("session", *PARTS):
        if not isinstance(document.get(part), dict):
            raise NeedleError("session.no_such_part", part=part)
    try:
        check_settings(document["session"])
        rules = (("sources", check_source), ("groups", check_group), ("returns", check_return))
        rhythm = (("pulses", check_pulse), ("deals", check_deal), ("events", check_events))
        room = (("speaker_routing", check_speaker_routing), ("layers", check_layer), ("room", check_room))
        for part, rule in (*rules, ("passages", check_passage), ("sends", check_send), *rhythm, *room):
            for row in document[part].values():
                _named(row, rule)
        for source in document["sources"].values():
            if source["group"] and source["group"] not in document["groups"]:
                raise NeedleError("session.group_missing", name=source["name"])
        for lane in document["lanes"].values():
            owned_parameter(lane["owner"], lane["parameter"])
            owner_in(document, lane["owner"])
            check_lane(lane["parameter"], Lane.of(lane["points"]))
        for owner in document["pulses"]:
            owner_in(document, owner)
        layered = [layer["source"] for layer in document["layers"].values()]
        for key in (*document["deals"], *document["events"], *document["speaker_routing"], *layered):
            owner_in(document, key)
        for send in document["sends"].values():
            if send["source"] not in document["sources"] or send["return"] not in document["returns"]:
                raise NeedleError("session.send_end_missing")
    except KeyError as missing:
        raise NeedleError("session.part_missing", missing=missing) from missing
    except (TypeError, AttributeError) as error:
        raise NeedleError("session.parts_of_wrong_kind") from error
    return document


def _named(row: Mapping[str, Any], rule: Any) -> None:
    try:
        rule(row)
    except NeedleError as error:
        name = row.get("name")
        raise NeedleError("session.named", name=name, reason=error) if name else error from error
