"""A session's state as operations see it: things by part and id, in a document or in the database."""

from copy import deepcopy
from typing import Any, Protocol

from needle.errors import NeedleError
from needle.session import Document
from server.mixing.models import Lane, Passage, Session, Source, Thing

Value = dict[str, Any]

MODELS: dict[str, type[Thing]] = {"sources": Source, "lanes": Lane, "passages": Passage}


class State(Protocol):
    """What an operation may do to a session."""

    def get(self, part: str, key: str) -> Value | None:
        """The thing, or None."""

    def put(self, part: str, key: str, value: Value | None) -> None:
        """Put the thing in place; None takes it away."""


def existing(state: State, part: str, key: str) -> Value:
    """The thing, which must exist; NeedleError otherwise."""
    found = state.get(part, key)
    if found is None:
        raise NeedleError(f"There is no “{key}” among the session's {part}. It may have been removed.")
    return found


class DocumentState:
    """State over a document in memory: for replaying the log and for hearing earlier revisions."""

    def __init__(self, document: Document) -> None:
        self.document = document

    def get(self, part: str, key: str) -> Value | None:
        return self.document[part].get(key)

    def put(self, part: str, key: str, value: Value | None) -> None:
        # Parts are replaced, never changed in place, so that who holds the old one keeps it whole.
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
        row = MODELS[part].objects.filter(session=self.session, key=key).first()
        return row and _value(row)

    def put(self, part: str, key: str, value: Value | None) -> None:
        model = MODELS[part]
        if value is None:
            model.objects.filter(session=self.session, key=key).delete()
        else:
            fields = {name: value[name] for name in model.FIELDS}
            model.objects.update_or_create(session=self.session, key=key, defaults=fields)
        self.changes.append({"part": part, "key": key, "value": deepcopy(value)})


def stored_document(session: Session) -> Document:
    """The session's present state as a document."""
    document: Document = {"session": {name: getattr(session, name) for name in Session.SETTINGS}}
    for part, model in MODELS.items():
        rows = model.objects.filter(session=session).order_by("key")
        document[part] = {row.key: _value(row) for row in rows}
    return document


def apply_changes(document: Document, changes: list[dict[str, Any]]) -> Document:
    """The document with logged changes put in place; the given one stays as it is."""
    state = DocumentState(document)
    for change in changes:
        state.put(change["part"], change["key"], change["value"])
    return state.document


def _value(row: Thing) -> Value:
    return {"id": row.key, **{name: getattr(row, name) for name in row.FIELDS}}
