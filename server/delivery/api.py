"""Deliveries over HTTP: ordered, followed, stopped, taken away, removed."""

from datetime import UTC, datetime
from typing import Annotated, Any
from uuid import UUID

from django.http import HttpRequest, StreamingHttpResponse
from django.http.response import HttpResponseBase
from ninja import Router, Schema
from pydantic import Field

from needle.export.naming import PATTERN, WORDS, Names, safe, words_of
from needle.mix.model import Mix
from server.accounts.names import shown_name
from server.common import pool
from server.common.errors import ApiError
from server.common.messages import MessageOut
from server.common.throttling import UserRateThrottle
from server.delivery import streaming
from server.delivery.models import Delivery
from server.delivery.orders import Order
from server.delivery.retention import forget, forget_old
from server.media import tasks
from server.media.mixes import mix_at
from server.mixsessions.access import membership
from server.mixsessions.document_cache import document_for
from server.mixsessions.models import MixSession

router = Router(tags=["deliveries"])


class DeliveryIn(Order):
    """An order of a revision, from ``start`` to ``end`` (s); the whole piece if no end is given."""

    revision: Annotated[int, Field(ge=0)]
    start: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0
    end: Annotated[float, Field(gt=0, allow_inf_nan=False)] | None = None

    def frames(self, mix: Mix) -> tuple[int, int]:
        """The first frame, and the one after the last. ApiError if there is none between."""
        start = round(self.start * mix.rate)
        stop = min(round(self.end * mix.rate), mix.frames) if self.end else mix.frames
        if start >= stop:
            raise ApiError("analysis.range_is_empty", 422)
        return start, stop


class FileOut(Schema):
    """A file that was made; what it measures where it is a sound: LUFS, dBTP, lean (dB, + to the right)."""

    name: str
    kind: str
    bytes: int
    lufs: float | None = None
    dbtp: float | None = None
    lean: float | None = None
    clipped: int = 0
    channels: list[str] = []
    said: str = ""


class DeliveryOut(Schema):
    """How a delivery stands; ``progress`` is 0…1, ``doing`` what is being made. ``seconds`` is what it covers."""

    id: UUID
    status: str
    progress: float
    doing: MessageOut | None
    messages: list[MessageOut]
    revision: int
    start: float
    seconds: float
    author: str
    created_at: str
    order: Order
    files: list[FileOut]
    notes: list[MessageOut]


class OfferOut(Schema):
    """How files may be called: the words of a pattern with what each stands for, and the pattern at first."""

    words: dict[str, str]
    pattern: str


class NameOut(Schema):
    """The name of a file."""

    name: str


def _out(delivery: Delivery) -> DeliveryOut:
    rate = delivery.session.rate
    return DeliveryOut(
        start=delivery.start / rate,
        seconds=(delivery.stop - delivery.start) / rate,
        author=shown_name(delivery.author),
        created_at=delivery.created_at.isoformat(),
        order=Order(**delivery.order),
        files=[FileOut(**file) for file in delivery.files],
        **{name: getattr(delivery, name) for name in _AS_IT_IS},
    )


_AS_IT_IS = ("id", "status", "progress", "doing", "messages", "revision", "notes")


@router.get("/{uuid:session_id}/deliveries/offer", response=OfferOut)
def get_naming(request: HttpRequest, session_id: UUID) -> dict[str, Any]:
    """How a delivery's files may be called."""
    membership(request.user, session_id)
    return {"words": WORDS, "pattern": PATTERN}


@router.post("/{uuid:session_id}/deliveries/name", response=NameOut)
def preview_name(request: HttpRequest, session_id: UUID, body: DeliveryIn) -> dict[str, str]:
    """What the mix would be called if this were ordered, as the first of its files."""
    session = membership(request.user, session_id, to_edit=True).session
    return {"name": pool.call(request.user.pk, name_mix, session, body)}


def name_mix(session: MixSession, order: DeliveryIn) -> str:
    """What the mix of an order would be called."""
    mix, document = mix_at(session, order.revision), document_for(session, order.revision)
    common = words_of(document, mix, *order.frames(mix), order.revision, datetime.now(UTC).date())
    return Names(order.pattern, common).of("Mix", "Mix", order.ending)


@router.post("/{uuid:session_id}/deliveries", response=DeliveryOut, throttle=[UserRateThrottle("delivery", "30/m")])
def order_delivery(request: HttpRequest, session_id: UUID, body: DeliveryIn) -> DeliveryOut:
    """Order files; they are made in the background."""
    session = membership(request.user, session_id, to_edit=True).session
    start, stop, order = pool.call(request.user.pk, check_order, session, body)
    delivery = Delivery.objects.create(
        session=session, author=request.user, revision=body.revision, start=start, stop=stop, order=order
    )
    forget_old(session)
    tasks.order(delivery)
    return _out(delivery)


def check_order(session: MixSession, body: DeliveryIn) -> tuple[int, int, dict[str, Any]]:
    """The first frame of an order, the one after its last, and the order as stored. ApiError if it cannot be."""
    mix = mix_at(session, body.revision)
    return *body.frames(mix), Order(**body.dict(include=set(Order.model_fields))).checked(mix)


@router.get("/{uuid:session_id}/deliveries", response=list[DeliveryOut])
def list_deliveries(request: HttpRequest, session_id: UUID) -> list[DeliveryOut]:
    """The session's deliveries, latest first."""
    session = membership(request.user, session_id).session
    rows = Delivery.objects.filter(session=session).select_related("session", "author")
    return [_out(row) for row in rows[: Delivery.KEPT]]


@router.get("/{uuid:session_id}/deliveries/{uuid:delivery_id}", response=DeliveryOut)
def get_delivery(request: HttpRequest, session_id: UUID, delivery_id: UUID) -> DeliveryOut:
    """How a delivery stands."""
    return _out(_delivery(request, session_id, delivery_id))


@router.post("/{uuid:session_id}/deliveries/{uuid:delivery_id}/cancel", response=DeliveryOut)
def cancel_delivery(request: HttpRequest, session_id: UUID, delivery_id: UUID) -> DeliveryOut:
    """Stop a delivery; nothing of it is kept."""
    return _out(tasks.cancel(_delivery(request, session_id, delivery_id, to_edit=True)))


@router.delete("/{uuid:session_id}/deliveries/{uuid:delivery_id}", response=list[DeliveryOut])
def delete_delivery(request: HttpRequest, session_id: UUID, delivery_id: UUID) -> list[DeliveryOut]:
    """Take a delivery and its files away; what stays."""
    delivery = tasks.cancel(_delivery(request, session_id, delivery_id, to_edit=True))
    forget(delivery)
    return list_deliveries(request, session_id)


@router.get("/{uuid:session_id}/deliveries/{uuid:delivery_id}/archive", response={200: bytes})
def download_archive(request: HttpRequest, session_id: UUID, delivery_id: UUID) -> StreamingHttpResponse:
    """All files as one archive."""
    delivery = _finished(request, session_id, delivery_id)
    files = [(delivery.path(index), file["name"]) for index, file in enumerate(delivery.files)]
    name = f"{safe(delivery.session.name) or 'delivery'} r{delivery.revision}.zip"
    return streaming.sent_together(files, name)


@router.get("/{uuid:session_id}/deliveries/{uuid:delivery_id}/files/{int:index}", response={200: bytes})
def download_file(request: HttpRequest, session_id: UUID, delivery_id: UUID, index: int) -> HttpResponseBase:
    """One of the files, or a range of its bytes."""
    delivery = _finished(request, session_id, delivery_id)
    if index >= len(delivery.files):
        raise ApiError("delivery.file_missing", 404)
    return streaming.sent(request, delivery.path(index), delivery.files[index]["name"].rpartition("/")[2])


def _delivery(request: HttpRequest, session_id: UUID, delivery_id: UUID, to_edit: bool = False) -> Delivery:
    membership(request.user, session_id, to_edit=to_edit)
    rows = Delivery.objects.select_related("session", "author")
    result = rows.filter(session=session_id, pk=delivery_id).first()
    if result is None:
        raise ApiError("delivery.missing", 404)
    return result


def _finished(request: HttpRequest, session_id: UUID, delivery_id: UUID) -> Delivery:
    delivery = _delivery(request, session_id, delivery_id)
    if delivery.status != Delivery.Status.DONE:
        raise ApiError("delivery.unfinished", 409)
    return delivery
