"""Putting a session as it was, in part: a source with all that belongs to it, or what moves in a stretch of time."""

from collections.abc import Collection, Mapping
from typing import Any

from needle.automation.curve import Lane, stored
from needle.automation.parameters import PARAMETERS
from needle.automation.splice import piece_of, plain_lane, splice
from needle.errors import NeedleError
from needle.session.owners import PART_OF, lane_key, lane_value, owner_in, static_in
from needle.session.validation import Document

OWN_PARTS = ("sources", "pulses", "deals", "events", "speaker_routing")


def belongs(part: str, key: str, source: str, layers: Collection[str]) -> bool:
    """Whether what has a key in a part is a source, or belongs to it: its lanes, sends, layers, pulses, deal.

    ``layers`` are the owners that its layers are (``layers_of``), those too that are gone.
    """
    if part == "layers":
        return f"layer:{key}" in layers
    if part == "sends":
        return key.startswith(f"{source}/")
    owner = key.rpartition("/")[0] if part == "lanes" else key
    if part == "lanes" or part in OWN_PARTS:
        return owner == source or owner.startswith(f"send:{source}/") or owner in layers
    return False


def layers_of(source: str, *layers: Mapping[str, Mapping[str, Any]]) -> frozenset[str]:
    """A source's layers among those of some documents, as what owns lanes."""
    return frozenset(f"layer:{key}" for some in layers for key, row in some.items() if row["source"] == source)


def source_as_it_was(now: Document, then: Document, source: str) -> Document:
    """The document with one source, and all that belongs to it, as it was. NeedleError if it was not there then."""
    if source not in then["sources"]:
        raise NeedleError("restoring.source_not_there")
    layers = layers_of(source, now["layers"], then["layers"])

    def there(part: str, key: str, value: dict[str, Any]) -> bool:
        """Whether the return is still there that a send, or what moves it, belongs to."""
        owner = value["owner"] if part == "lanes" else key
        to = value["return"] if part == "sends" else owner.partition("/")[2] if owner.startswith("send:") else ""
        return not to or to in now["returns"]

    result = dict(now)
    for part in (*OWN_PARTS, "lanes", "sends", "layers"):
        others = {key: value for key, value in now[part].items() if not belongs(part, key, source, layers)}
        own = {key: value for key, value in then[part].items() if belongs(part, key, source, layers)}
        back = {key: value for key, value in own.items() if there(part, key, value)}
        result[part] = others | back
    row = result["sources"][source]
    if row["group"] not in now["groups"]:
        result["sources"] = {**result["sources"], source: {**row, "group": ""}}
    return result


def moves_as_they_were(now: Document, then: Document, start: float, end: float, source: str = "") -> Document:
    """The document with what moves from ``start`` to ``end`` (s) as it was, of one source or of everything.

    Outside the stretch nothing changes. What was not there then, or is not there now, stays as it is.
    """
    lanes, layers = dict(now["lanes"]), layers_of(source, now["layers"], then["layers"])
    for key in sorted(now["lanes"].keys() | then["lanes"].keys()):
        stored_now, stored_then = now["lanes"].get(key), then["lanes"].get(key)
        lane = stored_now or stored_then
        if source and not belongs("lanes", key, source, layers):
            continue
        owner, parameter = lane["owner"], lane["parameter"]
        if not (_there(now, owner, parameter) and _there(then, owner, parameter)):
            continue
        earlier = _heard(then, stored_then, owner, parameter)
        present = plain_lane(Lane.of(stored_now["points"] if stored_now else []), static_in(now, owner, parameter))
        piece = piece_of(earlier, start, end)
        if piece == piece_of(present, start, end):
            continue
        after = splice(present, start, end, piece)
        lanes[key] = lane_value(key, stored(after.points), bool(stored_now and stored_now.get("off")))
    return {**now, "lanes": lanes}


def lines_as_they_were(now: Document, then: Document) -> dict[str, list[dict[str, Any]]]:
    """What lanes that differ followed then, by their keys; what stood still is one point."""
    keys = {
        key for key in now["lanes"].keys() | then["lanes"].keys() if now["lanes"].get(key) != then["lanes"].get(key)
    }
    for kind, part in PART_OF.items():
        for key in now[part].keys() & then[part].keys():
            owner = key if kind == "source" else f"{kind}:{key}"
            changed = (name for name in PARAMETERS if then[part][key].get(name) != now[part][key].get(name))
            keys |= {lane_key(owner, name) for name in changed}
    result = {}
    for key in sorted(keys):
        owner, _, parameter = key.rpartition("/")
        if _there(then, owner, parameter) and _there(now, owner, parameter):
            result[key] = stored(_heard(then, then["lanes"].get(key), owner, parameter).points)
    return result


def _there(document: Document, owner: str, parameter: str) -> bool:
    try:
        owner_in(document, owner)
        static_in(document, owner, parameter)
    except NeedleError:
        return False
    return True


def _heard(document: Document, lane: dict[str, Any] | None, owner: str, parameter: str) -> Lane:
    """What a parameter followed: its lane, or its static value where it had none or it was switched off."""
    points = lane["points"] if lane and not lane.get("off") else []
    return plain_lane(Lane.of(points), static_in(document, owner, parameter))
