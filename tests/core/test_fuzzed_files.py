"""Mutated files for every reader: each is read or refused in words, quickly, and leaves nothing behind."""

import contextlib
import json
import random
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path

import h5py
import mido
import numpy as np
from django.test import SimpleTestCase

from needle.automation.curve import Lane, Point, stored
from needle.errors import NeedleError
from needle.io.adm.from_mix import mix_to_adm
from needle.io.adm.to_session import import_adm
from needle.io.adm.write import write_adm
from needle.io.audio import AudioWriter, audio_info, read_at
from needle.io.bundle import SESSION_FILE, Bundle, write_bundle
from needle.io.containers import channel_mask
from needle.io.lanes import lanes_json, lanes_table, read_moves
from needle.io.midi import midi_notes, midi_tempo
from needle.io.midi_automation import read_midi_moves, write_midi_moves
from needle.io.sofa import read_head
from needle.layouts import LAYOUTS
from needle.mix.model import Mix, MixSource
from needle.session.document import tempo_map
from needle.session.owners import lane_key, lane_value
from tests import often
from tests.core.sessions import audio
from tests.core.strategies import RATE, tone
from tests.core.test_bundles import one_source

ROUNDS = often(250, 5000)
"""Mutated files of each kind."""

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


def with_lane() -> dict:
    document = one_source()
    key = lane_key("s0", "pan")
    points = stored([Point(0.0, -1.0), Point(0.5, 1.0, "ease")])
    document["lanes"][key] = lane_value(key, points)
    return document


class Fuzzed(SimpleTestCase):
    """One seed for each kind, so that what fails once fails again."""

    def setUp(self) -> None:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)
        self.under = self.folder / "under"
        self.under.mkdir()

    def fuzz(self, name: str, read: Callable[[Path], object], rounds: int = ROUNDS) -> None:
        """The file ``name`` that is there, mutated again and again."""
        path = self.folder / name
        data = path.read_bytes()
        read(path)
        chance, refused = random.Random(name), 0
        for _ in range(rounds):
            path.write_bytes(mutated(data, chance))
            try:
                read(path)
            except NeedleError as error:
                refused += 1
                self.assertTrue(str(error).strip())
            except Exception as error:
                kept = Path(tempfile.gettempdir()) / f"fuzzed-{name}"
                kept.write_bytes(path.read_bytes())
                raise AssertionError(f"{type(error).__name__} while reading {kept}") from error
            self.assertEqual(list(self.under.iterdir()), [])
        self.assertGreater(refused, rounds // 20)

    def test_audio(self) -> None:
        sound = tone(440.0, 0.05, 2, 0.5)

        def read(path: Path) -> None:
            audio_info(path)
            channel_mask(path)
            for _ in read_at(path, 44100):
                pass

        for kind in ("wav-16", "wav-float", "flac-24", "rf64-24"):
            name = f"{kind}.wav"
            with AudioWriter(self.folder / name, RATE, LAYOUTS["0+2+0"], kind, sound.shape[1]) as writer:
                writer.write(sound)
            self.fuzz(name, read, ROUNDS // 2)

    def test_object_audio(self) -> None:
        lanes = {"pan": Lane((Point(0.0, -1.0), Point(0.2, 1.0, "ease")))}
        source = MixSource("one", tone(440.0, 0.1, 1, 0.5), lanes=lanes)
        mix = Mix(RATE, 0.2, (source, MixSource("two", source.audio, delay_panning="symmetric")), layout="0+5+0")
        path = self.folder / "objects.wav"
        list(write_adm(path, mix, mix_to_adm(mix, "Small", {"one": "One", "two": "Two"})))

        def read(path: Path) -> None:
            with tempfile.TemporaryDirectory(dir=self.under) as folder:
                for _ in import_adm(path, Path(folder)):
                    pass
                Bundle(Path(folder)).close()

        data = path.read_bytes()
        self.fuzz("objects.wav", read, ROUNDS // 2)
        # Its description alone, which is where most can be wrong.
        at = data.rindex(b"axml") + 8
        chance = random.Random("axml")
        for _ in range(ROUNDS // 2):
            path.write_bytes(data[:at] + mutated_text(data[at:], chance))
            with contextlib.suppress(NeedleError):
                read(path)
            self.assertEqual(list(self.under.iterdir()), [])

    def test_bundles(self) -> None:
        path = self.folder / "bundle.zip"
        list(write_bundle(path, with_lane(), audio))

        def read(path: Path) -> None:
            with Bundle(path, self.under) as bundle:
                bundle.mix()

        self.fuzz("bundle.zip", read, ROUNDS // 2)
        list(write_bundle(path, with_lane(), audio))
        with zipfile.ZipFile(path) as good:
            files = {info.filename: good.read(info) for info in good.infolist()}
        chance, session = random.Random("session"), files[SESSION_FILE]
        folder = self.folder / "session"
        (folder / "assets").mkdir(parents=True)
        for name, content in files.items():
            (folder / name).write_bytes(content)
        for _ in range(ROUNDS):
            changed = mutated_json(json.loads(session), chance) if chance.random() < 0.7 else mutated(session, chance)
            (folder / SESSION_FILE).write_bytes(
                changed if isinstance(changed, bytes) else json.dumps(changed).encode()
            )
            with contextlib.suppress(NeedleError):
                read(folder)

    def test_moves(self) -> None:
        document = with_lane()
        (self.folder / "moves.csv").write_text(lanes_table(document, tempo_map(document)), "utf-8")
        (self.folder / "moves.json").write_text(lanes_json(document), "utf-8")
        write_midi_moves(self.folder / "moves.mid", document, tempo_map(document), 1.0, True)

        def read_midi(path: Path) -> None:
            read_midi_moves(path)
            midi_tempo(path)

        self.fuzz("moves.csv", read_moves)
        self.fuzz("moves.json", read_moves)
        self.fuzz("moves.mid", read_midi)

    def test_notes(self) -> None:
        notes = [mido.Message(kind, note=60, time=240) for kind in ("note_on", "note_off") * 3]
        mido.MidiFile(tracks=[mido.MidiTrack(notes)]).save(self.folder / "notes.mid")
        self.fuzz("notes.mid", midi_notes)

    def test_measured_heads(self) -> None:
        path = self.folder / "head.sofa"
        with h5py.File(path, "w") as file:
            file.attrs["SOFAConventions"] = "SimpleFreeFieldHRIR"
            positions = file.create_dataset("SourcePosition", data=np.array([[0.0, 0.0, 1.0], [30.0, 0.0, 1.0]]))
            positions.attrs["Type"] = "spherical"
            file["Data.IR"] = np.ones((2, 2, 16))
            file["Data.SamplingRate"] = np.array([48000.0])

        self.fuzz("head.sofa", read_head, ROUNDS // 2)


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
