"""The operations log: applying a change, undoing one's own, and looking back.

Everything that changes a session goes through ``submit``, ``submit_derived``, ``undo`` or ``redo``: one transaction
each, one revision each, announced to everybody once it is committed.
"""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from typing import Any
from uuid import UUID

from django.db import transaction
from django.db.models import Max
from django.dispatch import Signal

from needle.errors import NeedleError
from needle.messages import Message
from needle.session.validation import Document
from server.common.announcing import announce
from server.common.errors import ApiError
from server.editing import conflicts
from server.editing.models import Draft, Preset
from server.editing.operations import Operation, PutThings, Touch, operation_from
from server.editing.operations.rhythm import check_thawed
from server.editing.restoring import checked, touched_as_it_was
from server.mixsessions import snapshots
from server.mixsessions.access import membership
from server.mixsessions.deltas import subject_rows, subjects_of
from server.mixsessions.log import last_undone, locked_session, own_latest, serialize_revision
from server.mixsessions.models import Entity, MixSession, OperationRecord, OperationSubject
from server.mixsessions.state import DocumentState, StoredState, stored_document

MOST_AT_ONCE = 500_000
"""So many things and points one change may go through: what it keeps others waiting for is bounded by that."""

operation_checked = Signal()
"""Sent before an operation is applied: ``session_id``, ``operation``. NeedleError where it may not be."""

operation_committed = Signal()
"""Sent inside the transaction that stores an operation: ``session``, its ``delta``, and the ``state`` after it."""


@dataclass(frozen=True)
class Committed:
    """A stored operation, and a notice for its author."""

    row: OperationRecord
    notice: Message | None = None


def submit(user, session_id: UUID, client_id: UUID, base_revision: int | None, operation: Operation) -> Committed:
    """Apply an operation for a user. The same client id again gives the first answer again.

    ``base_revision`` is the revision that its author had seen, the latest where it is None. ApiError if the user may
    not; NeedleError if the operation breaks a rule: nothing has changed then.
    """
    with _editing(user, session_id) as session:
        earlier = _earlier(session, user, client_id)
        return earlier or Committed(_commit(user, session, client_id, base_revision, operation))


def submit_derived(user, session_id: UUID, client_id: UUID, derive: Callable[[MixSession], Operation]) -> Committed:
    """Apply the operation that is derived from the session as it stands."""
    return _submit_choice(user, session_id, client_id, lambda session: _Choice(derive(session)))


def undo(user, session_id: UUID, client_id: UUID, *, before: int | None = None, partly: bool = False) -> Committed:
    """Take back the user's latest operation, or the latest ``before`` one that they have chosen to leave.

    ApiError where a colleague has changed the same since, unless what is left of it is to be taken back ``partly``.
    It never goes on to an earlier operation by itself.
    """

    def choose(session: MixSession) -> _Choice:
        row = own_latest(session, user, before)
        if row is None:
            raise ApiError("edit.nothing_to_undo", 409)
        rivals = conflicts.changed_since(session, row, user)
        if not rivals:
            return _Choice(operation_from(row.inverse), row)
        rival_touches = [touch for rival in rivals for touch in conflicts.touches_of(rival)]
        left = conflicts.remaining(conflicts.touches_of(row), rival_touches)
        operation = _partly_undone(session, row, left) if left else None
        names = list(dict.fromkeys(rival.author_name for rival in rivals))
        who = {"names": names, "count": len(names)}
        if not partly or operation is None:
            blocked = "edit.undo_blocked_in_part" if operation else "edit.undo_blocked"
            more = {"revision": row.revision, "summary": row.summary, "partly": operation is not None}
            raise ApiError(blocked, 409, more=more, **who, summary=rivals[-1].summary)
        return _Choice(operation, row, Message("edit.undone_in_part", **who))

    return _submit_choice(user, session_id, client_id, choose)


def _partly_undone(session: MixSession, row: OperationRecord, touches: list[Touch]) -> Operation | None:
    """What puts some of what an operation touched as it was before it; None if that is so already."""
    now, then = stored_document(session), snapshots.document_at(session.pk, row.revision - 1)
    try:
        target = checked(touched_as_it_was(now, then, touches))
    except NeedleError:
        return None
    operation = PutThings.between(f"Undone in part: {row.summary}", now, target)
    return operation if operation.things else None


def redo(user, session_id: UUID, client_id: UUID) -> Committed:
    """Put back what the user's latest undo took away, unless they have gone on since."""

    def choose(session: MixSession) -> _Choice:
        row = last_undone(session, user)
        if row is None:
            raise ApiError("edit.nothing_to_redo", 409)
        rivals = conflicts.changed_since(session, row, user)
        if rivals:
            raise ApiError("edit.changed_since", 409, name=rivals[-1].author_name)
        return _Choice(operation_from(row.inverse), row)

    return _submit_choice(user, session_id, client_id, choose)


@dataclass(frozen=True)
class _Choice:
    """The operation to apply, the logged one that it undoes, and a notice for the author."""

    operation: Operation
    undoes: OperationRecord | None = None
    notice: Message | None = None


_TRIES = 3


def _submit_choice(user, session_id: UUID, client_id: UUID, choose: Callable[[MixSession], _Choice]) -> Committed:
    """Apply what is chosen by the session as it stands. It is chosen while others go on changing the session.

    Where they have changed it meanwhile it is chosen again, and at last while they wait.
    """
    for _ in range(_TRIES):
        session = membership(user, session_id, to_edit=True).session
        earlier = _earlier(session, user, client_id)
        if earlier is not None:
            return earlier
        choice = choose(session)
        with _editing(user, session_id) as locked:
            if locked.revision == session.revision:
                return Committed(
                    _commit(user, locked, client_id, None, choice.operation, choice.undoes), choice.notice
                )
    with _editing(user, session_id) as session:
        earlier = _earlier(session, user, client_id)
        if earlier is not None:
            return earlier
        choice = choose(session)
        return Committed(_commit(user, session, client_id, None, choice.operation, choice.undoes), choice.notice)


@contextmanager
def _editing(user, session_id: UUID) -> Iterator[MixSession]:
    """The session's row, locked for somebody who may edit it. ApiError to others, and where it has been deleted."""
    with locked_session(session_id) as session:
        membership(user, session_id, to_edit=True)
        yield session


def _earlier(session: MixSession, user, client_id: UUID) -> Committed | None:
    """The answer to the same client id before; ApiError where that was somebody else's."""
    row = session.operations.filter(client_id=client_id).select_related("author").first()
    if row is not None and row.author_id != user.pk:
        raise ApiError("edit.foreign_client_id", 409)
    return row and Committed(row)


def _commit(
    user,
    session: MixSession,
    client_id: UUID,
    base_revision: int | None,
    operation: Operation,
    undoes: OperationRecord | None = None,
) -> OperationRecord:
    state = StoredState(session)
    unseen = [] if base_revision is None else conflicts.unseen(session, user, base_revision, operation)
    operation = operation.since([row.body for row in unseen])
    check_thawed(state, operation)
    if undoes is None and operation.cost(state) > MOST_AT_ONCE:
        raise NeedleError("edit.too_much_at_once", most=MOST_AT_ONCE)
    summary = operation.describe(state)
    inverse = operation.apply(state)
    kind = operation.kind
    if undoes is not None:
        original = undoes.undoes or undoes
        kind = "undo" if original is undoes else "redo"
        summary = f"{kind}: {original.summary}"
    session.revision += 1
    session.save(update_fields=["revision", "changed_at"])
    delta = state.delta()
    operation_committed.send(OperationRecord, session=session, delta=delta, state=state)
    row = OperationRecord.objects.create(
        session=session,
        revision=session.revision,
        client_id=client_id,
        author=user,
        base_revision=session.revision - 1 if base_revision is None else base_revision,
        kind=kind,
        body=_written(operation),
        inverse=_written(inverse),
        delta=delta,
        touches=operation.touches(),
        summary=summary[:300],
        overwrote=conflicts.overwritten(operation, unseen),
        undoes=undoes,
    )
    subjects = subjects_of(delta, state.before, lambda layer: (state.get("layers", layer) or {}).get("source", ""))
    OperationSubject.objects.bulk_create(
        OperationSubject(operation=row, session=session, revision=row.revision, **fields)
        for fields in subject_rows(subjects, row.touches)
    )
    announce(session.pk, "revision", message=serialize_revision(row))
    if session.revision - session.snapshot_revision >= snapshots.EVERY:
        transaction.on_commit(partial(snapshots.take_snapshots, session.pk))
    return row


def _written(operation: Operation) -> dict[str, Any]:
    """An operation as it is logged: what it does not set is left out."""
    return operation.model_dump(by_alias=True, exclude_none=True)


MOST_REMOVED = 50
"""The most removed sources that are offered to be brought back."""


def removed_sources(session_id: UUID) -> list[OperationRecord]:
    """The latest removal of each source that is not there now, latest first: what brings it back is its inverse."""
    present_sources = Entity.objects.filter(session=session_id, kind="sources").values("key")
    removals = OperationSubject.objects.filter(session=session_id, removed=True).exclude(name__in=present_sources)
    latest = removals.values("name").annotate(at=Max("revision")).order_by("-at").values_list("at", flat=True)
    rows = OperationRecord.objects.filter(session=session_id, revision__in=list(latest[:MOST_REMOVED]))
    return list(rows.select_related("author").defer("body", "delta", "touches").order_by("-revision"))


def bringing_back(row: OperationRecord) -> list[dict[str, Any]]:
    """What a logged removal took away, as ``add-source`` operations."""
    parts = operation_from(row.inverse).parts()
    return [_written(part) for part in parts if part.kind == "add-source"]


def replayed(session: MixSession) -> Document:
    """The document that the whole log gives, from the session's beginning."""
    state = DocumentState(snapshots.at_snapshot(session.pk, 0))
    for body in session.operations.values_list("body", flat=True).iterator():
        operation_from(body).apply(state)
    return state.document


def forget_account(sender, user, **_) -> None:
    """Remove the presets and drafts of an account that is deleted."""
    for model in (Preset, Draft):
        model.objects.filter(author=user).delete()
