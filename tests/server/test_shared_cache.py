"""The cache that processes share: whole, bounded, and nothing to rely on."""

import os
from pathlib import Path
from unittest import mock

import numpy as np
from django.test import SimpleTestCase

from server.media import shared_cache
from server.media.shared_cache import SharedCache
from tests.server.sessions import new_folder


class Shared(SimpleTestCase):
    def setUp(self) -> None:
        self.folder: Path = new_folder("cache")
        self.cache = SharedCache(self.folder, 1_000_000)

    def test_arrays_come_back_as_they_were(self) -> None:
        arrays = [np.arange(12.0).reshape(3, 4), np.zeros((2, 0), np.float32), np.arange(5)[::-1]]
        self.assertIsNone(self.cache.get("key"))
        self.assertTrue(self.cache.put("key", arrays))
        for array, again in zip(arrays, SharedCache(self.folder, 1).get("key"), strict=True):
            np.testing.assert_array_equal(again, array)
            self.assertEqual(again.dtype, array.dtype)

    def test_what_was_read_longest_ago_goes_first(self) -> None:
        with mock.patch.object(shared_cache, "_LOOKS_EVERY", 1):
            for number in range(9):
                self.cache.put(f"{number}", [np.zeros(100_000, np.uint8)])
                os.utime(self.folder / f"{number}", (number, number))
            self.assertIsNotNone(self.cache.get("0"))
            for number in range(9, 12):
                self.cache.put(f"{number}", [np.zeros(100_000, np.uint8)])
        left = {path.name for path in self.folder.iterdir()}
        self.assertLessEqual(sum(path.stat().st_size for path in self.folder.iterdir()), 1_000_000)
        self.assertIn("0", left)
        self.assertIn("11", left)
        self.assertNotIn("1", left)

    def test_what_is_cut_off_is_not_there(self) -> None:
        self.cache.put("key", [np.arange(1000.0)])
        path = self.folder / "key"
        path.write_bytes(path.read_bytes()[:500])
        self.assertIsNone(self.cache.get("key"))
        path.write_bytes(b"")
        self.assertIsNone(self.cache.get("key"))

    def test_what_killed_servers_left_goes_when_another_starts(self) -> None:
        left, living = self.folder / f"{shared_cache._NAME}left", self.folder / f"{shared_cache._NAME}living"
        for folder, pid in ((left, 2**22 + 1), (living, os.getppid())):
            SharedCache(folder, 1).put("key", [np.zeros(3)])
            (folder / f"server.{pid}").touch()
        with mock.patch.object(shared_cache, "_IN_MEMORY", self.folder), self.settings(DATA_DIR=self.folder / "own"):
            shared_cache.prepare_cache()
        self.assertFalse(left.exists())
        self.assertTrue((living / "key").exists())

    def test_without_room_nothing_is_kept_and_nothing_breaks(self) -> None:
        with mock.patch.object(np.lib.format, "write_array", side_effect=OSError(28, "No space left on device")):
            self.assertFalse(self.cache.put("key", [np.zeros(3)]))
        self.assertEqual(list(self.folder.iterdir()), [])
        self.cache.remove()
        self.assertFalse(self.cache.put("key", [np.zeros(3)]))
        self.assertTrue(self.cache.put("key", [np.zeros(3)]))
