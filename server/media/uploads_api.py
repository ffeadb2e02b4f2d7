"""Files over HTTP: announced, sent in parts, followed while they are read, stopped."""

from typing import Annotated, Any
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from server.common.errors import ApiError
from server.common.messages import MessageOut
from server.common.throttling import UserRateThrottle
from server.media import uploads
from server.media.assets import asset_seconds
from server.media.models import Upload
from server.mixsessions.access import membership

router = Router(tags=["files"])


class UploadIn(Schema):
    """A file to come: what it is called and how many bytes it has."""

    name: Annotated[str, Field(min_length=1, max_length=1000)]
    size: int


class CharacterOut(Schema):
    """What was heard of a file (``needle.metering.character``)."""

    kind: str
    peak_db: float
    rms_db: float
    correlation: float | None
    clipped: int
    gain: float
    sentence: str


class AssetOut(Schema):
    """A file's audio as it stands in the session: ``seconds`` at its rate; ``rate`` is the file's own."""

    id: str
    channels: int
    rate: int
    seconds: float
    character: CharacterOut


class UploadOut(Schema):
    """How a file stands; ``progress`` is 0…1 while it is read, ``asset`` what it has become.

    ``notice`` is told with the first answer: that a quota is about to be reached.
    """

    id: UUID
    name: str
    size: int
    received: int
    status: str
    progress: float
    messages: list[MessageOut]
    notice: MessageOut | None = None
    part_bytes: int = uploads.PART_BYTES
    asset: AssetOut | None = None


def upload_out(upload: Upload) -> UploadOut:
    asset = upload.asset
    result: dict[str, Any] = {name: getattr(upload, name) for name in UploadOut.model_fields if hasattr(upload, name)}
    result["asset"] = asset and AssetOut(
        id=asset.sha256,
        channels=asset.channels,
        rate=asset.rate,
        seconds=asset_seconds(asset, upload.session.rate),
        character=CharacterOut(**asset.character),
    )
    return UploadOut(**result)


@router.post("/{uuid:session_id}/uploads", response=UploadOut, throttle=[UserRateThrottle("upload", "300/m")])
def begin_upload(request: HttpRequest, session_id: UUID, body: UploadIn) -> UploadOut:
    """Announce a file."""
    session = membership(request.user, session_id, to_edit=True).session
    return upload_out(uploads.begin(session, request.user, body.name, body.size))


@router.get("/{uuid:session_id}/uploads/{uuid:upload_id}", response=UploadOut)
def get_upload(request: HttpRequest, session_id: UUID, upload_id: UUID) -> UploadOut:
    """How a file stands."""
    membership(request.user, session_id)
    return upload_out(_upload(session_id, upload_id))


@router.post("/{uuid:session_id}/uploads/{uuid:upload_id}/parts", response=UploadOut)
def receive_upload_part(request: HttpRequest, session_id: UUID, upload_id: UUID, offset: int) -> UploadOut:
    """Send the next part of a file as the request's body, at most ``part_bytes`` long."""
    membership(request.user, session_id, to_edit=True)
    upload = _upload(session_id, upload_id)
    if upload.author_id != request.user.pk:
        raise ApiError("upload.not_yours", 403)
    return upload_out(uploads.receive(upload.pk, offset, request.body))


@router.post("/{uuid:session_id}/uploads/{uuid:upload_id}/cancel", response=UploadOut)
def cancel_upload(request: HttpRequest, session_id: UUID, upload_id: UUID) -> UploadOut:
    """Stop a file on its way; nothing of it is kept."""
    membership(request.user, session_id, to_edit=True)
    upload = _upload(session_id, upload_id)
    uploads.cancel(upload)
    return upload_out(upload)


def _upload(session_id: UUID, upload_id: UUID) -> Upload:
    result = Upload.objects.select_related("session", "asset").filter(session=session_id, pk=upload_id).first()
    if result is None:
        raise ApiError("upload.missing", 404)
    return result
