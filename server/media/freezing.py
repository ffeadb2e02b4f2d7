"""Freezing: a source's own sound written down as audio in the pool, and put in the session when it is whole."""

from uuid import uuid4

from django.conf import settings

from needle.errors import NeedleError
from needle.io.audio import AudioWriter
from needle.render.freezing import frozen_sound, key_of
from server.editing.operations.rhythm import FreezeSource
from server.editing.services import submit
from server.media.assets import store_asset
from server.media.mixes import mix_at, source_of
from server.media.models import Asset, Freeze
from server.media.tasks import advance

_WRITING = 0.8
"""The share of the work that is done once it has been rendered; the rest is taking it in."""


def freeze(task: Freeze) -> None:
    """Render a source and take the sound in, unless the source has changed meanwhile."""
    mix = mix_at(task.session, task.revision)
    key = key_of(mix, source_of(mix, task.source))
    folder = settings.DATA_DIR / "freezing"
    folder.mkdir(parents=True, exist_ok=True)
    partial = folder / f"{task.id}.wav"
    try:
        frames = 0
        with AudioWriter(partial, mix.rate, mix.outputs, "wav-float", mix.frames) as writer:
            for done, audio in frozen_sound(mix, task.source):
                writer.write(audio)
                frames += audio.shape[1]
                advance(task, _WRITING * done)
        if not frames:
            raise NeedleError("freezing.nothing_sounds")
        asset = store_asset(partial, mix.rate, lambda done: advance(task, _WRITING + (0.99 - _WRITING) * done))
    finally:
        partial.unlink(missing_ok=True)
    task.session.refresh_from_db()
    now = mix_at(task.session, task.session.revision)
    if all(source.id != task.source for source in now.sources):
        raise NeedleError("freezing.source_removed")
    if key_of(now, source_of(now, task.source)) != key:
        raise NeedleError("freezing.source_changed")
    Freeze.objects.filter(pk=task.pk).update(asset=Asset.objects.get(pk=asset), fingerprint=key)


def put_in_session(task: Freeze) -> None:
    """Freeze the source with the sound that was taken in: a change like any other, which everybody is told."""
    operation = FreezeSource(
        source=task.source, frozen_asset=task.asset_id or "", frozen_fingerprint=task.fingerprint
    )
    submit(task.author, task.session_id, uuid4(), task.session.revision, operation)
