"""Exports: the mix of a revision written to a file in the background, with progress, and stopped on request."""

import logging
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from uuid import UUID

from django.conf import settings
from django.db import close_old_connections

from needle.errors import NeedleError
from needle.files.audio import FORMATS, AudioWriter
from needle.rendering.delivery import deliver
from server.audio.mixes import mix_at
from server.audio.models import Export

log = logging.getLogger(__name__)
_workers = ThreadPoolExecutor(1, thread_name_prefix="export")


def export_path(export: Export) -> Path:
    """Where an export's finished file is."""
    return settings.DATA_DIR / "exports" / f"{export.id}{FORMATS[export.format][2]}"


def begin(export: Export) -> None:
    """Start an export in the background."""
    _workers.submit(_run, export.id)


def fail_unfinished() -> int:
    """Mark what an earlier server left unfinished as failed, so that nobody waits for it; how many."""
    unfinished = Export.objects.filter(status__in=(Export.Status.WAITING, Export.Status.RUNNING))
    return unfinished.update(
        status=Export.Status.FAILED, message="The server stopped meanwhile. Start the export again."
    )


def _run(export_id: UUID) -> None:
    close_old_connections()
    try:
        _write(Export.objects.select_related("session").get(pk=export_id))
    except Exception as error:
        log.exception("export %s failed", export_id)
        told = str(error) if isinstance(error, NeedleError | OSError) else "Something went wrong here."
        _update(export_id, status=Export.Status.FAILED, message=f"{told} Nothing else was changed."[:300])
    finally:
        close_old_connections()


def _write(export: Export) -> None:
    if not _update(export.id, Export.Status.WAITING, status=Export.Status.RUNNING):
        return
    mix = mix_at(export.session, export.revision)
    target = export_path(export)
    target.parent.mkdir(parents=True, exist_ok=True)
    partial = target.with_suffix(".partial")
    try:
        with AudioWriter(partial, mix.rate, 2, export.format, export.stop - export.start) as writer:
            for done, audio in deliver(mix, export.start, export.stop):
                writer.write(audio)
                if not _update(export.id, Export.Status.RUNNING, progress=done, clipped=writer.clipped):
                    return
        partial.replace(target)
        _update(export.id, Export.Status.RUNNING, status=Export.Status.DONE)
    finally:
        partial.unlink(missing_ok=True)


def _update(export_id: UUID, only_if: str | None = None, **values: object) -> bool:
    """Change an export's row, only while it has a status; whether it was changed."""
    rows = Export.objects.filter(pk=export_id)
    if only_if:
        rows = rows.filter(status=only_if)
    return rows.update(**values) == 1
