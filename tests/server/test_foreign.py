"""Foreign files are opened where they can do nothing: neither read, send, start nor outlast what they may."""

import os
import socket
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.test import SimpleTestCase

from needle.errors import NeedleError
from server.common import locked_process
from server.common.locked import run_locked
from server.common.locked_process import as_plain, as_value
from server.common.pool_process import ProcessLost
from tests.server import hostile

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
