"""Taking foreign files in: what is in them, written out as plain data of the application's own.

Each function opens one file, tells what it finds in plain values and writes where it is told to, so that it can run
where nothing else is within reach.
"""

import zipfile
from collections.abc import Generator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from needle.errors import NeedleError
from needle.io.adm.read import read_programme
from needle.io.adm.to_session import import_adm
from needle.io.audio import AudioInfo, audio_info, read_at
from needle.io.bundle import unpack
from needle.io.bw64 import opened
from needle.io.containers import describes_tracks
from needle.io.lanes import FoundLane, read_moves
from needle.io.midi_automation import read_midi_moves
from needle.io.sofa import read_head
from needle.messages import Message
from needle.metering.character import Character, Ear
from needle.tempo import TempoMap


@dataclass(frozen=True)
class Decoded:
    """What was heard of a file while it was decoded, and how many frames came."""

    character: Character
    frames: int


@dataclass(frozen=True)
class Unpacked:
    """What its owner should know of what was unpacked."""

    notes: tuple[Message, ...]


def decode(path: Path, rate: int, into: Path) -> Generator[float, None, Decoded]:
    """Decode a file at ``rate`` (Hz) into an array that is there: ``.npy``, float32 (channels, frames).

    Yields the share that is done. NeedleError if it cannot be read, or holds less than it says.
    """
    out = np.lib.format.open_memmap(into, mode="r+")
    ear, done = Ear(out.shape[0]), 0
    for stretch in read_at(path, rate):
        ear.hear(stretch)
        out[:, done : done + stretch.shape[1]] = stretch
        done += stretch.shape[1]
        yield done / out.shape[1]
    if done < out.shape[1]:
        expected = round(out.shape[1] / rate, 2)
        raise NeedleError(
            "media.breaks_off_after_seconds", file=path.name, read=round(done / rate, 2), expected=expected
        )
    out.flush()
    return Decoded(ear.character(), done)


def facts(path: Path) -> AudioInfo:
    """What an audio file holds (``needle.io.audio.audio_info``)."""
    return audio_info(path)


def unpack_session(path: Path, folder: Path, name: str) -> Generator[float, None, Unpacked]:
    """Write what is to become a session, a bundle in one file or object audio, into a folder as a bundle.

    Yields the share that is done. ``name``: what the session of object audio is called. NeedleError if it is neither.
    """
    if not describes_tracks(path):
        if not zipfile.is_zipfile(path):
            raise NeedleError("bundle.not_a_session", file=path.name)
        unpack(path, folder)
        return Unpacked(())
    with opened(path) as file:
        programme = read_programme(path, AudioInfo(file.samplerate, file.channels, file.frames))
    yield from import_adm(path, folder, name)
    return Unpacked(programme.notes)


def head_into(path: Path, into: Path) -> int:
    """Write a measured head (SOFA) as arrays: ``.npz``. How many directions it has."""
    head = read_head(path)
    with into.open("wb") as file:
        np.savez(file, directions=head.directions, responses=head.responses, rate=head.rate)
    return int(head.responses.shape[0])


def lanes_in(path: Path, tempo: TempoMap) -> list[FoundLane]:
    """The lanes of a file of moves: CSV, JSON or MIDI, whose beats fall where ``tempo`` says."""
    with path.open("rb") as file:
        is_midi = file.read(4) == b"MThd"
    return read_midi_moves(path, tempo) if is_midi else read_moves(path)
