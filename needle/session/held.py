"""What hands hold: values that sound for who listens before anybody lets go of them.

A control is written with what it belongs to and its own name: ``oars.width``, ``send:oars/hull.level``,
``return:hull.pan``, ``pulse:oars.depth``, ``pulse:oars/3.step`` (the fourth), ``effect:return:hull/room-0.length``,
``deal:mallets/p2.level``, ``route:oars/refrain.direct``, ``route:oars/.front`` (a group's level, always).
"""

from collections.abc import Callable, Mapping
from typing import Any

from needle.automation.parameters import PULSE_PARAMETERS, parameters_of
from needle.dealing.deal import PLACE_LIMITS
from needle.errors import NeedleError
from needle.mix.speaker_routing import ALWAYS, ROUTE_DEFAULTS
from needle.session.document import SEND_DEFAULTS
from needle.session.owners import PART_OF, ROOM, kind_and_id, lane_key, owner_in, room_in
from needle.session.rhythm import check_deal, check_pulse
from needle.session.validation import (
    Document,
    check_group,
    check_layer,
    check_return,
    check_room,
    check_send,
    check_source,
    check_speaker_routing,
)

Row = Mapping[str, Any]

_RULES: dict[str, Callable[[Row], None]] = {
    "source": check_source, "group": check_group, "return": check_return, "send": check_send, "layer": check_layer,
    "room": check_room,
}  # fmt: skip

_FIXED = {
    "source": ("gain", "delay_panning_ms", "level_share", "double_ms", "double_trim"),
    "group": ("shift",),
}
"""What may be held besides the parameters that a lane can move."""

_OF_OWN_PLACE = ("pan", "front", "height", "spread")
"""A hand that holds one of these of a send gives it a place of its own."""

_OF_PULSE = ("period", "rate", "origin", "start_phase", "duty", "smooth", "depth", "offset")
_OF_ROUTE = ("direct", "ambient")
_OF_PLACE = tuple(name for name in PLACE_LIMITS if name != "repeats")


def with_held(document: Document, held: Mapping[str, float]) -> Document:
    """The document as it is while hands hold controls: the values of ``held`` by control, in place of any lane.

    Nothing is changed in ``document``; what is not held stays the same object. A control that is not there, because a
    colleague has removed what it belongs to, or that may not have its value, holds nothing.
    """
    result = document
    for control, value in held.items():
        result = _with_one(result, control, value)
    return result


def _with_one(document: Document, control: str, value: float) -> Document:
    of, _, name = control.rpartition(".")
    kind, colon, owner = of.partition(":")
    holds = {"pulse": _pulse, "effect": _effect, "deal": _deal, "route": _route}.get(kind if colon else "")
    try:
        return holds(document, owner, name, value) if holds else _own(document, of, name, value)
    except (NeedleError, KeyError):
        return document


def _own(document: Document, owner: str, name: str, value: float) -> Document:
    """A value of a source, a group, a return, a send, a layer or the room."""
    kind, key = kind_and_id(owner)
    if name not in (*parameters_of(kind), *_FIXED.get(kind, ())) or name in PULSE_PARAMETERS:
        raise KeyError(name)
    part = PART_OF[kind]
    if owner == ROOM:
        row = room_in(document)
    elif kind == "send" and key not in document[part]:
        row = _first_send(document, key)
    else:
        row = owner_in(document, owner)
    row = {**row, name: value}
    if kind == "send" and name in _OF_OWN_PLACE:
        row["place"] = "own"
    return _without_lane(_put(document, part, key, row, _RULES[kind]), owner, name)


def _first_send(document: Document, key: str) -> Row:
    """A send that nobody has set yet."""
    source, _, to = key.partition("/")
    if source not in document["sources"] or to not in document["returns"]:
        raise KeyError(key)
    return {"id": key, "source": source, "return": to, **SEND_DEFAULTS}


def _pulse(document: Document, owner: str, name: str, value: float) -> Document:
    if name == "step":
        return _step(document, owner, value)
    if name not in _OF_PULSE:
        raise KeyError(name)
    row = {**document["pulses"][owner], name: value}
    lane = next((one for one, field in PULSE_PARAMETERS.items() if field == name), "")
    return _without_lane(_put(document, "pulses", owner, row, check_pulse), owner, lane)


def _step(document: Document, of: str, value: float) -> Document:
    """One step of a drawn wave, by its number from 0."""
    owner, _, number = of.rpartition("/")
    row = document["pulses"][owner]
    steps = list(row["steps"])
    if not (number.isdecimal() and int(number) < len(steps)):
        raise KeyError(of)
    steps[int(number)] = value
    return _put(document, "pulses", owner, {**row, "steps": steps}, check_pulse)


def _route(document: Document, of: str, name: str, value: float) -> Document:
    """A part of a stem, or a group's level, from the loudspeakers: always, or in one passage."""
    source, _, passage = of.partition("/")
    if source not in document["sources"] or passage not in (ALWAYS, *document["passages"]):
        raise KeyError(of)
    routes = document["speaker_routing"].get(source, {"routes": {}})["routes"]
    route = routes.get(passage, routes.get(ALWAYS, ROUTE_DEFAULTS))
    values = {name: value} if name in _OF_ROUTE else {"levels": {**route["levels"], name: value}}
    row = {"id": source, "routes": {**routes, passage: {**route, **values}}}
    return _put(document, "speaker_routing", source, row, check_speaker_routing)


def _effect(document: Document, of: str, name: str, value: float) -> Document:
    owner, _, effect = of.rpartition("/")
    kind, key = kind_and_id(owner)
    row = owner_in(document, owner)
    effects = [
        {**one, "settings": {**one["settings"], name: value}} if one["id"] == effect else one
        for one in row["effects"]
    ]
    return _put(document, PART_OF[kind], key, {**row, "effects": effects}, _RULES[kind])


def _deal(document: Document, of: str, name: str, value: float) -> Document:
    source, _, place = of.rpartition("/")
    if name not in _OF_PLACE:
        raise KeyError(name)
    row = document["deals"][source]
    places = [{**one, name: value} if one["id"] == place else one for one in row["places"]]
    return _put(document, "deals", source, {**row, "places": places}, check_deal)


def _put(document: Document, part: str, key: str, row: Row, check: Callable[[Row], None]) -> Document:
    check(row)
    return {**document, part: {**document[part], key: row}}


def _without_lane(document: Document, owner: str, parameter: str) -> Document:
    key = lane_key(owner, parameter)
    if key not in document["lanes"]:
        return document
    return {**document, "lanes": {name: lane for name, lane in document["lanes"].items() if name != key}}
