"""Measured heads for headphones: brought in by a person as a SOFA file, and for that person's listening only."""

from functools import lru_cache
from pathlib import Path
from uuid import UUID, uuid4

import numpy as np
from django.conf import settings
from django.http import HttpRequest
from ninja import File, Router, Schema, UploadedFile

from needle.io.intake import head_into
from needle.io.sofa import Head
from needle.layouts import Layout
from needle.mix.monitors import HEAD, Responses
from server.common import pool
from server.common.errors import ApiError
from server.common.locked import run_locked
from server.common.throttling import UserRateThrottle
from server.media.models import MeasuredHead

router = Router(tags=["heads"])

MOST_HEADS = 20
MOST_BYTES = 200 << 20


class HeadOut(Schema):
    """A measured head; ``monitor`` is the way of listening through it, ``measured`` how many directions it has."""

    id: UUID
    name: str
    monitor: str
    measured: int

    @staticmethod
    def resolve_monitor(head: MeasuredHead) -> str:
        return f"{HEAD}{head.pk}"


def head_path(head: MeasuredHead) -> Path:
    """Where a head's responses are."""
    return settings.DATA_DIR / "heads" / f"{head.pk}.npz"


@router.get("", response=list[HeadOut])
def list_heads(request: HttpRequest) -> list[MeasuredHead]:
    """One's own measured heads."""
    return list(MeasuredHead.objects.filter(owner=request.user))


@router.post("", response=HeadOut, throttle=[UserRateThrottle("head", "30/m")])
def add_head(request: HttpRequest, file: File[UploadedFile]) -> MeasuredHead:
    """Bring in a SOFA file with head-related impulse responses."""
    if (file.size or 0) > MOST_BYTES:
        raise ApiError("hrtf.file_too_large", 413, most=MOST_BYTES >> 20)
    if MeasuredHead.objects.filter(owner=request.user).count() >= MOST_HEADS:
        raise ApiError("hrtf.too_many", 409, most=MOST_HEADS)
    folder = settings.DATA_DIR / "heads"
    folder.mkdir(parents=True, exist_ok=True)
    partial = folder / f"{uuid4()}.sofa"
    name = Path(file.name or "head").stem[:80] or "head"
    head = MeasuredHead(owner=request.user, name=name)
    try:
        with partial.open("wb") as out:
            for chunk in file.chunks():
                out.write(chunk)
        head.measured = pool.call(
            request.user.pk, take_in_head, partial, head_path(head), urgency=pool.Urgency.ANALYSIS
        )
        head.save()
    except BaseException:
        head_path(head).unlink(missing_ok=True)
        raise
    finally:
        partial.unlink(missing_ok=True)
    return head


def take_in_head(path: Path, into: Path) -> int:
    """Keep what a foreign SOFA file holds as arrays; how many directions. NeedleError if it cannot be read."""
    into.touch()
    measured: int = run_locked(head_into, path, into, reads=[path], writes=[into])
    return measured


@router.delete("/{uuid:head_id}", response={204: None})
def delete_head(request: HttpRequest, head_id: UUID) -> tuple[int, None]:
    """Take one of one's measured heads away."""
    head = MeasuredHead.objects.filter(owner=request.user, pk=head_id).first()
    if head is None:
        raise ApiError("hrtf.missing", 404)
    _forget(head)
    return 204, None


def _forget(head: MeasuredHead) -> None:
    head_path(head).unlink(missing_ok=True)
    head.delete()


def forget_heads(sender, user, **_) -> None:
    """Remove the measured heads of an account that is deleted."""
    for head in MeasuredHead.objects.filter(owner=user):
        _forget(head)


def measured_heads(user_id: int) -> Responses:
    """What gives the responses of a person's own heads; ApiError for others'."""

    def responses(name: str, rate: int, layout: Layout) -> np.ndarray:
        return _at_speakers(head_path(own_head(user_id, name)), rate, layout)

    return responses


def own_head(user_id: int, name: str) -> MeasuredHead:
    """One of a person's own heads. ApiError for others', though what is heard through them is there already."""
    head = MeasuredHead.objects.filter(owner=user_id, pk=name).first() if _is_id(name) else None
    if head is None:
        raise ApiError("hrtf.deleted", 404)
    return head


@lru_cache(maxsize=32)
def _at_speakers(path: Path, rate: int, layout: Layout) -> np.ndarray:
    with np.load(path) as stored:
        head = Head(stored["directions"], stored["responses"], int(stored["rate"]))
    return head.at_speakers(rate, layout)


def _is_id(name: str) -> bool:
    try:
        UUID(name)
    except ValueError:
        return False
    return True
