"""BW64 files (ITU-R BS.2088-1): audio with the chunks that name its tracks (``chna``) and describe them (``axml``).

libsndfile writes and reads the samples of an RF64 file, which BW64 takes over but for its first four letters.
"""

import struct
from dataclasses import dataclass
from pathlib import Path

import soundfile

from needle.errors import NeedleError
from needle.io.audio import AudioWriter, opened_audio
from needle.io.containers import chunks_of

_MOST_XML = 256 << 20
_MOST_TRACKS = 1024
_ROW = struct.Struct("<H12s14s11sx")
_PCM = 1


@dataclass(frozen=True)
class TrackRow:
    """A row of the ``chna`` chunk: ``track`` (from 0), its UID, and the track format and pack that it refers to."""

    track: int
    uid: str
    format: str
    pack: str


class Bw64Writer(AudioWriter):
    """Writes stretches of (tracks, frames) as 24-bit samples; ``describe`` adds the description when all is there."""

    def __init__(self, path: Path, rate: int, tracks: int, frames: int) -> None:
        if tracks > _MOST_TRACKS:
            raise NeedleError("bw64.too_many_tracks", tracks=tracks, most=_MOST_TRACKS)
        self._description: tuple[list[TrackRow], bytes] | None = None
        super().__init__(path, rate, tracks, "rf64-24", frames)

    def describe(self, rows: list[TrackRow], xml: bytes) -> None:
        """What the tracks are; written when the file is closed."""
        self._description = rows, xml

    def __exit__(self, *error: object) -> None:
        super().__exit__(*error)
        if self._description is not None:
            _append(self._path, *self._description)


def _append(path: Path, rows: list[TrackRow], xml: bytes) -> None:
    """Make a BW64 file of an RF64 file: plain PCM, with its two chunks at the end."""
    with path.open("r+b") as file:
        size = path.stat().st_size
        for name, length, at in chunks_of(file, size):
            if name == b"fmt " and length == 40:
                # The extensible part says nothing that plain PCM does not: it becomes filling.
                fields = bytearray(file.read(16))
                fields[:2] = struct.pack("<H", _PCM)
                file.seek(at - 4)
                file.write(struct.pack("<I", 16) + fields + b"JUNK" + struct.pack("<I", 16) + bytes(16))
            if name == b"data":
                break
        file.seek(0, 2)
        if file.tell() % 2:
            file.write(b"\0")
        tracks = len({row.track for row in rows})
        body = struct.pack("<HH", tracks, len(rows)) + b"".join(
            _ROW.pack(row.track + 1, row.uid.encode(), row.format.encode(), row.pack.encode()) for row in rows
        )
        for name, content in ((b"chna", body), (b"axml", xml)):
            file.write(name + struct.pack("<I", len(content)) + content + b"\0" * (len(content) % 2))
        whole = file.tell() - 8
        file.seek(0)
        file.write(b"BW64")
        file.seek(20)
        file.write(struct.pack("<Q", whole))


def description_of(path: Path) -> tuple[list[TrackRow], bytes]:
    """The rows of a file's ``chna`` chunk and its XML. NeedleError if it has none, or they make no sense."""
    rows: list[TrackRow] | None = None
    xml: bytes | None = None
    size = path.stat().st_size
    with path.open("rb") as file:
        form = file.read(12)
        if form[:4] not in (b"BW64", b"RF64", b"RIFF") or form[8:] != b"WAVE":
            raise NeedleError("bw64.not_bw64", file=path.name)
        for name, length, _ in chunks_of(file, size):
            if name == b"chna":
                rows = _rows(path, file.read(min(length, 4 + _ROW.size * 65536)))
            elif name == b"axml":
                if length > _MOST_XML:
                    raise NeedleError("bw64.description_too_long", file=path.name)
                xml = file.read(length)
                if len(xml) < length:
                    raise NeedleError("bw64.description_breaks_off", file=path.name)
    if rows is None or xml is None:
        raise NeedleError("bw64.no_description", file=path.name)
    return rows, xml


def _rows(path: Path, body: bytes) -> list[TrackRow]:
    if len(body) < 4:
        raise NeedleError("bw64.track_list_damaged", file=path.name)
    count = struct.unpack("<H", body[2:4])[0]
    result = []
    for index in range(count):
        part = body[4 + index * _ROW.size : 4 + (index + 1) * _ROW.size]
        if len(part) < _ROW.size:
            raise NeedleError("bw64.track_list_breaks_off", file=path.name)
        track, *names = _ROW.unpack(part)
        if track:
            result.append(TrackRow(track - 1, *(name.rstrip(b"\0 ").decode("ascii", "replace") for name in names)))
    return result


def opened(path: Path) -> soundfile.SoundFile:
    """The file's samples. NeedleError if they cannot be read."""
    return opened_audio(path, _MOST_TRACKS)
