"""Freezing over HTTP: begun, followed, stopped."""

from typing import Annotated
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from needle.session.owners import owner_in
from server.common.errors import ApiError
from server.common.messages import MessageOut
from server.common.throttling import UserRateThrottle
from server.media import tasks
from server.media.freezing import freeze, put_in_session
from server.media.models import Freeze
from server.mixsessions.access import membership
from server.mixsessions.document_cache import document_for

router = Router(tags=["rhythm"])

Revision = Annotated[int, Field(ge=0)]


class FreezeIn(Schema):
    revision: Revision


class FreezeOut(Schema):
    """How freezing stands; ``progress`` is 0…1."""

    id: UUID
    source: str
    status: str
    progress: float
    messages: list[MessageOut]


@router.post(
    "/{uuid:session_id}/sources/{source}/freeze", response=FreezeOut, throttle=[UserRateThrottle("freeze", "120/m")]
)
def begin_freeze(request: HttpRequest, session_id: UUID, source: str, body: FreezeIn) -> Freeze:
    """Begin to freeze a source; when it is done the session is changed as by an operation of whoever began it."""
    session = membership(request.user, session_id, to_edit=True).session
    row = owner_in(document_for(session, body.revision), source)
    if row["frozen_asset"]:
        raise ApiError("freezing.already_frozen", 409, name=row["name"])
    task = Freeze.objects.create(session=session, author=request.user, revision=body.revision, source=source)
    tasks.begin(task, freeze, put_in_session)
    return task


@router.get("/{uuid:session_id}/freezes/{uuid:freeze_id}", response=FreezeOut)
def get_freeze(request: HttpRequest, session_id: UUID, freeze_id: UUID) -> Freeze:
    """How freezing stands."""
    return _freeze(request, session_id, freeze_id)


@router.post("/{uuid:session_id}/freezes/{uuid:freeze_id}/cancel", response=FreezeOut)
def cancel_freeze(request: HttpRequest, session_id: UUID, freeze_id: UUID) -> Freeze:
    """Stop freezing; nothing is changed."""
    return tasks.cancel(_freeze(request, session_id, freeze_id, to_edit=True))


def _freeze(request: HttpRequest, session_id: UUID, freeze_id: UUID, to_edit: bool = False) -> Freeze:
    membership(request.user, session_id, to_edit=to_edit)
    result = Freeze.objects.filter(session=session_id, pk=freeze_id).first()
    if result is None:
        raise ApiError("freezing.not_freezing", 404)
    return result
