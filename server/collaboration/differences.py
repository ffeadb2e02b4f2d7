"""What has become different between two documents, thing by thing, in the engineer's words."""

from dataclasses import dataclass
from typing import Any

from needle.errors import NeedleError
from needle.session.owners import named
from needle.session.restoring import belongs, layers_of
from needle.session.validation import Document
from server.editing.operations.base import describe_value
from server.mixsessions.deltas import SETTINGS_KEY

_NOT_LISTED = {"id", "asset", "seconds", "first_channel", "frozen_fingerprint", "before_conversion"}
_OF = {"pulses": "pulse", "deals": "deal", "events": "notes to deal", "speaker_routing": "loudspeakers"}


@dataclass(frozen=True)
class Difference:
    """A thing that differs: whose it is (``source`` where it is one's), and ``then`` and ``now`` in a few words."""

    part: str
    key: str
    source: str
    name: str
    then: str
    now: str


def differences(then: Document, now: Document) -> list[Difference]:
    """Everything that differs between two documents; what belongs to a source stands together."""
    result = []
    for part in now:
        old, new = ({SETTINGS_KEY: d[part]} if part == "session" else d[part] for d in (then, now))
        changed = (key for key in sorted(old.keys() | new.keys()) if old.get(key) != new.get(key))
        result += [_difference(part, key, old.get(key), new.get(key), then, now) for key in changed]
    return sorted(result, key=lambda row: (row.source == "", row.name))


def _difference(
    part: str, key: str, old: dict[str, Any] | None, new: dict[str, Any] | None, then: Document, now: Document
) -> Difference:
    entity = new or old or {}
    sources = now["sources"].keys() | then["sources"].keys()
    layers = now["layers"], then["layers"]
    source = next((row for row in sources if belongs(part, key, row, layers_of(row, *layers))), "")
    name = _name(part, key, entity, now if new else then)
    if old is None or new is None:
        return Difference(part, key, source, name, "" if old is None else "there", "" if new is None else "there")
    if part == "lanes":
        counts = (f"{len(row['points'])} points{', off' if row.get('off') else ''}" for row in (old, new))
        return Difference(part, key, source, name, *counts)
    fields = sorted(field for field in old.keys() | new.keys() if old.get(field) != new.get(field))
    fields = [field for field in fields if field not in _NOT_LISTED]
    return Difference(part, key, source, name, _words(fields, old), _words(fields, new))


def _words(fields: list[str], entity: dict[str, Any]) -> str:
    words = []
    for field in fields:
        value = entity.get(field)
        plain = isinstance(value, str | int | float | bool)
        words.append((describe_value(field, value) or field) if plain else f"{field.replace('_', ' ')} otherwise")
    return ", ".join(words[:6]) + (f" and {len(words) - 6} more" if len(words) > 6 else "")


def _name(part: str, key: str, entity: dict[str, Any], document: Document) -> str:
    if part == "session":
        return "The session"
    try:
        if part == "lanes":
            return f"{named(document, entity['owner'])} · {entity['parameter'].replace('_', ' ')}"
        if part == "sends":
            return named(document, f"send:{key}")
        if part in _OF:
            return f"{named(document, key)} · {_OF[part]}"
    except NeedleError:
        return key
    return str(entity.get("name") or key)
