"""What the header of a WAV, RF64 or AIFF file promises, held against what is there.

libsndfile quietly shortens a file that breaks off; an engineer must be told. Sources: EBU Tech 3306 (RF64), the
RIFF and AIFF chunk layouts.
"""

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from needle.errors import NeedleError
from needle.layouts import Layout

_UNKNOWN = 0xFFFFFFFF
_MOST_CHUNKS = 10_000


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
            f"{path.name} breaks off: its header promises {promise.bytes} bytes of sound and {promise.there} "
            f"are there ({share:.0%}). Copy or export it again."
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
            return _wave(file, size, kind != b"RIFF")
        if kind == b"FORM" and inner in (b"AIFF", b"AIFC"):
            return _aiff(file, size)
    return None


def _wave(file: BinaryIO, size: int, is_long: bool) -> Promise | None:
    channels, long_size = 0, None
    for name, length, at in _chunks(file, size, "<I"):
        if name == b"ds64" and is_long:
            long_size = struct.unpack("<Q", file.read(24)[8:16])[0]
        elif name == b"fmt ":
            channels = struct.unpack("<H", file.read(4)[2:4])[0]
        elif name == b"data":
            if length == _UNKNOWN and long_size is not None:
                length = long_size
            return None if length in (0, _UNKNOWN) else Promise(channels, length, size - at)
    return None


def _aiff(file: BinaryIO, size: int) -> Promise | None:
    channels = 0
    for name, length, at in _chunks(file, size, ">I"):
        if name == b"COMM":
            channels = struct.unpack(">H", file.read(2))[0]
        elif name == b"SSND":
            return Promise(channels, length, size - at)
    return None


def _chunks(file: BinaryIO, size: int, length_format: str) -> Iterator[tuple[bytes, int, int]]:
    """Name, length and where its content begins, chunk by chunk; the file stands at the content."""
    at = 12
    for _ in range(_MOST_CHUNKS):
        file.seek(at)
        header = file.read(8)
        if len(header) < 8 or at >= size:
            return
        length = struct.unpack(length_format, header[4:])[0]
        yield header[:4], length, at + 8
        at += 8 + length + length % 2


_EXTENSIBLE = 0xFFFE


def set_channel_mask(path: Path, mask: int) -> None:
    """Write a channel mask into the header of a WAV or RF64 file that has a WAVEFORMATEXTENSIBLE."""
    with path.open("r+b") as file:
        file.seek(0, 2)
        size = file.tell()
        for name, length, at in _chunks(file, size, "<I"):
            if name == b"fmt " and length >= 40 and struct.unpack("<H", file.read(2))[0] == _EXTENSIBLE:
                file.seek(at + 20)
                file.write(struct.pack("<I", mask))
                return
            if name == b"data":
                return


def channel_mask(path: Path) -> int:
    """The channel mask in the header of a WAV or RF64 file; 0 if it has none."""
    size = path.stat().st_size
    with path.open("rb") as file:
        if file.read(12)[8:] != b"WAVE":
            return 0
        for name, length, _ in _chunks(file, size, "<I"):
            if name == b"fmt ":
                found = file.read(40)
                extensible = length >= 40 and struct.unpack("<H", found[:2])[0] == _EXTENSIBLE
                return struct.unpack("<I", found[20:24])[0] if extensible else 0
    return 0


def in_layout_order(stretches: Iterator[NDArray[np.float32]], layout: Layout | None) -> Iterator[NDArray[np.float32]]:
    """Stretches (channels, frames) of a file, in the order in which its layout has them."""
    order = None if layout is None else np.argsort(layout.file_order)
    for stretch in stretches:
        yield stretch if order is None or len(order) != len(stretch) else stretch[order]
