"""The session bundle: a folder or zip with ``session.json`` and the audio it plays, under ``assets/``."""

import json
import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory
from types import TracebackType
from typing import Any

from needle.checks import Document, check_document
from needle.errors import NeedleError
from needle.files.audio import Audio, audio_info, frames_at, read_audio
from needle.rendering.mix import Mix
from needle.session import mix_of, upgraded

VERSION = 4
"""What is written. Version 1 had no groups, returns and sends, version 2 no pulses and deals,
version 3 no room and no layers."""

SESSION_FILE = "session.json"
ASSETS = "assets"


class Bundle:
    """A bundle opened for reading: ``document`` is the session, ``audio(asset)`` an asset's samples.

    Use it as a context manager: an unpacked zip is removed on the way out.
    """

    def __init__(self, path: Path) -> None:
        self._temporary: TemporaryDirectory[str] | None = None
        path = Path(path)
        if path.is_dir():
            self.folder = path
        elif zipfile.is_zipfile(path):
            self._temporary = TemporaryDirectory()
            self.folder = Path(self._temporary.name)
            with zipfile.ZipFile(path) as archive:
                archive.extractall(self.folder)
        else:
            raise NeedleError(f"{path.name} is not a session bundle: neither a folder nor a zip.")
        self.document = self._document()

    def __enter__(self) -> "Bundle":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._temporary:
            self._temporary.cleanup()

    def _document(self) -> Document:
        try:
            stored: dict[str, Any] = json.loads((self.folder / SESSION_FILE).read_text("utf-8"))
        except OSError as error:
            raise NeedleError(f"The bundle has no {SESSION_FILE}.") from error
        except ValueError as error:
            raise NeedleError(f"The bundle's {SESSION_FILE} is damaged: {error}.") from error
        version = stored.get("version")
        if not isinstance(version, int) or not 1 <= version <= VERSION:
            raise NeedleError(f"The bundle is of version {version}; this reads 1 to {VERSION}.")
        if not isinstance(stored.get("document"), dict):
            raise NeedleError(f"The bundle's {SESSION_FILE} holds no session.")
        return self._with_lengths(check_document(upgraded(stored["document"])))

    def _with_lengths(self, document: Document) -> Document:
        """Version 1 did not say how long its sources sound; their files do."""
        rate = document["session"]["rate"]
        for source in document["sources"].values():
            if not source["seconds"] and (self.folder / ASSETS / source["asset"]).is_file():
                info = audio_info(self.asset_path(source["asset"]))
                source["seconds"] = frames_at(info, rate) / rate
        return document

    def asset_path(self, asset: str) -> Path:
        """Where an asset's file is; NeedleError if the bundle lacks it or its name leads elsewhere."""
        folder = (self.folder / ASSETS).resolve()
        path = (folder / asset).resolve()
        if path.parent != folder or not path.is_file():
            raise NeedleError(f"The bundle lacks the audio “{asset}”.")
        return path

    def audio(self, asset: str) -> Audio:
        """An asset's samples at the session's rate: float32 (channels, frames)."""
        return read_audio(self.asset_path(asset), self.document["session"]["rate"])

    def mix(self) -> Mix:
        """The session as a mix that can be rendered."""
        return mix_of(self.document, self.audio)


def write_session(folder: Path, document: Document) -> None:
    """Write ``session.json`` into a bundle's folder; the audio is put under ``assets/`` beside it."""
    text = json.dumps({"version": VERSION, "document": check_document(document)}, indent=1, sort_keys=True)
    (folder / SESSION_FILE).write_text(text, "utf-8")
