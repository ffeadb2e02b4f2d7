"""MIDI files that are sent in: read from a file of their own, refused by the name that they came with."""

import tempfile
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import TypeVar

from ninja import UploadedFile

from needle.errors import NeedleError
from server.common import pool
from server.common.errors import ApiError
from server.common.locked import run_locked

MOST_BYTES = 4 << 20
Found = TypeVar("Found")


def read_midi(person: Hashable, file: UploadedFile, read: Callable[[Path], Found]) -> Found:
    """What ``read`` finds in a file that was sent. ApiError if it is too large, NeedleError if it cannot be read."""
    if file.size > MOST_BYTES:
        raise ApiError("import.midi_too_large", 413)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "sent.mid"
        path.write_bytes(file.read())
        try:
            return pool.call(person, _read_locked, read, path, urgency=pool.Urgency.ANALYSIS)
        except NeedleError as error:
            raise error.about(file.name or "The file") from error


def _read_locked(read: Callable[[Path], Found], path: Path) -> Found:
    result: Found = run_locked(read, path, reads=[path])
    return result
