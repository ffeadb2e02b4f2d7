"""Foreign files are opened where they can do nothing: neither read, send, start nor outlast what they may."""

import os
import random
import socket
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.test import SimpleTestCase

from needle.errors import NeedleError
from needle.io.midi import midi_notes
from needle.tempo import TempoMap
from server.common import locked_process, midi_files
from server.common.errors import ApiError
from server.common.locked import run_locked
from server.common.locked_process import as_plain, as_value
from server.common.pool_process import ProcessLost
from server.delivery import import_moves
from server.delivery.import_session import import_session
from server.media.assets import store_asset
from server.media.heads import take_in_head
from tests import often
from tests.core.foreign_files import AUDIO, FILES, mutated
from tests.server import hostile
from tests.server.sessions import RATE, SessionCase

locked_process.load()
with_landlock = unittest.skipUnless(locked_process.landlock_version(), "the system has no Landlock")
with_seccomp = unittest.skipUnless(locked_process.knows_seccomp(), "the system has no seccomp")


class Locked(SimpleTestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.own, self.other = self.folder / "own.wav", self.folder / "other.wav"
        for path in (self.own, self.other):
            path.write_bytes(b"sound")

    @with_landlock
    def test_it_reads_its_own_file_and_no_other(self) -> None:
        self.assertEqual(run_locked(hostile.read_file, str(self.own), reads=[self.own]), "done")
        for path in (str(self.other), "/etc/passwd", f"/proc/{os.getpid()}/environ", "/proc/self/environ"):
            self.assertEqual(run_locked(hostile.read_file, path, reads=[self.own]), "PermissionError", path)
        self.assertEqual(run_locked(hostile.list_folder, str(self.folder), reads=[self.own]), "PermissionError")

    @with_landlock
    @with_seccomp
    def test_it_writes_where_it_is_told_to_and_nowhere_else(self) -> None:
        out, inside = self.folder / "out.npy", self.folder / "inside"
        out.touch()
        inside.mkdir()
        for path in (out, inside / "new.wav"):
            self.assertEqual(run_locked(hostile.write_file, str(path), writes=[out, inside]), "done")
        for path in (self.own, self.folder / "new.wav"):
            wrote = run_locked(hostile.write_file, str(path), reads=[self.own], writes=[out, inside])
            self.assertEqual(wrote, "PermissionError")
        self.assertEqual(self.own.read_bytes(), b"sound")
        made = run_locked(hostile.link_to, "/etc/passwd", str(inside / "link"), writes=[inside])
        self.assertEqual(made, "PermissionError")

    @with_seccomp
    def test_it_reaches_no_network_no_program_and_no_process(self) -> None:
        with socket.create_server(("127.0.0.1", 0)) as server:
            _, port = server.getsockname()
            self.assertEqual(run_locked(hostile.open_line, "127.0.0.1", port), "PermissionError")
        self.assertEqual(run_locked(hostile.open_local_line), "PermissionError")
        self.assertEqual(run_locked(hostile.run_program), "PermissionError")
        self.assertEqual(run_locked(hostile.have_a_child), "PermissionError")
        self.assertEqual(run_locked(hostile.end_process, os.getpid()), "PermissionError")

    def test_it_is_told_no_secret(self) -> None:
        with mock.patch.dict(os.environ, {"NEEDLE_SECRET": "s", "NEEDLE_DATABASE_URL": "d"}):
            known = set(run_locked(hostile.known_environment))
        allowed = {"PATH", "LANG", "LC_ALL", "LC_CTYPE", "TZ", "LD_LIBRARY_PATH", "NUMBA_CACHE_DIR"}
        self.assertLessEqual(known, allowed | {"PYTHONPATH", "OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS"})

    def test_what_takes_too_much_memory_is_refused(self) -> None:
        self.assertEqual(run_locked(hostile.take_memory, 1 << 20), 1 << 20)
        with self.assertRaises(NeedleError) as refused:
            run_locked(hostile.take_memory, 2 * settings.READER_MEMORY)
        self.assertEqual(refused.exception.message.code, "pool.too_much_memory")

    def test_what_ends_its_reader_ends_nothing_else(self) -> None:
        with self.assertLogs("server.common.locked", "WARNING"), self.assertRaises(ProcessLost):
            run_locked(hostile.fall_down)
        with self.assertLogs("server.common.locked", "WARNING"), self.assertRaises(ProcessLost):
            run_locked(hostile.never_end, cpu_seconds=1)
        with self.assertRaises(ProcessLost):
            run_locked(hostile.say_nothing, patience=0.5)
        self.assertEqual(run_locked(hostile.answer, 3), 3)

    def test_what_it_says_is_no_more_than_values(self) -> None:
        with self.assertLogs("server.common.locked", "ERROR"), self.assertRaises(RuntimeError):
            run_locked(hostile.answer_an_object)
        for said in ({"kind": "Popen", "fields": {}}, {"kind": "Lane", "fields": {"no": 1}}, {"kind": 1}, {}):
            with self.assertRaises(ValueError):
                as_value(said)
        self.assertEqual(
            as_value(as_plain({"a": [1, 2.5, None, "x", Path("/a")]})), {"a": (1, 2.5, None, "x", Path("/a"))}
        )


class Mutated(SessionCase):
    """Mutated files as they come in: read, refused in words, or at worst the end of their reader; nothing stays."""

    def read_audio(self, path: Path) -> None:
        store_asset(path, RATE)

    def read_session(self, path: Path) -> None:
        import_session(path, path.name, self.users["emil"], lambda _: None)

    def read_moves(self, path: Path) -> None:
        import_moves._read(path, TempoMap())

    def read_notes(self, path: Path) -> None:
        midi_files._read_locked(midi_notes, path)

    def read_head(self, path: Path) -> None:
        take_in_head(path, self.data / "head.npz")

    def test_no_reader_is_harmed_by_chance(self) -> None:
        readers = {
            **dict.fromkeys(AUDIO, self.read_audio),
            **dict.fromkeys(("objects.wav", "bundle.zip"), self.read_session),
            **dict.fromkeys(("moves.csv", "moves.json", "moves.mid"), self.read_moves),
            "notes.mid": self.read_notes,
            "head.sofa": self.read_head,
        }
        self.assertEqual(readers.keys(), FILES.keys())
        for name, read in readers.items():
            with self.subTest(name):
                FILES[name](self.data / name)
                self.mutate(self.data / name, read)

    def mutate(self, path: Path, read: Callable[[Path], None]) -> None:
        data, chance, refused = path.read_bytes(), random.Random(path.name), 0
        read(path)
        for _ in range(often(15, 1000)):
            path.write_bytes(mutated(data, chance))
            try:
                read(path)
            except (NeedleError, ApiError, ProcessLost) as error:
                refused += 1
                self.assertTrue(str(error).strip())
        self.assertGreater(refused, 0)
        self.assertEqual([*self.data.rglob("arriving/*"), *self.data.rglob("*partial*")], [])
