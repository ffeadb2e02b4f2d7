"""Locks: reading takes none, and nothing slow happens while one is held."""

import os
import sqlite3
from collections.abc import Callable
from typing import Any
from unittest import mock

from django.db import connection

from server.media import assets, mixes, uploads
from server.mixsessions import api
from tests.server.sessions import CommittedCase
from tests.server.test_uploads import noise, wave


class Locks(CommittedCase):
    def test_reading_waits_for_nobody_who_writes(self) -> None:
        base = f"/api/sessions/{self.session.pk}"
        reader = self.as_("lisa")
        pages = [
            "/api/sessions", base, f"{base}/frame", f"{base}/history", f"{base}/removed", f"{base}/turns",
            f"{base}/operations?since=0", f"{base}/people", f"{base}/comments", f"{base}/versions",
            f"{base}/history/1/differences?revision=3", f"{base}/segments/0?revision=2",
        ]  # fmt: skip
        writer = sqlite3.connect(connection.settings_dict["NAME"], timeout=0.0)
        self.addCleanup(writer.close)
        writer.execute("BEGIN IMMEDIATE")
        # Whoever wanted to write as well would be told so at once.
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA busy_timeout=0")
        for page in pages:
            with self.subTest(page):
                self.assertEqual(reader.get(page).status_code, 200)
        writer.rollback()

    def test_nothing_is_written_decoded_or_mixed_while_something_is_locked(self) -> None:
        locked: list[str] = []
        called: set[str] = set()

        def watched(name: str, work: Callable[..., Any]) -> Callable[..., Any]:
            def watch(*args: Any, **named: Any) -> Any:
                called.add(name)
                if connection.in_atomic_block:
                    locked.append(name)
                return work(*args, **named)

            return watch

        slow = ((os, "fsync"), (uploads, "store_asset"), (mixes, "mix_of"), (api, "frame_of"), (assets, "run_locked"))
        for module, name in slow:
            patched = mock.patch.object(module, name, watched(name, getattr(module, name)))
            patched.start()
            self.addCleanup(patched.stop)
        emil, content = self.as_("emil"), wave(noise())
        upload = self.post(emil, "/uploads", {"name": "stem.wav", "size": len(content)}).json()["id"]
        path = self.url(f"/uploads/{upload}/parts?offset=0")
        answer = emil.post(path, content, content_type="application/octet-stream")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(self.operate(emil, {"kind": "place-source", "source": "low", "pan": 0.5}).status_code, 200)
        self.assertEqual(emil.get(self.url()).status_code, 200)
        self.assertEqual(emil.get(self.url(f"/segments/0?revision={self.revision()}")).status_code, 200)
        self.assertEqual(locked, [])
        self.assertEqual(called, {name for _, name in slow})
