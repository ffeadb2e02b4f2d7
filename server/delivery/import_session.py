"""What comes in as a session of its own: a bundle, or object audio. Nothing of a broken one stays."""

import tempfile
from pathlib import Path
from typing import Any

from django.conf import settings

from needle.io import intake
from needle.io.bundle import Bundle, assets_of, with_assets
from needle.messages import Message
from server.common.locked import run_locked
from server.media import quotas
from server.media.assets import asset_audio, audio_facts, store_asset
from server.media.models import Upload
from server.media.uploads import Progress
from server.mixsessions.models import MixSession
from server.mixsessions.services import checked_document, create_session

_UNPACKED = 0.3


def import_session(path: Path, name: str, owner, progress: Progress) -> tuple[MixSession, tuple[Message, ...]]:
    """A file as a new session of its owner's, and what they should know of it.

    ``name`` is what its owner calls it, ``progress`` is told the share that is done and may stop it by raising.
    NeedleError, and nothing stays, if it cannot be taken in.
    """
    under = settings.DATA_DIR / "arriving"
    under.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=under) as folder:
        whole = Path(folder)
        unpacked = run_locked(
            intake.unpack_session,
            path,
            whole,
            Path(name).stem,
            reads=[path],
            writes=[whole],
            progress=lambda done: progress(_UNPACKED * done),
        )
        with Bundle(whole, facts=audio_facts) as bundle:
            session = _begun(bundle, owner, path.stat().st_size, progress)
    return session, unpacked.notes


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
    quotas.check_room(
        owner, sum(quotas.decoded_bytes(audio_facts(bundle.asset_path(name)), rate) for name in hexed) - sent
    )
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
