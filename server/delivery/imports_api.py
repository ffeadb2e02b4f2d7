"""Sessions that come in as files, over HTTP: announced, sent in parts, followed until they have become a session."""

from typing import Annotated
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from server.common.errors import ApiError
from server.common.messages import MessageOut
from server.common.throttling import UserRateThrottle
from server.media import uploads
from server.media.models import Upload

router = Router(tags=["imports"])


class ImportIn(Schema):
    """A file to come: a session bundle, or object audio."""

    name: Annotated[str, Field(min_length=1, max_length=1000)]
    size: int


class ImportOut(Schema):
    """How it stands; ``progress`` is 0…1 while it is read. ``session`` is what it has become."""

    id: UUID
    name: str
    size: int
    received: int
    status: str
    progress: float
    messages: list[MessageOut]
    notice: MessageOut | None = None
    part_bytes: int = uploads.PART_BYTES
    session: UUID | None = None


def _out(upload: Upload) -> ImportOut:
    names = ("id", "name", "size", "received", "status", "progress", "messages", "notice")
    return ImportOut(session=upload.became_id, **{name: getattr(upload, name) for name in names})


@router.post("", response=ImportOut, throttle=[UserRateThrottle("upload", "300/m")])
def begin_import(request: HttpRequest, body: ImportIn) -> ImportOut:
    """Announce a file."""
    return _out(uploads.begin(None, request.user, body.name, body.size, "session"))


@router.get("/{uuid:import_id}", response=ImportOut)
def get_import(request: HttpRequest, import_id: UUID) -> ImportOut:
    """How a file stands."""
    return _out(_own(request, import_id))


@router.post("/{uuid:import_id}/parts", response=ImportOut)
def receive_import_part(request: HttpRequest, import_id: UUID, offset: int) -> ImportOut:
    """Send the next part of a file as the request's body, at most ``part_bytes`` long."""
    return _out(uploads.receive(_own(request, import_id).pk, offset, request.body))


@router.post("/{uuid:import_id}/cancel", response=ImportOut)
def cancel_import(request: HttpRequest, import_id: UUID) -> ImportOut:
    """Stop a file on its way; nothing of it is kept."""
    upload = _own(request, import_id)
    uploads.cancel(upload)
    return _out(upload)


def _own(request: HttpRequest, import_id: UUID) -> Upload:
    result = Upload.objects.filter(author=request.user, session=None, pk=import_id).first()
    if result is None:
        raise ApiError("upload.missing", 404)
    return result
