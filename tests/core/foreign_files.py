"""Small files of every kind that is taken in from outside, and what chance makes of them."""

import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import h5py
import mido
import numpy as np

from needle.automation.curve import Lane, Point, stored
from needle.io.adm.from_mix import mix_to_adm
from needle.io.adm.write import write_adm
from needle.io.audio import AudioWriter
from needle.io.bundle import write_bundle
from needle.io.lanes import lanes_json, lanes_table
from needle.io.midi_automation import write_midi_moves
from needle.layouts import LAYOUTS
from needle.mix.model import Mix, MixSource
from needle.session.document import tempo_map
from needle.session.owners import lane_key, lane_value
from tests.core.sessions import audio
from tests.core.strategies import RATE, tone
from tests.core.test_bundles import one_source

_SPECIAL = (b"\0", b"\xff", b"\x7f", b"\x80", b"-1", b"1e999", b"NaN", b"null", b"[", b"{", b'"', b"<", b"&", b"\n")


def mutated(data: bytes, chance: random.Random) -> bytes:
    """A file with bytes changed, cut out, doubled, put in, or its end lost."""
    found = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 5))):
        if not found:
            break
        # Headers matter more than samples.
        at = chance.randrange(min(len(found), chance.choice((64, 512, len(found)))))
        kind = chance.randrange(6)
        if kind == 0:
            found[at] = chance.randrange(256)
        elif kind == 1:
            found[at] ^= 1 << chance.randrange(8)
        elif kind == 2:
            del found[at : at + chance.choice((1, 4, 100))]
        elif kind == 3:
            found[at:at] = found[at : at + chance.choice((1, 8, 64))]
        elif kind == 4:
            found[at:at] = chance.choice(_SPECIAL)
        else:
            del found[at:]
    return bytes(found)


def mutated_text(text: bytes, chance: random.Random) -> bytes:
    """Text with numbers exchanged, words lost and parts doubled, so that it often still parses."""
    parts = text.split(b"\n")
    for _ in range(chance.choice((1, 2, 4))):
        at = chance.randrange(len(parts))
        kind = chance.randrange(4)
        if kind == 0:
            del parts[at]
        elif kind == 1:
            parts.insert(at, parts[chance.randrange(len(parts))])
        elif kind == 2:
            digits = [i for i, c in enumerate(parts[at]) if chr(c).isdigit()]
            if digits:
                i = chance.choice(digits)
                parts[at] = (
                    parts[at][:i] + chance.choice((b"9", b"0", b"-", b"e99", b"nan", b"")) + parts[at][i + 1 :]
                )
        else:
            parts[at] = mutated(parts[at], chance)
    return b"\n".join(parts) or b"\n"


def mutated_json(value: object, chance: random.Random) -> object:
    """A document with one value somewhere in it of another kind, beyond its limits, or gone."""
    if isinstance(value, dict) and value and chance.random() < 0.9:
        key = chance.choice(sorted(value))
        if chance.random() < 0.1:
            return {k: v for k, v in value.items() if k != key}
        return {**value, key: mutated_json(value[key], chance)}
    if isinstance(value, list) and value and chance.random() < 0.9:
        index = chance.randrange(len(value))
        return [mutated_json(one, chance) if i == index else one for i, one in enumerate(value)]
    return chance.choice((None, -1, 1e30, 10**400, "", "x", "../x", [], {}, [[]], True, "a" * 5000, {"id": 3}))


def with_lane() -> dict[str, Any]:
    """A session's document with a lane in it."""
    document = one_source()
    key = lane_key("s0", "pan")
    points = stored([Point(0.0, -1.0), Point(0.5, 1.0, "ease")])
    document["lanes"][key] = lane_value(key, points)
    return document


def _write_audio(kind: str) -> Callable[[Path], None]:
    def write(path: Path) -> None:
        sound = tone(440.0, 0.05, 2, 0.5)
        with AudioWriter(path, RATE, LAYOUTS["0+2+0"], kind, sound.shape[1]) as writer:
            writer.write(sound)

    return write


def _write_objects(path: Path) -> None:
    lanes = {"pan": Lane((Point(0.0, -1.0), Point(0.2, 1.0, "ease")))}
    source = MixSource("one", tone(440.0, 0.1, 1, 0.5), lanes=lanes)
    mix = Mix(RATE, 0.2, (source, MixSource("two", source.audio, delay_panning="symmetric")), layout="0+5+0")
    list(write_adm(path, mix, mix_to_adm(mix, "Small", {"one": "One", "two": "Two"})))


def _write_bundle(path: Path) -> None:
    list(write_bundle(path, with_lane(), audio))


def _write_table(path: Path) -> None:
    path.write_text(lanes_table(with_lane(), tempo_map(with_lane())), "utf-8")


def _write_json(path: Path) -> None:
    path.write_text(lanes_json(with_lane()), "utf-8")


def _write_midi(path: Path) -> None:
    write_midi_moves(path, with_lane(), tempo_map(with_lane()), 1.0, True)


def _write_notes(path: Path) -> None:
    notes = [mido.Message(kind, note=60, time=240) for kind in ("note_on", "note_off") * 3]
    mido.MidiFile(tracks=[mido.MidiTrack(notes)]).save(path)


def _write_head(path: Path) -> None:
    with h5py.File(path, "w") as file:
        file.attrs["SOFAConventions"] = "SimpleFreeFieldHRIR"
        positions = file.create_dataset("SourcePosition", data=np.array([[0.0, 0.0, 1.0], [30.0, 0.0, 1.0]]))
        positions.attrs["Type"] = "spherical"
        file["Data.IR"] = np.ones((2, 2, 16))
        file["Data.SamplingRate"] = np.array([48000.0])


AUDIO = {f"{kind}.wav": _write_audio(kind) for kind in ("wav-16", "wav-float", "flac-24", "rf64-24")}
FILES: dict[str, Callable[[Path], None]] = {
    **AUDIO,
    "objects.wav": _write_objects,
    "bundle.zip": _write_bundle,
    "moves.csv": _write_table,
    "moves.json": _write_json,
    "moves.mid": _write_midi,
    "notes.mid": _write_notes,
    "head.sofa": _write_head,
}
"""How each is written, by its name."""
