"""Operations over HTTP: made, undone, redone, and what can be brought back."""

from typing import Annotated, Any
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field, model_validator

from needle.session.migrations import VERSION, renamed
from server.common.messages import MessageOut
from server.common.throttling import UserRateThrottle
from server.editing import services
from server.editing.operations import AnyOperation
from server.editing.services import operation_checked
from server.mixsessions import log
from server.mixsessions.access import membership
from server.mixsessions.api import RevisionOut, TurnsOut
from server.mixsessions.stored_names import EARLIEST_QUEUED, body_with_todays_names

router = Router(tags=["operations"])

EDITING = [UserRateThrottle("edit", "1200/m")]


class Answer(Schema):
    """The kept revision, what its author should know besides, and what their next undo and redo would be."""

    revision: RevisionOut
    turns: TurnsOut
    notice: MessageOut | None = None


class OperationIn(Schema):
    """An operation, the id its client made for it, and the revision that its author knew (the latest if none).

    ``format`` is the version of documents whose names it uses: a change that has waited in a browser may be older
    than the application.
    """

    client_id: UUID
    base_revision: int | None = None
    format: Annotated[int, Field(ge=EARLIEST_QUEUED, le=VERSION)] = VERSION
    operation: AnyOperation

    @model_validator(mode="before")
    @classmethod
    def _with_todays_names(cls, values: Any) -> Any:
        raw = getattr(values, "_obj", values)
        version = raw.get("format", VERSION) if isinstance(raw, dict) else VERSION
        if version == VERSION or not isinstance(version, int):
            return values
        try:
            operation = body_with_todays_names(raw["operation"], version)
            return {**renamed(raw, {"made_on": "base_revision"}), "operation": operation}
        except (KeyError, TypeError, ValueError, AttributeError, RecursionError) as error:
            raise ValueError(f"This is no operation of version {version}.") from error


class TurnIn(Schema):
    """A redo, with the id its client made for it."""

    client_id: UUID


class UndoIn(TurnIn):
    """An undo. ``before`` is a revision of one's own that is left as it is: what came before it is taken back.

    ``partly``: what a colleague has changed since stays, and the rest is taken back.
    """

    before: int | None = None
    partly: bool = False


class Removed(Schema):
    """Sources that were taken away together: by whom, when (ISO), and what brings each of them back."""

    revision: int
    author: str
    created_at: str
    back: list[dict[str, Any]]


@router.get("/{uuid:session_id}/removed", response=list[Removed])
def list_removed_sources(request: HttpRequest, session_id: UUID) -> list[Removed]:
    """Sources that were taken away and can be brought back, latest first."""
    membership(request.user, session_id)
    return [
        Removed(
            revision=row.revision,
            author=row.author_name,
            created_at=row.created_at.isoformat(),
            back=back,
        )
        for row in services.removed_sources(session_id)
        if (back := services.bringing_back(row))
    ]


@router.post("/{uuid:session_id}/operations", response=Answer, throttle=EDITING)
def submit_operation(request: HttpRequest, session_id: UUID, body: OperationIn) -> Answer:
    """Make one change. The same client id again gives the first answer again."""
    membership(request.user, session_id, to_edit=True)
    operation_checked.send(type(body.operation), session_id=session_id, operation=body.operation)
    committed = services.submit(request.user, session_id, body.client_id, body.base_revision, body.operation)
    return answer_of(committed)


@router.get("/{uuid:session_id}/turns", response=TurnsOut)
def get_turns(request: HttpRequest, session_id: UUID) -> TurnsOut:
    """What one's next undo and redo would be."""
    return TurnsOut.of(membership(request.user, session_id).session, request.user)


@router.post("/{uuid:session_id}/undo", response=Answer, throttle=EDITING)
def undo(request: HttpRequest, session_id: UUID, body: UndoIn) -> Answer:
    """Take back one's own latest change; where a colleague has changed the same since, that is asked before."""
    committed = services.undo(request.user, session_id, body.client_id, before=body.before, partly=body.partly)
    return answer_of(committed)


@router.post("/{uuid:session_id}/redo", response=Answer, throttle=EDITING)
def redo(request: HttpRequest, session_id: UUID, body: TurnIn) -> Answer:
    """Put back what one's own latest undo took away."""
    return answer_of(services.redo(request.user, session_id, body.client_id))


def answer_of(committed: services.Committed) -> Answer:
    """A kept change as its author is told of it."""
    turns = TurnsOut.of(committed.row.session, committed.row.author)
    return Answer(revision=RevisionOut(**log.serialize_revision(committed.row)), notice=committed.notice, turns=turns)


@router.get("/{uuid:session_id}/operations", response=list[RevisionOut])
def list_operations(request: HttpRequest, session_id: UUID, since: int = 0) -> list[dict[str, Any]]:
    """The log after a revision, in order."""
    membership(request.user, session_id)
    return log.since(session_id, since)
