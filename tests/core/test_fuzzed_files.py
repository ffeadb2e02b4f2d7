"""Mutated files for every reader: each is read or refused in words, quickly, and leaves nothing behind."""

import contextlib
import json
import random
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path

from django.test import SimpleTestCase

from needle.errors import NeedleError
from needle.io.adm.to_session import import_adm
from needle.io.audio import audio_info, read_at
from needle.io.bundle import SESSION_FILE, Bundle
from needle.io.containers import channel_mask
from needle.io.lanes import read_moves
from needle.io.midi import midi_notes, midi_tempo
from needle.io.midi_automation import read_midi_moves
from needle.io.sofa import read_head
from tests import often
from tests.core.foreign_files import AUDIO, FILES, mutated, mutated_json, mutated_text

ROUNDS = often(250, 5000)
"""Mutated files of each kind."""


class Fuzzed(SimpleTestCase):
    """One seed for each kind, so that what fails once fails again."""

    def setUp(self) -> None:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)
        self.under = self.folder / "under"
        self.under.mkdir()

    def fuzz(self, name: str, read: Callable[[Path], object], rounds: int = ROUNDS) -> None:
        """The file ``name``, mutated again and again."""
        path = self.folder / name
        FILES[name](path)
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
        def read(path: Path) -> None:
            audio_info(path)
            channel_mask(path)
            for _ in read_at(path, 44100):
                pass

        for name in AUDIO:
            self.fuzz(name, read, ROUNDS // 2)

    def test_object_audio(self) -> None:
        path = self.folder / "objects.wav"

        def read(path: Path) -> None:
            with tempfile.TemporaryDirectory(dir=self.under) as folder:
                for _ in import_adm(path, Path(folder)):
                    pass
                Bundle(Path(folder)).close()

        self.fuzz("objects.wav", read, ROUNDS // 2)
        FILES["objects.wav"](path)
        data = path.read_bytes()
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

        def read(path: Path) -> None:
            with Bundle(path, self.under) as bundle:
                bundle.mix()

        self.fuzz("bundle.zip", read, ROUNDS // 2)
        FILES["bundle.zip"](path)
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
        def read_midi(path: Path) -> None:
            read_midi_moves(path)
            midi_tempo(path)

        self.fuzz("moves.csv", read_moves)
        self.fuzz("moves.json", read_moves)
        self.fuzz("moves.mid", read_midi)

    def test_notes(self) -> None:
        self.fuzz("notes.mid", midi_notes)

    def test_measured_heads(self) -> None:
        self.fuzz("head.sofa", read_head, ROUNDS // 2)
