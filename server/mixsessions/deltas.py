"""Deltas: the smallest description of how a document has changed, for the log and for everybody's browser.

A delta is a list of changes, one for each entity (``part`` and ``key``) that is another now. A change has

- ``value``: the whole entity where it is new, and None where it is removed; or
- ``fields``: those fields that have other values; ``cleared``: the names of those that it has no more; and for a lane
- ``points``: ``at`` which index how many points are ``removed`` and which are ``inserted``.

So moving one point of two thousand is a change of one point.
"""

import json
import zlib
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from needle.session.validation import Document

Change = dict[str, Any]
Value = dict[str, Any]

SETTINGS_KEY = "settings"
"""The session's own settings are the one entity of the part ``session``, under this key."""


def change_between(part: str, key: str, before: Value | None, after: Value | None) -> Change | None:
    """What makes an entity another one; None where it stays the same."""
    if before == after:
        return None
    change: Change = {"part": part, "key": key}
    if before is None or after is None:
        return {**change, "value": after}
    if before.keys() - after.keys():
        change["cleared"] = sorted(before.keys() - after.keys())
    fields = {name: value for name, value in after.items() if before.get(name, _MISSING) != value}
    if part == "lanes" and "points" in fields:
        del fields["points"]
        change["points"] = _splice(before["points"], after["points"])
    return {**change, "fields": fields} if fields else change


_MISSING = object()


def _splice(before: list[Value], after: list[Value]) -> Value:
    """The one stretch of a list of points that is another now."""
    shorter = min(len(before), len(after))
    same = next((i for i in range(shorter) if before[i] != after[i]), shorter)
    longest = shorter - same
    tail = next((i for i in range(longest) if before[-1 - i] != after[-1 - i]), longest)
    return {"at": same, "removed": len(before) - same - tail, "inserted": after[same : len(after) - tail]}


def entity_after(change: Change, before: Value | None) -> Value | None:
    """An entity as a change leaves it; the one before stays as it is."""
    if "value" in change:
        return change["value"]
    if before is None:
        raise ValueError(f"There is nothing at {change['part']}/{change['key']} to change.")
    uncleared = {name: value for name, value in before.items() if name not in change.get("cleared", ())}
    after = {**uncleared, **change.get("fields", {})}
    if "points" in change:
        at, removed = change["points"]["at"], change["points"]["removed"]
        points = before["points"]
        after["points"] = [*points[:at], *change["points"]["inserted"], *points[at + removed :]]
    return after


def entity_in(document: Document, part: str, key: str) -> Value | None:
    """An entity of a document; None if it is not there."""
    return document[part] if part == "session" else document[part].get(key)


def packed(value: Value | None) -> bytes | None:
    """An entity as a snapshot stores it."""
    return None if value is None else zlib.compress(json.dumps(value, separators=(",", ":")).encode())


def unpacked(stored: bytes) -> Value:
    """An entity of a snapshot."""
    return json.loads(zlib.decompress(stored))


def apply_delta(document: Document, delta: Iterable[Change]) -> Document:
    """The document with a delta applied; the given one stays as it is, and what does not change is shared."""
    parts: dict[str, dict[str, Value]] = {}
    result = dict(document)
    for change in delta:
        part, key = change["part"], change["key"]
        if part == "session":
            result[part] = entity_after(change, result[part])
            continue
        if part not in parts:
            parts[part] = result[part] = dict(result[part])
        after = entity_after(change, parts[part].get(key))
        if after is None:
            parts[part].pop(key, None)
        else:
            parts[part][key] = after
    return result


def documents_delta(before: Document, after: Document) -> list[Change]:
    """What makes one document another."""
    result = []
    for part in after:
        old, new = ({SETTINGS_KEY: d[part]} if part == "session" else d[part] for d in (before, after))
        for key in sorted(old.keys() | new.keys()):
            change = change_between(part, key, old.get(key), new.get(key))
            if change is not None:
                result.append(change)
    return result


def subjects_of(
    delta: Iterable[Change], before: Mapping[tuple[str, str], Value | None], layer_source: Any
) -> dict[str, bool]:
    """What a delta is about: ids of sources and keys of lanes, each with whether it was a source that was removed.

    ``before`` are entities as they stood; ``layer_source(id)`` gives the source of a layer that exists.
    """
    result: dict[str, bool] = {}
    for change in delta:
        part, key = change["part"], change["key"]
        name, removed = key, False
        if part == "lanes":
            result.setdefault(key, False)
            name = _source_of(key.rpartition("/")[0], before, layer_source)
        elif part == "pulses":
            name = _source_of(key, before, layer_source)
        elif part == "layers":
            row = change.get("value") or before.get((part, key)) or {}
            name = row.get("source") or layer_source(key)
        elif part == "sends":
            name = key.partition("/")[0]
        elif part == "sources":
            removed = change.get("value", _MISSING) is None
        elif part not in ("deals", "events", "speaker_routing"):
            continue
        if name:
            result[name] = result.get(name, False) or removed
    return result


def subject_rows(subjects: Mapping[str, bool], touches: Iterable[Sequence[Any]]) -> list[dict[str, Any]]:
    """The index entries of an operation: what its delta is about, and what else it touches."""
    touched = {touched_thing(touch[0]) for touch in touches} - subjects.keys()
    return [
        *({"name": name, "changed": True, "removed": removed} for name, removed in sorted(subjects.items())),
        *({"name": name, "changed": False, "removed": False} for name in sorted(touched)),
    ]


def touched_thing(name: str) -> str:
    """The thing or the lane that a touch is on, by the touch's name: ``oars`` for ``oars.pan``."""
    return name.partition(".")[0]


def _source_of(owner: str, before: Mapping[tuple[str, str], Value | None], layer_source: Any) -> str:
    kind, colon, key = owner.partition(":")
    if not colon:
        return owner
    if kind == "send":
        return key.partition("/")[0]
    if kind == "layer":
        row = before.get(("layers", key))
        return row["source"] if row else layer_source(key)
    return ""
