"""The session bundle: a folder or zip with ``session.json`` and the audio it plays, under ``assets/``.

``docs/bundle.md`` describes it, ``docs/schemas/`` holds its JSON Schema. Every version that was ever written is read.
"""

import hashlib
import json
import mmap
import shutil
import struct
import zipfile
import zlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path, PurePosixPath
from tempfile import TemporaryDirectory
from types import TracebackType
from typing import Any

import numpy as np

from needle.errors import NeedleError
from needle.io.audio import Audio, AudioInfo, AudioWriter, audio_info, frames_at, read_audio, stored_audio
from needle.mix.dealt_sounds import GeneratedAudio
from needle.mix.model import Mix
from needle.render.blocks import usable_cores
from needle.render.freezing import key_of
from needle.session.document import mix_of, upgraded
from needle.session.migrations import VERSION
from needle.session.validation import Document, check_document

FORMAT = "wandering-needle-session"

SESSION_FILE = "session.json"
ASSETS = "assets"

MOST_JSON = 64 << 20
MOST_FILES = 4096
MOST_BYTES = 256 << 30
MOST_RATIO, _ANYWAY = 200, 1 << 30
"""So many times its own size a zip may become, besides a gigabyte: silence is much smaller packed than unpacked."""
_STRETCH = 1 << 18
_MOST_IN_FLAC = 8
_UNREADABLE = (
    zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError, EOFError, OSError, ValueError, struct.error,
    OverflowError,
)  # fmt: skip
_MALFORMED = (KeyError, TypeError, ValueError, AttributeError, IndexError, OverflowError, RecursionError)


class Bundle:
    """A bundle opened for reading: ``document`` is the session, ``audio(asset)`` an asset's samples.

    Use it as a context manager: an unpacked zip is removed on the way out. NeedleError, and nothing left behind, if
    it is not whole. ``under``: the folder in which a zip is unpacked meanwhile. ``facts``: what tells of audio files
    what they hold, for whoever does not open them here.
    """

    def __init__(
        self, path: Path, under: Path | None = None, facts: Callable[[Path], AudioInfo] = audio_info
    ) -> None:
        self._facts = facts
        self._temporary: TemporaryDirectory[str] | None = None
        path = Path(path)
        try:
            if path.is_dir():
                self.folder = path
            elif zipfile.is_zipfile(path):
                self._temporary = TemporaryDirectory(dir=under)
                self.folder = Path(self._temporary.name)
                unpack(path, self.folder)
            else:
                raise NeedleError("bundle.not_a_bundle", file=path.name)
            self.document = self._document()
        except BaseException:
            self.close()
            raise

    def __enter__(self) -> "Bundle":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Remove what was unpacked."""
        if self._temporary:
            self._temporary.cleanup()

    def _document(self) -> Document:
        stored = self._stored()
        version = stored.get("version")
        if not isinstance(version, int) or not 1 <= version <= VERSION:
            raise NeedleError("bundle.unknown_version", version=version, newest=VERSION)
        if not isinstance(stored.get("document"), dict):
            raise NeedleError("bundle.no_session", session_file=SESSION_FILE)
        try:
            document = self._with_lengths(check_document(upgraded(stored["document"], version)))
            names = assets_of(document)
            for name in names:
                self.asset_path(name)
            self._check_assets(stored.get("assets", {}), names)
        except NeedleError:
            raise
        except _MALFORMED as error:
            raise NeedleError("bundle.part_of_wrong_kind", session_file=SESSION_FILE) from error
        return document

    def _stored(self) -> dict[str, Any]:
        path = self.folder / SESSION_FILE
        try:
            if path.stat().st_size > MOST_JSON:
                raise NeedleError("bundle.session_too_large", session_file=SESSION_FILE)
            stored = json.loads(path.read_text("utf-8"), parse_constant=_no_number)
        except OSError as error:
            raise NeedleError("bundle.no_session_file", session_file=SESSION_FILE) from error
        except (ValueError, RecursionError) as error:
            raise NeedleError("bundle.session_damaged", session_file=SESSION_FILE, reason=str(error)[:200]) from error
        if not isinstance(stored, dict):
            raise NeedleError("bundle.no_session", session_file=SESSION_FILE)
        return stored

    def _check_assets(self, descriptions: dict[str, dict[str, Any]], names: list[str]) -> None:
        """NeedleError if an asset is not what the bundle says it is."""
        known = [name for name in names if name in descriptions]
        with ThreadPoolExecutor(usable_cores()) as pool:
            hashes = pool.map(lambda name: _hash(self.asset_path(name)), known)
            for name, result in zip(known, hashes, strict=True):
                if descriptions[name]["sha256"] != result:
                    raise NeedleError("bundle.audio_damaged", name=name)

    def _with_lengths(self, document: Document) -> Document:
        """Version 1 did not say how long its sources sound; their files do."""
        rate = document["session"]["rate"]
        for source in document["sources"].values():
            if not source["seconds"] and (self.folder / ASSETS / source["asset"]).is_file():
                info = self._facts(self.asset_path(source["asset"]))
                source["seconds"] = frames_at(info, rate) / rate
        return document

    def asset_path(self, asset: str) -> Path:
        """Where an asset's file is; NeedleError if the bundle lacks it or its name leads elsewhere."""
        folder = (self.folder / ASSETS).resolve()
        try:
            path = (folder / asset).resolve()
            result = path.parent == folder and path.is_file()
        except (OSError, ValueError):
            result = False
        if not result:
            raise NeedleError("bundle.audio_missing", asset=asset)
        return path

    def audio(self, asset: str) -> Audio:
        """An asset's samples at the session's rate: float32 (channels, frames)."""
        return read_audio(self.asset_path(asset), self.document["session"]["rate"])

    def _sound(self, asset: str) -> Audio | GeneratedAudio:
        return stored_audio(self.asset_path(asset), self.document["session"]["rate"])

    def check_channels(self) -> None:
        """NeedleError if a source is of channels that its audio does not have."""
        for source in self.document["sources"].values():
            if source["first_channel"] + source["channels"] > self._facts(self.asset_path(source["asset"])).channels:
                raise NeedleError("bundle.too_few_channels", name=source["name"])

    def mix(self) -> Mix:
        """The session as a mix that can be rendered. NeedleError if the audio is not what the session needs."""
        self.check_channels()
        names = assets_of(self.document)
        with ThreadPoolExecutor(usable_cores()) as pool:
            audio = dict(zip(names, pool.map(self._sound, names), strict=True))
        try:
            return mix_of(self.document, audio.__getitem__)
        except NeedleError:
            raise
        except _MALFORMED as error:
            raise NeedleError("bundle.part_of_wrong_kind", session_file=SESSION_FILE) from error


def _no_number(text: str) -> float:
    raise ValueError(f"{text} is not a number")


def _hash(path: Path) -> str:
    """The SHA-256 of a file. It is mapped, so that hashing it whole lets other threads work meanwhile."""
    with path.open("rb") as file:
        if not path.stat().st_size:
            return hashlib.sha256().hexdigest()
        with mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as content:
            return hashlib.sha256(content).hexdigest()


def unpack(path: Path, folder: Path) -> None:
    """Unpack the session and its assets from a zip, and nothing else.

    NeedleError if it is damaged or beyond measure.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            wanted = [info for info in archive.infolist() if _belongs(info.filename)]
            size = sum(info.file_size for info in wanted)
            packed_size = path.stat().st_size
            if len(wanted) > MOST_FILES or size > min(MOST_BYTES, MOST_RATIO * packed_size + _ANYWAY):
                raise NeedleError("bundle.too_large", file=path.name)
            if size > shutil.disk_usage(folder).free // 2:
                raise NeedleError("bundle.no_room_to_unpack", file=path.name, size=round(size / 2**30, 1))
            (folder / ASSETS).mkdir()
            for info in wanted:
                with archive.open(info) as packed, (folder / info.filename).open("wb") as out:
                    left = info.file_size
                    while block := packed.read(1 << 20):
                        left -= len(block)
                        if left < 0:
                            raise NeedleError("bundle.holds_more_than_it_says", file=path.name)
                        out.write(block)
    except _UNREADABLE as error:
        raise NeedleError("bundle.damaged", file=path.name, reason=str(error)[:200]) from error


def _belongs(name: str) -> bool:
    if name == SESSION_FILE:
        return True
    parts = PurePosixPath(name).parts
    return (
        len(parts) == 2
        and parts[0] == ASSETS
        and parts[1] not in ("..", ".")
        and name == f"{ASSETS}/{parts[1]}"
        and "\\" not in name
        and "\0" not in name
        and len(parts[1].encode()) < 200
    )


def assets_of(document: Document) -> list[str]:
    """The names of all the audio that a session plays, each once."""
    result = [
        source[name] for source in document["sources"].values() for name in ("asset", "frozen_asset") if source[name]
    ]
    return list(dict.fromkeys(result))


def write_session(folder: Path, document: Document) -> None:
    """Write ``session.json`` into a bundle's folder; the audio is under ``assets/`` beside it already."""
    paths = {name: folder / ASSETS / name for name in assets_of(document)}
    descriptions = {name: described_asset(path) for name, path in paths.items() if path.is_file()}
    (folder / SESSION_FILE).write_text(_session_text(document, descriptions), "utf-8")


def _session_text(document: Document, assets: dict[str, dict[str, Any]]) -> str:
    whole = {"format": FORMAT, "version": VERSION, "document": check_document(document), "assets": assets}
    return json.dumps(whole, indent=1, sort_keys=True, allow_nan=False)


def described_asset(path: Path) -> dict[str, Any]:
    """What a bundle says of a file: its hash, channels, frames and rate (Hz)."""
    info = audio_info(path)
    return {"sha256": _hash(path), "channels": info.channels, "frames": info.frames, "rate": info.rate}


def write_bundle(path: Path, document: Document, audio: Callable[[str], Audio]) -> Iterator[float]:
    """Write a session as a zip; the share that is done, again and again. Who asks may stop between any two.

    ``audio(asset)`` gives an asset's samples at the session's rate, float32 (channels, frames). They are written bit
    by bit: as FLAC where 24 bits tell them, as 32-bit float otherwise, each named by the hash of its file.
    """
    names, descriptions = assets_of(document), {}
    renamed: dict[str, str] = {}
    with TemporaryDirectory(dir=path.parent) as folder, zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
        for number, name in enumerate(names):
            partial = Path(folder) / "asset"
            for done in _write_asset(partial, document["session"]["rate"], audio(name)):
                yield (number + done) / (len(names) + 1)
            about = described_asset(partial)
            renamed[name] = f"{about['sha256']}{'.flac' if _is_flac(partial) else '.wav'}"
            if renamed[name] not in descriptions:
                archive.write(partial, f"{ASSETS}/{renamed[name]}")
            descriptions[renamed[name]] = about
            partial.unlink()
        written = with_assets(document, renamed, audio)
        archive.writestr(SESSION_FILE, _session_text(written, descriptions), zipfile.ZIP_DEFLATED)
    yield 1.0


def _write_asset(path: Path, rate: int, audio: Audio) -> Iterator[float]:
    channels, frames = audio.shape
    starts = range(0, frames, _STRETCH)
    whole = channels <= _MOST_IN_FLAC and all(_in_24_bits(audio[:, low : low + _STRETCH]) for low in starts)
    kind = "flac-24" if whole else "wav-float"
    with AudioWriter(path, rate, channels, kind, frames, dither=False) as writer:
        for low in starts:
            writer.write(np.asarray(audio[:, low : low + _STRETCH]))
            yield min((low + _STRETCH) / max(frames, 1), 1.0)


def _is_flac(path: Path) -> bool:
    with path.open("rb") as file:
        return file.read(4) == b"fLaC"


def _in_24_bits(audio: Audio) -> bool:
    steps = np.asarray(audio, dtype=np.float64) * 2.0**23
    return bool((steps == np.round(steps)).all() and (steps >= -(2.0**23)).all() and (steps < 2.0**23).all())


def with_assets(document: Document, renamed: dict[str, str], audio: Callable[[str], Audio]) -> Document:
    """The session with its audio under other names; ``audio`` gives it by the names that it had.

    What was frozen stays so where it is still what the source sounds like.
    """
    before = mix_of(document, audio)
    frozen = {source.id for source in before.sources if source.frozen is not None}
    back = {new: old for old, new in renamed.items()}
    sources = {
        key: {
            **source,
            "asset": renamed[source["asset"]],
            "frozen_asset": renamed[source["frozen_asset"]] if key in frozen else "",
            "frozen_fingerprint": "",
        }
        for key, source in document["sources"].items()
    }
    result = {**document, "sources": sources}
    if frozen:
        plain = {key: {**source, "frozen_asset": ""} for key, source in sources.items()}
        after = mix_of({**result, "sources": plain}, lambda asset: audio(back[asset]))
        for source in after.sources:
            if source.id in frozen:
                sources[source.id]["frozen_fingerprint"] = key_of(after, source)
    return result
