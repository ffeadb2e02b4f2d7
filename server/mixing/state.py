"""A session's state as operations see it: things by part and id, in a document or in the database."""

from copy import deepcopy
from typing import Any, Protocol

from needle.errors import NeedleError
from needle.session.document import PARTS
from needle.session.validation import Document
from server.mixing.models import Session, Thing

Value = dict[str, Any]

SETTINGS_KEY = "settings"
"""The session's own settings are the one thing of the part ``session``, under this key."""


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
        raise NeedleError(f"There is no “{key}” among the session's {part}. It may have been removed.")
    return result


def _as_kept(value: Any) -> Any:
    """A value as the database gives it back: what operations have as tuples are lists there."""
    if isinstance(value, dict):
        return {key: _as_kept(one) for key, one in value.items()}
    return [_as_kept(one) for one in value] if isinstance(value, list | tuple) else value


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
        value = _as_kept(value)
        # Parts are replaced, never changed in place, so that who holds the old one keeps it whole.
        if part == "session":
            things = value
        else:
            things = {k: v for k, v in self.document[part].items() if k != key}
            if value is not None:
                things[key] = value
        self.document = {**self.document, part: things}


class StoredState:
    """State over the database; ``changes`` gathers what was put, for the log and everybody's screens."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.changes: list[dict[str, Any]] = []

    def get(self, part: str, key: str) -> Value | None:
        if part == "session":
            return _settings(self.session)
        row = self._rows(part).filter(key=key).first()
        return row and row.value

    def all(self, part: str) -> list[Value]:
        return [row.value for row in self._rows(part)]

    def put(self, part: str, key: str, value: Value | None) -> None:
        if part == "session":
            for name in Session.SETTINGS:
                setattr(self.session, name, value[name])
            self.session.save(update_fields=Session.SETTINGS)
        elif value is None:
            self._rows(part).filter(key=key).delete()
        else:
            result = {"session": self.session, "part": part, "key": key}
            Thing.objects.update_or_create(**result, defaults={"value": value})
        self.changes = [c for c in self.changes if (c["part"], c["key"]) != (part, key)]
        self.changes.append({"part": part, "key": key, "value": deepcopy(value)})

    def _rows(self, part: str):
        return Thing.objects.filter(session=self.session, part=part).order_by("key")


def _settings(session: Session) -> Value:
    return {name: getattr(session, name) for name in Session.SETTINGS}


def stored_document(session: Session) -> Document:
    """The session's present state as a document."""
    document: Document = {"session": _settings(session), **{part: {} for part in PARTS}}
    for row in Thing.objects.filter(session=session).order_by("key"):
        document[row.part][row.key] = row.value
    return document


def apply_changes(document: Document, changes: list[dict[str, Any]]) -> Document:
    """The document with logged changes put in place; the given one stays as it is."""
    state = DocumentState(document)
    for change in changes:
        state.put(change["part"], change["key"], change["value"])
    return state.document
