"""The operations log as it is read: what came after a revision, the document at one, one's own latest changes.

What is written to it goes through ``server.editing.services``.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.db import transaction
from django.db.models import Exists, OuterRef

from needle.session.validation import Document
from server.common.errors import ApiError
from server.mixsessions import snapshots
from server.mixsessions.models import MixSession, OperationRecord
from server.mixsessions.state import stored_document

_READ_TRIES = 3

MOST_AT_ONCE = 500
"""The most revisions in one answer to a client that has missed some; there may be more after them."""


def since(session_id: UUID, revision: int) -> list[dict[str, Any]]:
    """What was changed after a revision, in order, ``MOST_AT_ONCE`` at the most."""
    rows = OperationRecord.objects.filter(session=session_id, revision__gt=revision).select_related("author")
    return [serialize_revision(row) for row in rows.defer("body", "inverse", "touches")[:MOST_AT_ONCE]]


def serialize_revision(row: OperationRecord) -> dict[str, Any]:
    """A revision as everybody in the session receives it."""
    return {
        "type": "revision",
        "revision": row.revision,
        "client_id": str(row.client_id),
        "author": {"id": row.author_id, "name": row.author_name},
        "kind": row.kind,
        "summary": row.summary,
        "overwrote": row.overwrote,
        "delta": row.delta,
    }


def present(session_id: UUID) -> tuple[Document, int]:
    """The session's document and its revision, read without keeping anybody from changing it."""
    sessions = MixSession.objects.filter(pk=session_id)
    for _ in range(_READ_TRIES):
        session = sessions.get()
        document = stored_document(session)
        if sessions.values_list("revision", flat=True).get() == session.revision:
            return document, session.revision
    # It is changed all the time: the log stays as it is.
    return snapshots.document_at(session_id, session.revision), session.revision


@contextmanager
def locked_session(session_id: UUID) -> Iterator[MixSession]:
    """The session's row, locked: nobody else changes it until the block ends. ApiError where it has been deleted."""
    with transaction.atomic():
        session = MixSession.objects.select_for_update().filter(pk=session_id).first()
        if session is None:
            raise ApiError("access.session_deleted", 404)
        yield session


def document_at(session_id: UUID, revision: int) -> Document:
    """The session's document as it stood after a revision. ApiError if it has not come to that yet."""
    if revision < 0:
        raise ApiError("history.revision_missing", 404)
    latest = MixSession.objects.values_list("revision", flat=True).get(pk=session_id)
    if revision > latest:
        raise ApiError("history.revision_outdated", 409, latest=latest, revision=revision)
    return snapshots.document_at(session_id, revision)


def live(session: MixSession):
    """Operations that have not been undone. An undo that was itself redone no longer counts."""
    redone = OperationRecord.objects.filter(undoes=OuterRef("pk"))
    undone = OperationRecord.objects.filter(~Exists(redone), undoes=OuterRef("pk"))
    return session.operations.filter(~Exists(undone))


_HEAVY = ("body", "inverse", "delta")


def without_heavy_fields(rows):
    """OperationRecords without their largest fields, which are read when they are asked for."""
    return rows.defer(*_HEAVY)


def own_latest(session: MixSession, user, before: int | None = None) -> OperationRecord | None:
    """One's latest operation that has not been undone, before a revision if one is given."""
    rows = without_heavy_fields(live(session).filter(author=user, undoes=None)).order_by("-revision")
    return (rows if before is None else rows.filter(revision__lt=before)).first()


def last_undone(session: MixSession, user) -> OperationRecord | None:
    """One's latest undo, if one has changed nothing else since."""
    rows = without_heavy_fields(live(session).filter(author=user)).exclude(kind="redo").select_related("undoes")
    row = rows.defer(*(f"undoes__{name}" for name in _HEAVY)).order_by("-revision").first()
    return row if row is not None and row.undoes_id is not None else None


@dataclass(frozen=True)
class Turns:
    """What an undo and a redo would take back for somebody: summaries by revision, None where there is nothing."""

    undo: tuple[int, str] | None
    redo: tuple[int, str] | None


def turns_of(session: MixSession, user) -> Turns:
    """What the user's next undo and redo would be."""
    undone, redone = own_latest(session, user), last_undone(session, user)
    return Turns(
        undone and (undone.revision, undone.summary),
        redone and (redone.revision, redone.undoes.summary),
    )
