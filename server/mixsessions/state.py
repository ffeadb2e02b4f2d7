"""A session's state as operations see it: things by part and id, in a document or in the database."""

from copy import deepcopy
from typing import Any, Protocol

from needle.errors import NeedleError
from needle.session.document import PARTS
from needle.session.validation import Document
from server.mixsessions.deltas import Change, change_between
from server.mixsessions.models import Entity, MixSession

Value = dict[str, Any]


class State(Protocol):
    """What an operation may do to a session."""

    def get(self, part: str, key: str) -> Value | None:
        """The thing, or None."""

    def all(self, part: str) -> list[Value]:
        """Every thing of a part, by key."""

    def put(self, part: str, key: str, value: Value | None) -> None:
        """Put the thing in place; None takes it away."""


def existing(state: State, part: str, key: str) -> Value:
    """The thing, which must exist; NeedleError otherwise."""
    result = state.get(part, key)
    if result is None:
        raise NeedleError("mix_session.part_missing", key=key, part=part)
    return result


def _as_stored(value: Any) -> Any:
    """A value as the database gives it back: what operations have as tuples are lists there."""
    if isinstance(value, dict):
        return {key: _as_stored(item) for key, item in value.items()}
    return [_as_stored(item) for item in value] if isinstance(value, list | tuple) else value


def taken_away(state: State, part: str, key: str) -> Value | None:
    """Take a thing away if it is there; what it was."""
    result = state.get(part, key)
    if result is not None:
        state.put(part, key, None)
    return result


class DocumentState:
    """State over a document in memory: for replaying the log and for hearing earlier revisions."""

    def __init__(self, document: Document) -> None:
        self.document = document

    def get(self, part: str, key: str) -> Value | None:
        return self.document[part] if part == "session" else self.document[part].get(key)

    def all(self, part: str) -> list[Value]:
        return [self.document[part][key] for key in sorted(self.document[part])]

    def put(self, part: str, key: str, value: Value | None) -> None:
        value = _as_stored(value)
        # Parts are replaced, never changed in place, so that who holds the old one keeps it whole.
        if part == "session":
            entities = value
        else:
            entities = {k: v for k, v in self.document[part].items() if k != key}
            if value is not None:
                entities[key] = value
        self.document = {**self.document, part: entities}


class StoredState:
    """State over the database. It remembers what was there ``before``, so that it can say what has changed."""

    def __init__(self, session: MixSession) -> None:
        self.session = session
        self.before: dict[tuple[str, str], Value | None] = {}
        self._after: dict[tuple[str, str], Value | None] = {}

    def get(self, part: str, key: str) -> Value | None:
        if part == "session":
            return settings_of(self.session)
        row = self._rows(part).filter(key=key).first()
        return row and row.value

    def all(self, part: str) -> list[Value]:
        return [row.value for row in self._rows(part)]

    def delta(self) -> list[Change]:
        """What has changed, in the order in which it was put."""
        changes = (change_between(*name, self.before[name], after) for name, after in self._after.items())
        return [change for change in changes if change is not None]

    def put(self, part: str, key: str, value: Value | None) -> None:
        value = _as_stored(value)
        if (part, key) not in self.before:
            self.before[part, key] = deepcopy(self.get(part, key))
        if part == "session":
            for name in MixSession.SETTINGS:
                setattr(self.session, name, value[name])
            self.session.save(update_fields=MixSession.SETTINGS)
        elif value is None:
            self._rows(part).filter(key=key).delete()
        else:
            result = {"session": self.session, "kind": part, "key": key}
            Entity.objects.update_or_create(**result, defaults={"value": value})
        self._after.pop((part, key), None)
        self._after[part, key] = deepcopy(value)

    def _rows(self, part: str):
        return Entity.objects.filter(session=self.session, kind=part).order_by("key")


def settings_of(session: MixSession) -> Value:
    """A session's own settings."""
    return {name: getattr(session, name) for name in MixSession.SETTINGS}


def stored_document(session: MixSession) -> Document:
    """The session's present state as a document."""
    document: Document = {"session": settings_of(session), **{part: {} for part in PARTS}}
    for row in Entity.objects.filter(session=session).order_by("key"):
        document[row.kind][row.key] = row.value
    return document
