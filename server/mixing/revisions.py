"""The operations log: applying a change, undoing one's own, and looking back.

Everything that changes a session goes through ``submit``, ``undo`` or ``redo``: one transaction each, one
revision each, told to everybody once it is kept.
"""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.db import transaction
from django.dispatch import Signal

from needle.session.validation import Document
from server.mixing import conflicts
from server.mixing.access import Refused, membership
from server.mixing.announcing import announce
from server.mixing.models import Operation as Row
from server.mixing.models import Session, Thing
from server.mixing.operations import Operation, operation_from
from server.mixing.operations.rhythm import check_thawed
from server.mixing.state import DocumentState, StoredState, stored_document

kept = Signal()
"""Sent inside the transaction that keeps an operation: ``session``, and the ``changes`` of things it made."""


@dataclass(frozen=True)
class Made:
    """A kept operation, and what its author should be told besides."""

    row: Row
    notice: str = ""


def submit(user, session_id: UUID, client_id: UUID, made_on: int | None, operation: Operation) -> Made:
    """Apply an operation for a user. The same client id again gives the first answer again.

    ``made_on`` is the revision that its author had seen, the latest where it is None. Refused if the user may not;
    NeedleError if the operation breaks a rule: nothing has changed then.
    """
    return _in_turn(user, session_id, client_id, lambda session: (operation, None, ""), made_on)


def submit_made(user, session_id: UUID, client_id: UUID, made: Callable[[Session], Operation]) -> Made:
    """Apply what is ``made`` of the session as it stands, once nobody else changes it any more."""
    return _in_turn(user, session_id, client_id, lambda session: (made(session), None, ""))


def undo(user, session_id: UUID, client_id: UUID) -> Made:
    """Take back the user's latest operation that still can be; what colleagues have changed since stays."""

    def choose(session: Session) -> tuple[Operation, Row, str]:
        passed_over = ""
        for row, rival in conflicts.own_latest(session, user):
            if rival is None:
                return operation_from(row.inverse), row, passed_over
            passed_over = passed_over or f"{rival.author_name} has changed “{row.said}” since; theirs stays."
        raise Refused(passed_over or "There is nothing of yours to undo.", 409)

    return _in_turn(user, session_id, client_id, choose)


def redo(user, session_id: UUID, client_id: UUID) -> Made:
    """Put back what the user's latest undo took away, unless they have gone on since."""

    def choose(session: Session) -> tuple[Operation, Row, str]:
        row = conflicts.live(session).filter(author=user).exclude(kind="redo").order_by("-revision").first()
        if row is None or row.undoes_id is None:
            raise Refused("There is nothing of yours to redo.", 409)
        rival = conflicts.changed_since(session, row, user)
        if rival is not None:
            raise Refused(f"{rival.author_name} has changed the same since; theirs stays.", 409)
        return operation_from(row.inverse), row, ""

    return _in_turn(user, session_id, client_id, choose)


Choice = Callable[[Session], tuple[Operation, Row | None, str]]


def _in_turn(user, session_id: UUID, client_id: UUID, choose: Choice, made_on: int | None = None) -> Made:
    membership(user, session_id, to_edit=True)
    with steady(session_id) as session:
        known = session.operations.filter(client_id=client_id).select_related("author").first()
        if known is not None:
            if known.author_id != user.pk:
                raise Refused("That client id belongs to somebody else's operation. Use a fresh one.", 409)
            return Made(known)
        operation, undoes, notice = choose(session)
        row = _keep(user, session, client_id, made_on, operation, undoes)
        announce(session_id, "revision", told=told(row))
    return Made(row, notice)


def _keep(
    user, session: Session, client_id: UUID, made_on: int | None, operation: Operation, undoes: Row | None
) -> Row:
    state = StoredState(session)
    unseen = [] if made_on is None else conflicts.unseen(session, user, made_on, operation)
    operation = operation.since([row.body for row in unseen])
    check_thawed(state, operation)
    said = operation.describe(state)
    inverse = operation.apply(state)
    kind = operation.kind
    if undoes is not None:
        kind = "undo" if undoes.undoes_id is None else "redo"
        said = f"{kind}: {undoes.said.removeprefix('undo: ')}"
    session.revision += 1
    session.save(update_fields=["revision", "changed_at"])
    kept.send(Row, session=session, changes=state.changes)
    return Row.objects.create(
        session=session,
        revision=session.revision,
        client_id=client_id,
        author=user,
        made_on=session.revision - 1 if made_on is None else made_on,
        kind=kind,
        body=_written(operation),
        inverse=_written(inverse),
        changes=state.changes,
        touches=operation.touches(),
        said=said[:300],
        over=conflicts.overwritten(operation, unseen),
        undoes=undoes,
    )


def _written(operation: Operation) -> dict[str, Any]:
    """An operation as it is logged: what it does not set is left out."""
    return operation.model_dump(by_alias=True, exclude_none=True)


def told(row: Row) -> dict[str, Any]:
    """A revision as everybody in the session is told of it."""
    return {
        "type": "revision",
        "revision": row.revision,
        "client_id": str(row.client_id),
        "author": {"id": row.author_id, "name": row.author_name},
        "kind": row.kind,
        "said": row.said,
        "over": row.over,
        "changes": row.changes,
    }


def since(session_id: UUID, revision: int) -> list[dict[str, Any]]:
    """What was changed after a revision, in order."""
    rows = Row.objects.filter(session=session_id, revision__gt=revision).select_related("author")
    return [told(row) for row in rows]


@contextmanager
def steady(session_id: UUID) -> Iterator[Session]:
    """The session's row, read so that nothing changes until the block ends."""
    with transaction.atomic():
        yield Session.objects.select_for_update().get(pk=session_id)


def document_at(session_id: UUID, revision: int) -> Document:
    """The session's document as it stood after a revision. Refused if it has not come to that yet."""
    with steady(session_id) as session:
        if revision > session.revision:
            raise Refused(f"The session has come to revision {session.revision}, not {revision}.", 409)
        state = DocumentState(stored_document(session))
        later = Row.objects.filter(session=session, revision__gt=revision).order_by("-revision")
        for row in later.iterator():
            operation_from(row.inverse).apply(state)
        return state.document


def removed_sources(session_id: UUID) -> list[Row]:
    """The latest removal of each source that is not there now, latest first: what brings it back is its inverse."""
    there = set(Thing.objects.filter(session=session_id, part="sources").values_list("key", flat=True))
    result: dict[str, Row] = {}
    rows = Row.objects.filter(session=session_id).select_related("author").order_by("-revision")
    for row in rows.iterator():
        for change in row.changes:
            key = change["key"]
            if change["part"] == "sources" and change["value"] is None and key not in there:
                result.setdefault(key, row)
    return list(dict.fromkeys(result.values()))


def bringing_back(row: Row) -> list[dict[str, Any]]:
    """What a logged removal took away, as ``add-source`` operations."""
    parts = operation_from(row.inverse).parts()
    return [_written(part) for part in parts if part.kind == "add-source"]


def replayed(session: Session) -> Document:
    """The document that the whole log gives, from the session's beginning."""
    state = DocumentState(session.opened)
    for row in session.operations.all().iterator():
        operation_from(row.body).apply(state)
    return state.document
