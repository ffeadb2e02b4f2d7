"""Sessions that come in as files, over HTTP: announced, sent in parts, followed until they have become a session."""

from typing import Annotated
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from server.audio import uploads
from server.audio.models import Upload
from server.common.errors import ApiError
from server.common.throttling import UserRateThrottle

router = Router(tags=["arrivals"])


class ArrivalIn(Schema):
    """A file to come: a session bundle, or object audio."""

    name: Annotated[str, Field(min_length=1, max_length=1000)]
    size: int


class ArrivalOut(Schema):
    """How it stands; ``progress`` is 0…1 while it is read. ``session`` is what it has become."""

    id: UUID
    name: str
    size: int
    received: int
    status: str
    progress: float
    message: str
    notice: str = ""
    part_bytes: int = uploads.PART_BYTES
    session: UUID | None = None


def _out(upload: Upload) -> ArrivalOut:
    names = ("id", "name", "size", "received", "status", "progress", "message", "notice")
    return ArrivalOut(session=upload.became_id, **{name: getattr(upload, name) for name in names})


@router.post("", response=ArrivalOut, throttle=[UserRateThrottle("upload", "300/m")])
def begin_arrival(request: HttpRequest, given: ArrivalIn) -> ArrivalOut:
    """Announce a file."""
    return _out(uploads.begin(None, request.user, given.name, given.size))


@router.get("/{uuid:arrival_id}", response=ArrivalOut)
def arrival_state(request: HttpRequest, arrival_id: UUID) -> ArrivalOut:
    """How a file stands."""
    return _out(_own(request, arrival_id))


@router.post("/{uuid:arrival_id}/parts", response=ArrivalOut)
def arrival_part(request: HttpRequest, arrival_id: UUID, offset: int) -> ArrivalOut:
    """Send the next part of a file as the request's body, at most ``part_bytes`` long."""
    return _out(uploads.receive(_own(request, arrival_id).pk, offset, request.body))


@router.post("/{uuid:arrival_id}/cancel", response=ArrivalOut)
def cancel_arrival(request: HttpRequest, arrival_id: UUID) -> ArrivalOut:
    """Stop a file on its way; nothing of it is kept."""
    upload = _own(request, arrival_id)
    uploads.cancel(upload)
    return _out(upload)


def _own(request: HttpRequest, arrival_id: UUID) -> Upload:
    result = Upload.objects.filter(author=request.user, session=None, pk=arrival_id).first()
    if result is None:
        raise ApiError("There is no such file on its way.", 404)
    return result
