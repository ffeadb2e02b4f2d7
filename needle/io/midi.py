"""Standard MIDI Files (1.0, RP-001): the tempo map and the notes that one holds."""

from __future__ import annotations

import itertools
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from needle.errors import NeedleError
from needle.io.extras import Extra
from needle.messages import Message
from needle.tempo import TempoMap

if TYPE_CHECKING:
    import mido
else:
    mido = Extra("mido", "midi")


_DEFAULT_TEMPO = 500_000


@dataclass(frozen=True)
class MidiTempo:
    """The tempo map of a file, and what could not be taken as it stands (a sentence each)."""

    tempo: TempoMap
    notes: tuple[Message, ...]


def midi_tempo(path: Path) -> MidiTempo:
    """The tempo and metre changes of a Standard MIDI File; NeedleError if it cannot be read.

    A metre that changes inside a bar is taken from the next bar on, and said so.
    """
    file = opened_midi(path)
    tempos: dict[float, float] = {0.0: 60e6 / _DEFAULT_TEMPO}
    metres: dict[float, tuple[int, int]] = {0.0: (4, 4)}
    for beat, message in _messages(file):
        if message.type == "set_tempo" and message.tempo > 0:
            tempos[beat] = 60e6 / message.tempo
        elif message.type == "time_signature":
            metres[beat] = (message.numerator, message.denominator)
    return _as_map(tempos, metres)


@dataclass(frozen=True)
class MidiNotes:
    """A part: ``notes`` in the order of time, (beat, length in beats, pitch, velocity 0…1) each; its name if told."""

    notes: tuple[tuple[float, float, float, float], ...]
    name: str


def midi_notes(path: Path) -> MidiNotes:
    """All notes of a Standard MIDI File; NeedleError if it cannot be read or has none.

    A note that is struck again before it ends, or never ends, ends there.
    """
    file = opened_midi(path)
    result: list[tuple[float, float, float, float]] = []
    name = ""
    for track in file.tracks:
        sounding: dict[tuple[int, int], tuple[float, int]] = {}
        last = 0.0

        def end(
            key: tuple[int, int], beat: float, sounding: dict[tuple[int, int], tuple[float, int]] = sounding
        ) -> None:
            if key in sounding:
                began, velocity = sounding.pop(key)
                result.append((began, max(beat - began, 0.0), float(key[1]), velocity / 127.0))

        for beat, message in timed_messages(track, file.ticks_per_beat):
            last = beat
            if message.type in ("note_on", "note_off"):
                key = message.channel, message.note
                end(key, beat)
                if message.type == "note_on" and message.velocity > 0:
                    sounding[key] = beat, message.velocity
            elif message.type == "track_name" and not name:
                name = message.name.strip()
        for key in list(sounding):
            end(key, last)
    if not result:
        raise NeedleError("midi.no_notes", file=path.name)
    return MidiNotes(tuple(sorted(result)), name)


MOST_BYTES = 64 << 20
_UNREADABLE = (
    OSError, EOFError, ValueError, KeyError, IndexError, TypeError, AttributeError, OverflowError, struct.error,
)  # fmt: skip
MOST_MESSAGES = 2_000_000


def opened_midi(path: Path) -> mido.MidiFile:
    """The file. NeedleError if it is not one that can be read."""
    if path.is_file() and path.stat().st_size > MOST_BYTES:
        raise NeedleError("midi.file_too_large", file=path.name, most=MOST_BYTES >> 20)
    try:
        file = mido.MidiFile(path)
    except (*_UNREADABLE, mido.midifiles.meta.KeySignatureError) as error:
        raise NeedleError("midi.not_midi", file=path.name) from error
    if file.ticks_per_beat <= 0:
        raise NeedleError("midi.film_frames", file=path.name)
    return file


def timed_messages(track: mido.MidiTrack, ticks_per_beat: int) -> Iterator[tuple[float, mido.Message]]:
    """The messages of a track, each with its beat."""
    ticks = itertools.accumulate(message.time for message in track)
    for tick, message in zip(ticks, track, strict=True):
        yield tick / ticks_per_beat, message


def _messages(file: mido.MidiFile) -> Iterator[tuple[float, mido.Message]]:
    for track in file.tracks:
        yield from timed_messages(track, file.ticks_per_beat)


def _as_map(tempos: dict[float, float], metres: dict[float, tuple[int, int]]) -> MidiTempo:
    notes = []
    steps = [(beat, round(bpm, 6)) for beat, bpm in sorted(tempos.items())]
    steps = [step for i, step in enumerate(steps) if i == 0 or step[1] != steps[i - 1][1]]
    changes: list[tuple[int, int, int]] = []
    for beat, (count, unit) in sorted(metres.items()):
        if not changes:
            changes.append((1, count, unit))
            continue
        bar, within = TempoMap(((0.0, 120.0),), tuple(changes)).bar_at(beat)
        if within - 1.0 > 1e-6:
            bar += 1
            notes.append(Message("midi.metre_inside_bar", metre=f"{count}/{unit}", bar=bar - 1, next=bar))
        if (count, unit) != changes[-1][1:]:
            changes = [change for change in changes if change[0] != bar]
            changes.append((bar, count, unit))
    return MidiTempo(TempoMap(tuple(steps), tuple(changes)), tuple(notes))
