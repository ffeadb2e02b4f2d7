"""Exports: the mix of a revision written to a file."""

from pathlib import Path

from django.conf import settings

from needle.files.audio import FORMATS, AudioWriter
from needle.rendering.delivery import deliver
from server.audio.mixes import mix_at
from server.audio.models import Export
from server.audio.tasks import advance


def export_path(export: Export) -> Path:
    """Where an export's finished file is."""
    return settings.DATA_DIR / "exports" / f"{export.id}{FORMATS[export.format][2]}"


def write(export: Export) -> None:
    """Write an export's file; beside it at first, so that a file with the right name is always whole."""
    mix = mix_at(export.session, export.revision)
    target = export_path(export)
    target.parent.mkdir(parents=True, exist_ok=True)
    partial = target.with_suffix(".partial")
    try:
        with AudioWriter(partial, mix.rate, mix.room, export.format, export.stop - export.start) as writer:
            for done, audio in deliver(mix, export.start, export.stop):
                writer.write(audio)
                advance(export, done, clipped=writer.clipped)
        partial.replace(target)
    finally:
        partial.unlink(missing_ok=True)
