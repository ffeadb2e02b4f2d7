"""What comes in as a session of its own: a bundle, or object audio. Nothing of a broken one stays."""

import tempfile
import zipfile
from pathlib import Path
from typing import Any

from django.conf import settings

from needle.errors import NeedleError
from needle.io.adm.read import read_programme
from needle.io.adm.to_session import import_adm
from needle.io.audio import AudioInfo
from needle.io.bundle import Bundle, assets_of, with_assets
from needle.io.bw64 import opened
from needle.io.containers import describes_tracks
from needle.messages import Message
from server.media import quotas
from server.media.assets import asset_audio, store_asset
from server.media.models import Upload
from server.media.uploads import Progress
from server.mixsessions.models import MixSession
from server.mixsessions.services import checked_document, create_session

_UNPACKED = 0.3


def import_session(path: Path, name: str, owner, progress: Progress) -> tuple[MixSession, str]:
    """A file as a new session of its owner's, and what they should know of it.

    ``name`` is what its owner calls it, ``progress`` is told the share that is done and may stop it by raising.
    NeedleError, and nothing stays, if it cannot be taken in.
    """
    under = settings.DATA_DIR / "arriving"
    under.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=under) as folder:
        notes: tuple[Message, ...] = ()
        whole = path
        if describes_tracks(path):
            whole = Path(folder)
            notes = _objects(path, whole, name, progress)
        elif not zipfile.is_zipfile(path):
            raise NeedleError("import.not_a_session", file=path.name)
        with Bundle(whole, Path(folder)) as bundle:
            session = _begun(bundle, owner, path.stat().st_size, progress)
    return session, notes


def _objects(path: Path, folder: Path, name: str, progress: Progress) -> tuple[Message, ...]:
    with opened(path) as file:
        programme = read_programme(path, AudioInfo(file.samplerate, file.channels, file.frames))
    for done in import_adm(path, folder, Path(name).stem):
        progress(_UNPACKED * done)
    return programme.notes


def _begun(bundle: Bundle, owner, sent: int, progress: Progress) -> MixSession:
    document = bundle.document
    # What can be refused is refused before anything is kept.
    hexed = {name: f"{number:064x}" for number, name in enumerate(assets_of(document))}
    sources = {
        key: {**row, "asset": hexed[row["asset"]], "frozen_asset": hexed.get(row["frozen_asset"], "")}
        for key, row in document["sources"].items()
    }
    checked_document({**document, "sources": sources})
    bundle.check_channels()
    rate, renamed = document["session"]["rate"], {}
    # What it decodes to is known only now; until now the size of what was sent was counted in.
    quotas.check_room(owner, sum(quotas.decoded_bytes(bundle.asset_path(name), rate) for name in hexed) - sent)
    for number, name in enumerate(hexed):
        share = (1.0 - _UNPACKED) / len(hexed)
        begins = _UNPACKED + number * share

        def report_progress(done: float, begins: float = begins, share: float = share) -> None:
            progress(begins + 0.99 * done * share)

        renamed[name] = store_asset(bundle.asset_path(name), rate, report_progress)
    named = with_assets(document, renamed, lambda name: asset_audio(renamed[name], rate))
    return create_session(named, owner)


def read_upload(upload: Upload, path: Path, progress: Progress) -> dict[str, Any]:
    """Make a session of a file that was sent in."""
    session, notes = import_session(path, upload.name, upload.author, progress)
    return {"became": session, "messages": notes}
