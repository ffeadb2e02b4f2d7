"""Putting back what one change had touched, by the names that operations give to what they touch."""

from collections.abc import Iterable
from typing import Any

from needle.automation.curve import Lane, stored
from needle.errors import NeedleError
from needle.session.owners import PART_OF, ROOM, kind_and_id, lane_value
from needle.session.validation import Document, check_document
from server.editing.operations import Touch
from server.editing.operations.restoring import PART_OF_PREFIX
from server.mixsessions.deltas import apply_delta


def touched_as_it_was(now: Document, then: Document, touches: Iterable[Touch]) -> Document:
    """The document with what a change had touched as it was after it."""
    result = now
    for name, start, end in touches:
        change = _change(result, then, name, start, end)
        if change:
            result = apply_delta(result, [change])
    return result


def _change(
    now: Document, then: Document, name: str, start: float | None, end: float | None
) -> dict[str, Any] | None:
    head, dot, field = name.rpartition(".")
    kind, colon, key = (head if dot else name).partition(":")
    if name.startswith("events:"):
        return {"part": "events", "key": name.partition(":")[2], "value": then["events"].get(name.partition(":")[2])}
    if kind == "route":
        source, _, passage = key.partition("/")
        return _route_change(now, then, source, passage, field)
    if not dot or (field == "on" and "/" in head and head in now["lanes"] | then["lanes"]):
        return _lane_change(now, then, head if dot else name, start, end)
    if kind == "deal" and "." in key:
        source, _, place = key.partition(".")
        return _place_change(now, then, source, place, field)
    part, entity_id = (PART_OF_PREFIX.get(f"{kind}:"), key) if colon else ("sources", head)
    if part == "session":
        return {"part": part, "key": entity_id, "value": {**now[part], field: then[part][field]}}
    old, new = then.get(part, {}).get(entity_id), now.get(part, {}).get(entity_id)
    if old is None or new is None:
        # It came or went with the change.
        return {"part": part, "key": entity_id, "value": old} if part and old != new else None
    return {"part": part, "key": entity_id, "value": {**new, field: old[field]}} if field in old else None


def _route_change(now: Document, then: Document, source: str, passage: str, name: str) -> dict[str, Any] | None:
    """One value of one route to the loudspeakers; what else was made of the room since stays."""
    if source not in now["sources"]:
        return None
    old, routes = (document["speaker_routing"].get(source, {}).get("routes", {}) for document in (then, now))
    was, route = old.get(passage), routes.get(passage)
    if was is None or route is None:
        # It came or went with the change.
        remaining = {key: value for key, value in routes.items() if key != passage}
        after = remaining | ({passage: was} if was else {})
    elif name in was:
        after = {**routes, passage: {**route, name: was[name]}}
    else:
        levels = {key: value for key, value in route["levels"].items() if key != name}
        again = {name: was["levels"][name]} if name in was["levels"] else {}
        after = {**routes, passage: {**route, "levels": levels | again}}
    value = {"id": source, "routes": after} if after else None
    return {"part": "speaker_routing", "key": source, "value": value} if after != routes else None


def _place_change(now: Document, then: Document, source: str, place: str, name: str) -> dict[str, Any] | None:
    """One value of one place of a deal; the other places, and those that have gone, stay as they are."""
    old, new = then["deals"].get(source), now["deals"].get(source)
    was = next((row for row in (old or {}).get("places") or [] if row["id"] == place), None)
    if new is None or was is None or name not in was:
        return None
    places = [{**row, name: was[name]} if row["id"] == place else row for row in new["places"] or []]
    return {"part": "deals", "key": source, "value": {**new, "places": places}}


def _lane_change(
    now: Document, then: Document, key: str, start: float | None, end: float | None
) -> dict[str, Any] | None:
    owner = key.rpartition("/")[0]
    kind, entity_id = kind_and_id(owner)
    if owner != ROOM and entity_id not in now[PART_OF[kind]]:
        return None
    old, new = then["lanes"].get(key), now["lanes"].get(key)
    if start is None or end is None:
        return {"part": "lanes", "key": key, "value": old} if old != new else None
    before, after = (Lane.of(lane["points"] if lane else []) for lane in (new, old))
    points = before.with_range(start, end, after.in_range(start, end)).points
    off = bool((new or old or {}).get("off"))
    return {"part": "lanes", "key": key, "value": lane_value(key, stored(points), off) if points else None}


def checked(document: Document) -> Document:
    """The document if all in it still goes together. NeedleError says what does not."""
    try:
        return check_document(document)
    except NeedleError as error:
        raise NeedleError("edit.cannot_restore_alone", reason=error) from error
