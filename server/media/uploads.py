"""Uploads: a file received part by part, then read, heard and resampled in the background.

Parts let a large file through without holding it in memory, and let it go on where a lost connection broke it off.
"""

import logging
import os
import shutil
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path
from typing import Any
from uuid import UUID

from django.conf import settings
from django.db import transaction
from django.db.models import F, QuerySet
from django.dispatch import Signal
from django.utils import timezone

from needle.errors import NeedleError
from needle.messages import Message
from server.common import pool
from server.common.errors import ApiError
from server.common.pool_process import ProcessLost
from server.common.texts import displayable
from server.media import quotas, tasks
from server.media.assets import ROOM_TO_SPARE, Stopped, audio_facts, store_asset, sweep_partials
from server.media.models import Upload
from server.mixsessions.models import MixSession

log = logging.getLogger(__name__)

PART_BYTES = 4 << 20
MOST_OPEN = 200
MOST_ATTEMPTS = 2
"""A file during whose reading the server ended so many times is not read again."""

_ABANDONED_AFTER = timedelta(days=2)
"""An upload of which no part has come for so long is abandoned."""

_PARTIALS_STAY = timedelta(days=1)
"""Half-written files of other servers are left alone for so long."""

Progress = Callable[[float], None]


@dataclass(frozen=True)
class Purpose:
    """What an upload is for. ``read`` is given it, its file and the progress to tell, and gives values of its row.

    ``stays``: what comes of it counts in a quota.
    """

    read: Callable[[Upload, Path, Progress], dict[str, Any]]
    most_bytes: int = 2 << 30
    stays: bool = True


_purposes: dict[str, Purpose] = {}


def register_purpose(name: str, purpose: Purpose) -> None:
    """Have uploads with a purpose; apps say so when they are ready."""
    _purposes[name] = purpose


upload_cancelled = Signal()
"""Sent when an upload is stopped: ``upload``."""

OPEN = (Upload.Status.RECEIVING, Upload.Status.READING)


def upload_path(upload: Upload) -> Path:
    """Where what has come of a file is kept; its name has no part in it."""
    return settings.DATA_DIR / "uploads" / str(upload.id)


def begin(session: MixSession | None, user, name: str, size: int, purpose: str = "stem") -> Upload:
    """Expect a file. ApiError if it is too large, or there is no room for it.

    What its sender should know is its ``notice``.
    """
    most, stays = _purposes[purpose].most_bytes, _purposes[purpose].stays
    if not 0 < size <= most:
        raise ApiError("upload.empty", 413) if size <= 0 else ApiError("upload.too_large", 413, most=most >> 30)
    if Upload.objects.filter(author=user, status__in=OPEN).count() >= MOST_OPEN:
        raise ApiError("upload.too_many", 429, most=MOST_OPEN)
    folder = settings.DATA_DIR / "uploads"
    folder.mkdir(parents=True, exist_ok=True)
    # Decoded as floats it may be several times as large; how large is known when it has come (``store_asset``).
    if shutil.disk_usage(folder).free < 4 * size + ROOM_TO_SPARE:
        raise ApiError("upload.no_room", 413)
    notice = quotas.check_room(quotas.owner_of(session, user), size) if stays else None
    upload = Upload.objects.create(
        session=session, author=user, name=displayed_name(name), size=size, purpose=purpose
    )
    upload.notice = notice
    return upload


def displayed_name(name: str) -> str:
    """The last part of a file's name, without anything that cannot be shown."""
    last = name.replace("\\", "/").rsplit("/", 1)[-1]
    return displayable(last).strip()[:255] or "unnamed"


def receive(upload_id: UUID, offset: int, part: bytes) -> Upload:
    """Put a part in place. ApiError (409) unless it goes on where the last one ended.

    It is written and synced before anything is locked. What is sent twice at the same time is written twice, alike,
    and counted once.
    """
    upload = Upload.objects.get(pk=upload_id)
    _check_goes_on(upload, offset)
    if len(part) > PART_BYTES or offset + len(part) > upload.size:
        raise ApiError("upload.part_too_large", 413)
    file = os.open(upload_path(upload), os.O_WRONLY | os.O_CREAT, 0o600)
    try:
        # Nothing behind it is cut off: of two that send, the other may be further.
        view = memoryview(part)
        while view:
            view = view[os.pwrite(file, view, offset + len(part) - len(view)) :]
        os.fsync(file)
    finally:
        os.close(file)
    received = offset + len(part)
    status = Upload.Status.READING if received == upload.size else Upload.Status.RECEIVING
    with transaction.atomic():
        counted = Upload.objects.filter(pk=upload_id, status=Upload.Status.RECEIVING, received=offset)
        changed = counted.update(received=received, status=status, signed_at=timezone.now())
        if changed and status == Upload.Status.READING:
            transaction.on_commit(lambda: _have_read(upload_id, upload.author_id))
    upload.refresh_from_db()
    if upload.received != received:
        _check_goes_on(upload, offset)
    return upload


def _check_goes_on(upload: Upload, offset: int) -> None:
    """ApiError unless a part is expected there."""
    if upload.status != Upload.Status.RECEIVING:
        raise ApiError("upload.not_expected", 409, name=upload.name, state=upload.status)
    if offset != upload.received:
        raise ApiError("upload.wrong_offset", 409, name=upload.name, received=upload.received, offset=offset)


def cancel(upload: Upload) -> None:
    """Stop a file on its way; nothing of it is kept."""
    Upload.objects.filter(pk=upload.pk, status__in=OPEN).update(status=Upload.Status.CANCELLED)
    upload_path(upload).unlink(missing_ok=True)
    upload_cancelled.send(Upload, upload=upload)
    upload.refresh_from_db()


def abandoned() -> QuerySet[Upload]:
    """Uploads that their sender has not gone on with."""
    receiving = Upload.objects.filter(status=Upload.Status.RECEIVING)
    return receiving.filter(signed_at__lt=timezone.now() - _ABANDONED_AFTER)


def resume(only_lost: bool = False) -> None:
    """After a start: go on reading the files that had arrived.

    ``only_lost``: where other servers may be reading, only what none of them has signed for a minute.
    """
    sweep_partials(_PARTIALS_STAY.total_seconds() if only_lost else 0.0)
    reading = Upload.objects.filter(status=Upload.Status.READING)
    if only_lost:
        reading = reading.filter(signed_at__lt=timezone.now() - tasks.LOST_AFTER)
    for upload in reading:
        # Of several servers that start together one gets it.
        if reading.filter(pk=upload.pk, signed_at=upload.signed_at).update(signed_at=timezone.now()):
            _have_read(upload.pk, upload.author_id)


def _have_read(upload_id: UUID, author_id: int | None) -> None:
    """Have a file read in the pool, once more if it takes the process there with it."""

    def again(future: Future[None]) -> None:
        if not future.cancelled() and isinstance(future.exception(), ProcessLost):
            _have_read(upload_id, author_id)

    pool.start(author_id, read, upload_id).future.add_done_callback(again)


def read(upload_id: UUID) -> None:
    """Take in a file that has come whole; how it ended stands in its row."""
    upload = Upload.objects.select_related("session", "author").get(pk=upload_id)
    path = upload_path(upload)
    if upload.attempts >= MOST_ATTEMPTS:
        _fail(upload_id, Message("upload.ended_server", count=upload.attempts))
        path.unlink(missing_ok=True)
        return
    # Before anything of it is opened: what ends the process now is counted all the same.
    Upload.objects.filter(pk=upload_id).update(attempts=F("attempts") + 1)
    reported = -1.0

    def progress(done: float) -> None:
        nonlocal reported
        if done - reported >= 0.02 or done >= 1.0:
            reported = done
            if not Upload.objects.filter(pk=upload_id, status=Upload.Status.READING).update(
                progress=done, signed_at=timezone.now()
            ):
                raise Stopped

    try:
        values = _purposes[upload.purpose].read(upload, path, progress)
        _finish(upload_id, status=Upload.Status.READY, progress=1.0, **values)
    except Stopped:
        pass
    except ApiError as error:
        _fail(upload_id, error.message)
    except NeedleError as error:
        # The core calls the file what it is called on disk; its owner knows it by another name.
        _fail(upload_id, error.about(upload.name).message)
    except ProcessLost:
        # It has ended its reader: it is read once more, and then not again.
        if upload.attempts + 1 < MOST_ATTEMPTS:
            raise
        _fail(upload_id, Message("upload.ended_server", count=upload.attempts + 1))
    except Exception:
        log.exception("upload %s failed", upload_id)
        _fail(upload_id, Message("upload.failed"))
    path.unlink(missing_ok=True)


def _fail(upload_id: UUID, message: Message) -> None:
    _finish(upload_id, status=Upload.Status.FAILED, messages=[message])


def _finish(upload_id: UUID, **values: object) -> None:
    Upload.objects.filter(pk=upload_id, status=Upload.Status.READING).update(**values)


def read_stem(upload: Upload, path: Path, progress: Progress) -> dict[str, Any]:
    """Take in a file as audio of its session."""
    # What it decodes to is known only now; until now its own size was counted in.
    more = quotas.decoded_bytes(audio_facts(path), upload.session.rate) - upload.size
    quotas.check_room(quotas.owner_of(upload.session, upload.author), more)
    return {"asset_id": store_asset(path, upload.session.rate, progress)}
