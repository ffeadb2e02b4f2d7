"""What the header of a WAV, RF64 or AIFF file promises, held against what is there.

libsndfile quietly shortens a file that breaks off; an engineer must be told. Sources: EBU Tech 3306 (RF64), the
RIFF and AIFF chunk layouts.
"""

import struct
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from needle.errors import NeedleError
from needle.layouts import Layout

_UNKNOWN = 0xFFFFFFFF
_MOST_CHUNKS = 10_000
_PCM, _IEEE_FLOAT = 1, 3


@dataclass(frozen=True)
class Promise:
    """What a header says: ``channels`` (0 if it does not), and the sound's ``bytes`` of which ``there`` are there."""

    channels: int
    bytes: int
    there: int


def check_promise(path: Path) -> None:
    """NeedleError if the file breaks off before the end of the sound that its header promises."""
    promise = promised(path)
    if promise and promise.there < promise.bytes:
        share = promise.there / promise.bytes
        raise NeedleError(
            "audio.breaks_off", file=path.name, bytes=promise.bytes, there=promise.there, share=round(100 * share)
        )


def promised(path: Path) -> Promise | None:
    """What the header promises; None for other kinds of file, and where a stream's length was never written."""
    if not path.is_file():
        return None
    size = path.stat().st_size
    with path.open("rb") as file:
        form = file.read(12)
        if len(form) < 12:
            return None
        kind, inner = form[:4], form[8:]
        if kind in (b"RIFF", b"RF64", b"BW64") and inner == b"WAVE":
            return _wave(file, size)
        if kind == b"FORM" and inner in (b"AIFF", b"AIFC"):
            return _aiff(file, size)
    return None


def _wave(file: BinaryIO, size: int) -> Promise | None:
    channels = 0
    for name, length, at in chunks_of(file, size):
        if name == b"fmt ":
            channels = int.from_bytes(file.read(4)[2:4], "little")
        elif name == b"data":
            return None if length in (0, _UNKNOWN) else Promise(channels, length, size - at)
    return None


@dataclass(frozen=True)
class WaveSamples:
    """Where a WAV file's samples lie: from byte ``at`` on, ``frames`` of all ``channels`` by turns.

    ``bits`` of each; ``floats``: whether they are floating-point numbers.
    """

    at: int
    frames: int
    channels: int
    bits: int
    floats: bool


def wave_samples(path: Path) -> WaveSamples | None:
    """Where a WAV file has its samples; None for any other file, or a broken one."""
    size = path.stat().st_size
    with path.open("rb") as file:
        form = file.read(12)
        if form[:4] not in (b"RIFF", b"RF64") or form[8:] != b"WAVE":
            return None
        kind, channels, bits = 0, 0, 0
        for name, length, at in chunks_of(file, size):
            if name == b"fmt ":
                about = file.read(40)
                kind, channels, bits = (int.from_bytes(about[low : low + 2], "little") for low in (0, 2, 14))
                if about[:2] == _EXTENSIBLE:
                    kind = int.from_bytes(about[24:26], "little")
            elif name == b"data":
                frame = channels * bits // 8
                complete_frames = kind in (_PCM, _IEEE_FLOAT) and frame and length and length % frame == 0
                if not complete_frames or at + length > size:
                    return None
                return WaveSamples(at, length // frame, channels, bits, kind == _IEEE_FLOAT)
    return None


def _aiff(file: BinaryIO, size: int) -> Promise | None:
    channels = 0
    for name, length, at in chunks_of(file, size, ">I"):
        if name == b"COMM":
            channels = int.from_bytes(file.read(2), "big")
        elif name == b"SSND":
            return Promise(channels, length, size - at)
    return None


def chunks_of(file: BinaryIO, size: int, length_format: str = "<I") -> Iterator[tuple[bytes, int, int]]:
    """Name, length and where its content begins, chunk by chunk, of a file of ``size`` bytes, which stands there.

    The length of the sound in a file of more than 4 GB is the one that its ``ds64`` tells (EBU Tech 3306).
    """
    at, long_size = 12, None
    for _ in range(_MOST_CHUNKS):
        file.seek(at)
        header = file.read(8)
        if len(header) < 8 or at >= size:
            return
        name, length = header[:4], struct.unpack(length_format, header[4:])[0]
        if name == b"ds64":
            sizes = file.read(16)
            long_size = struct.unpack("<Q", sizes[8:])[0] if len(sizes) == 16 else None
            file.seek(at + 8)
        elif name == b"data" and length == _UNKNOWN and long_size is not None:
            length = long_size
        yield name, length, at + 8
        at += 8 + length + length % 2


class AsRf64:
    """A BW64 file opened for reading under the name of RF64, by which libsndfile knows it."""

    def __init__(self, path: Path) -> None:
        self._file = path.open("rb")

    def read(self, size: int = -1) -> bytes:
        at = self._file.tell()
        result = self._file.read(size)
        return b"RF64"[at : at + len(result)] + result[max(4 - at, 0) :] if at < 4 else result

    def readinto(self, into: bytearray) -> int:
        result = self.read(len(into))
        into[: len(result)] = result
        return len(result)

    def seek(self, offset: int, whence: int = 0) -> int:
        return self._file.seek(offset, whence)

    def tell(self) -> int:
        return self._file.tell()

    def close(self) -> None:
        self._file.close()


def describes_tracks(path: Path) -> bool:
    """Whether a file is a WAV, RF64 or BW64 that says what its tracks are (ITU-R BS.2088: a ``chna`` chunk)."""
    size = path.stat().st_size
    with path.open("rb") as file:
        if file.read(12)[8:] != b"WAVE":
            return False
        return any(name == b"chna" for name, _, _ in chunks_of(file, size))


def is_bw64(path: Path) -> bool:
    """Whether a file calls itself BW64."""
    with path.open("rb") as file:
        return file.read(4) == b"BW64"


_EXTENSIBLE = b"\xfe\xff"


def set_channel_mask(path: Path, mask: int) -> None:
    """Write a channel mask into the header of a WAV or RF64 file that has a WAVEFORMATEXTENSIBLE."""
    with path.open("r+b") as file:
        file.seek(0, 2)
        size = file.tell()
        for name, length, at in chunks_of(file, size):
            if name == b"fmt " and length >= 40 and file.read(2) == _EXTENSIBLE:
                file.seek(at + 20)
                file.write(struct.pack("<I", mask))
                return
            if name == b"data":
                return


def clear_peak_time(path: Path) -> None:
    """Take out of a float WAV file's PEAK chunk when it was written."""
    with path.open("r+b") as file:
        file.seek(0, 2)
        size = file.tell()
        file.seek(0)
        if file.read(4) not in (b"RIFF", b"RF64"):
            return
        for name, length, at in chunks_of(file, size):
            if name == b"PEAK" and length >= 8:
                file.seek(at + 4)
                file.write(bytes(4))
            if name in (b"PEAK", b"data"):
                return


def append_markers(path: Path, markers: Sequence[tuple[int, str]]) -> None:
    """Put named places (frames) at the end of a WAV or RF64 file, as cue points with labels.

    Multimedia Programming Interface and Data Specifications 1.0, "cue-points chunk", "associated data list". Places
    past what 32 bits tell are left out; other kinds of file are left as they are.
    """
    labelled = [(frame, name.encode()) for frame, name in markers if frame <= _UNKNOWN]
    with path.open("r+b") as file:
        form = file.read(12)
        if not labelled or form[:4] not in (b"RIFF", b"RF64", b"BW64") or form[8:] != b"WAVE":
            return
        points = [
            struct.pack("<II4sIII", number, frame, b"data", 0, 0, frame)
            for number, (frame, _) in enumerate(labelled, start=1)
        ]
        labels = [
            _chunk(b"labl", struct.pack("<I", number) + name + b"\0")
            for number, (_, name) in enumerate(labelled, start=1)
        ]
        added = _chunk(b"cue ", struct.pack("<I", len(points)) + b"".join(points))
        added += _chunk(b"LIST", b"adtl" + b"".join(labels))
        size = file.seek(0, 2)
        file.write(bytes(size % 2) + added)
        whole = file.tell() - 8
        if form[:4] == b"RIFF":
            file.seek(4)
            file.write(struct.pack("<I", whole))
        else:
            # The size of the whole stands first in the ds64 chunk, which comes first.
            file.seek(20)
            file.write(struct.pack("<Q", whole))


def _chunk(name: bytes, content: bytes) -> bytes:
    return name + struct.pack("<I", len(content)) + content + bytes(len(content) % 2)


def channel_mask(path: Path) -> int:
    """The channel mask in the header of a WAV or RF64 file; 0 if it has none."""
    size = path.stat().st_size
    with path.open("rb") as file:
        if file.read(12)[8:] != b"WAVE":
            return 0
        for name, length, _ in chunks_of(file, size):
            if name == b"fmt ":
                result = file.read(40)
                extensible = length >= 40 and result[:2] == _EXTENSIBLE
                return int.from_bytes(result[20:24], "little") if extensible else 0
    return 0


def in_layout_order(stretches: Iterator[NDArray[np.float32]], layout: Layout | None) -> Iterator[NDArray[np.float32]]:
    """Stretches (channels, frames) of a file, in the order in which its layout has them."""
    order = None if layout is None else np.argsort(layout.file_order)
    for stretch in stretches:
        yield stretch if order is None or len(order) != len(stretch) else stretch[order]
