"""Files that come in over HTTP: in parts, gone on with, stopped, refused with a sentence, and nothing left behind."""

import errno
import io
import json
import struct
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import soundfile
from django.conf import settings
from django.test import Client

from needle.io import intake
from server.common.locked import run_locked
from server.media import assets, quotas, uploads
from server.media.assets import asset_audio
from server.media.models import Asset, Upload
from tests.server.sessions import RATE, SessionCase, messages_text, source


def wave(audio: np.ndarray, rate: int = RATE, **how: str) -> bytes:
    """A file's bytes."""
    file = io.BytesIO()
    soundfile.write(file, audio.T, rate, **{"format": "WAV", "subtype": "PCM_24", **how})
    return file.getvalue()


def noise(channels: int = 2, frames: int = RATE, level: float = 0.1) -> np.ndarray:
    rng = np.random.Generator(np.random.PCG64(8))
    return level * rng.standard_normal((channels, frames))


class Sending(SessionCase):
    def setUp(self) -> None:
        super().setUp()
        # Parts small enough for several of them.
        patched = mock.patch.object(uploads, "PART_BYTES", 100_000)
        patched.start()
        self.addCleanup(patched.stop)

    def begin(self, size: int, name: str = "stem.wav", client: Client | None = None) -> Any:
        body = {"name": name, "size": size}
        return self.post(client or self.as_("emil"), "/uploads", body)

    def part(self, upload: str, offset: int, content: bytes, client: Client | None = None) -> Any:
        path = self.url(f"/uploads/{upload}/parts?offset={offset}")
        return (client or self.as_("emil")).post(path, content, content_type="application/octet-stream")

    def send(self, content: bytes, name: str = "stem.wav") -> dict[str, Any]:
        """Send a file whole; how it stands after that."""
        upload = self.begin(len(content), name).json()["id"]
        for at in range(0, len(content), uploads.PART_BYTES):
            answer = self.part(upload, at, content[at : at + uploads.PART_BYTES])
            self.assertEqual(answer.status_code, 200, answer.content)
        return self.as_("olga").get(self.url(f"/uploads/{upload}")).json()

    def left_behind(self) -> list[str]:
        """Whatever is in the folders of uploads and assets besides what the session has."""
        known = {asset.sha256 for asset in Asset.objects.all()}
        found = []
        for folder in ("uploads", "assets"):
            path = settings.DATA_DIR / folder
            found += [p.name for p in path.rglob("*") if p.is_file() and p.name.split("-")[0] not in known]
        return found


class Uploads(Sending):
    def test_a_stem_at_another_rate_becomes_a_source(self) -> None:
        audio = noise(frames=44100)
        found = self.send(wave(audio, 44100))
        self.assertEqual(found["status"], "ready", found)
        self.assertEqual(found["asset"]["character"]["kind"], "stereo")
        self.assertEqual((found["asset"]["seconds"], found["asset"]["rate"]), (1.0, 44100))
        values = source("new", found["asset"]["id"], 9, 2, seconds=found["asset"]["seconds"])
        answer = self.operate(self.as_("emil"), {"kind": "add-source", "source": values})
        self.assertEqual(answer.status_code, 200, answer.content)
        kept = asset_audio(found["asset"]["id"], RATE)
        self.assertEqual(kept.shape, (2, RATE))
        self.assertAlmostEqual(float(np.sqrt((kept.astype(float) ** 2).mean())), 0.1, delta=0.005)
        self.assertEqual(self.left_behind(), [])

    def test_channels_can_be_taken_apart(self) -> None:
        found = self.send(wave(noise(6, 4800), subtype="FLOAT"))
        asset, seconds = found["asset"]["id"], found["asset"]["seconds"]
        for first, channels, status in ((5, 1, 200), (2, 4, 200), (5, 2, 422)):
            mode = "pan" if channels == 1 else "span"
            values = source(
                f"part-{first}-{channels}", asset, 9, channels, seconds=seconds, first_channel=first, mode=mode
            )
            answer = self.operate(self.as_("emil"), {"kind": "add-source", "source": values})
            self.assertEqual(answer.status_code, status, answer.content)

    def test_what_a_source_says_of_its_audio_must_be_so(self) -> None:
        found = self.send(wave(noise(1, 4800)))["asset"]
        for wrong in ({"seconds": 3.0}, {"asset": "f" * 64}, {"channels": 2, "mode": "balance"}):
            values = {**source("new", found["id"], 9, 1, seconds=found["seconds"]), **wrong}
            answer = self.operate(self.as_("emil"), {"kind": "add-source", "source": values})
            self.assertEqual(answer.status_code, 422, wrong)
        inside = {"kind": "add-source", "source": source("new", "f" * 64, 9)}
        together = {"kind": "batch", "summary": "two", "operations": [inside]}
        self.assertEqual(self.operate(self.as_("emil"), together).status_code, 422)

    def test_a_removed_source_can_be_brought_back_by_anybody_who_edits(self) -> None:
        self.operate(self.as_("emil"), {"kind": "set-send", "source": "low", "to": "none", "level": -6})
        before = self.state()
        self.operate(self.as_("emil"), {"kind": "remove-source", "source": "low"})
        (removed,) = self.as_("olga").get(self.url("/removed")).json()
        self.assertEqual((removed["author"], removed["back"][0]["source"]["name"]), ("Emil", "Low"))
        answer = self.operate(self.as_("olga"), removed["back"][0])
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(self.state(), before)
        self.assertEqual(self.as_("olga").get(self.url("/removed")).json(), [])

    def test_parts_go_on_where_they_were_broken_off(self) -> None:
        content = wave(noise())
        upload = self.begin(len(content)).json()["id"]
        self.part(upload, 0, content[:70_000])
        for wrong in (0, 50_000, 80_000):
            answer = self.part(upload, wrong, content[wrong : wrong + 1000])
            self.assertEqual(answer.status_code, 409)
            self.assertIn("begins at 70000", answer.json()["detail"])
        for at in range(70_000, len(content), 90_000):
            answer = self.part(upload, at, content[at : at + 90_000])
        self.assertEqual((answer.json()["received"], Upload.objects.get(pk=upload).status), (len(content), "ready"))
        self.assertEqual(self.part(upload, len(content), b"x").status_code, 409)

    def test_only_who_announced_it_sends_it_and_anybody_who_edits_may_stop_it(self) -> None:
        upload = self.begin(1000).json()["id"]
        self.assertEqual(self.part(upload, 0, b"abc", self.as_("olga")).status_code, 403)
        self.assertEqual(self.part(upload, 0, b"abc", self.as_("lisa")).status_code, 403)
        self.part(upload, 0, b"abc")
        answer = self.post(self.as_("olga"), f"/uploads/{upload}/cancel", {})
        self.assertEqual(answer.json()["status"], "cancelled")
        self.assertEqual(self.part(upload, 3, b"def").status_code, 409)
        self.assertEqual(self.left_behind(), [])

    def test_reading_can_be_stopped_and_leaves_nothing(self) -> None:
        content = wave(noise(2, 10 * RATE))

        def stop_at_once(*_: Any) -> Any:
            Upload.objects.update(status=Upload.Status.CANCELLED)
            return original(*_)

        original = uploads.store_asset
        with mock.patch.object(uploads, "store_asset", stop_at_once):
            self.assertEqual(self.send(content)["status"], "cancelled")
        self.assertEqual(self.left_behind(), [])

    def test_after_a_restart_reading_goes_on(self) -> None:
        content = wave(noise())
        with mock.patch.object(uploads.pool, "start"):
            found = self.send(content)
        self.assertEqual(found["status"], "reading")
        uploads.resume()
        self.assertEqual(Upload.objects.get(pk=found["id"]).status, "ready")

    def test_hostile_files_are_refused_with_a_sentence_and_leave_nothing(self) -> None:
        good = wave(noise())
        many = bytearray(good)
        many[22:24] = struct.pack("<H", 65_535)
        lies = bytearray(good)
        lies[lies.index(b"data") + 4 :][:4] = b""
        at = lies.index(b"data") + 4
        lies[at : at + 4] = struct.pack("<I", 50_000_000)
        bad = noise(1, 4800)
        bad[0, 100] = np.nan
        bomb = io.BytesIO()
        with soundfile.SoundFile(bomb, "w", 8000, 1, format="FLAC", subtype="PCM_16") as file:
            for _ in range(31):
                file.write(np.zeros(8000 * 1000, np.int16))
        cases = {
            "a picture": (b"\x89PNG\r\n\x1a\n" + b"\0" * 5000, "is not an audio file"),
            "a text": (b"just words, nothing to hear", "is not an audio file"),
            "clipped": (good[: len(good) // 2], "breaks off"),
            "a length that lies": (bytes(lies), "breaks off"),
            "a million channels": (bytes(many), "channels; 64 are the most"),
            "samples that are no numbers": (wave(bad, subtype="FLOAT"), "not numbers"),
            "unpacks to days": (bomb.getvalue(), "hours"),
            "no sound": (wave(np.zeros((1, 0))), "no sound"),
            "a damaged pack": (wave(noise(), format="FLAC")[:40_000], "damaged|breaks off|not an audio file"),
        }
        for what, (content, told) in cases.items():
            with self.subTest(what):
                found = self.send(content, f"{what}.wav")
                self.assertEqual(found["status"], "failed")
                self.assertRegex(messages_text(found["messages"]), told)
                self.assertIn(f"{what}.wav", messages_text(found["messages"]))
                self.assertIsNone(found["asset"])
                self.assertEqual(self.left_behind(), [])

    def test_what_a_file_decodes_to_counts_not_what_it_weighs(self) -> None:
        small = wave(np.zeros((8, 60 * 4000)), 4000, format="FLAC", subtype="PCM_16")
        self.assertLess(len(small), 50_000)
        with mock.patch("needle.io.audio.MAX_SAMPLES", 8 * 60 * 4000):
            found = self.send(small)
        self.assertEqual(found["status"], "failed")
        self.assertIn("decodes to", messages_text(found["messages"]))
        self.assertEqual(self.left_behind(), [])

    def test_room_is_allocated_before_a_sample_is_written(self) -> None:
        full = OSError(errno.ENOSPC, "No space left on device")
        for what, how in (("posix_fallocate", {"side_effect": full}), ("disk_usage", {})):
            where = assets.os if what == "posix_fallocate" else assets.shutil
            how = how or {"side_effect": [mock.Mock(free=100 << 30), mock.Mock(free=assets.ROOM_TO_SPARE)]}
            with self.subTest(what), mock.patch.object(where, what, **how):
                found = self.send(wave(noise()))
                self.assertEqual(found["status"], "failed")
                self.assertIn("no room", messages_text(found["messages"]))
                self.assertEqual(self.left_behind(), [])
        written = []

        def watched(work: Any, *arguments: Any, **how: Any) -> Any:
            written.extend([self.blocks()] * (work is intake.decode))
            return run_locked(work, *arguments, **how)

        with mock.patch.object(assets, "run_locked", watched):
            self.send(wave(noise(2, 1_000_000)))
        self.assertGreaterEqual(written[0], 2 * 1_000_000 * 4)

    def blocks(self) -> int:
        """Bytes of disk that half written assets really have."""
        return sum(512 * p.stat().st_blocks for p in (settings.DATA_DIR / "assets").rglob("*.partial.npy"))

    def test_a_file_that_ended_its_reader_twice_is_not_read_again(self) -> None:
        with mock.patch.object(uploads.pool, "start"):
            upload = self.send(wave(noise()))["id"]

        class Killed(BaseException):
            """Stands for a signal that nothing can catch."""

        def killed(path: Path, *_: Any) -> None:
            # Nothing that would tidy up comes to run: the file stays, and so does what was half written.
            (settings.DATA_DIR / "assets" / "ab").mkdir(parents=True, exist_ok=True)
            (settings.DATA_DIR / "assets" / "ab" / "left.partial.npy").write_bytes(b"half")
            raise Killed

        reader = mock.patch.object(uploads, "store_asset", side_effect=killed)
        with reader as read, mock.patch.object(Path, "unlink"):
            for _ in range(2):
                self.assertRaises(Killed, uploads.resume)
        self.assertEqual(Upload.objects.get(pk=upload).status, "reading")
        with reader as read:
            uploads.resume()
        self.assertEqual(read.call_count, 0)
        found = Upload.objects.get(pk=upload)
        self.assertEqual(found.status, "failed")
        self.assertIn("2 times", " ".join(map(str, found.messages)))
        self.assertEqual(self.left_behind(), [])

    def test_sizes_and_names_are_checked_before_anything_is_sent(self) -> None:
        for size, told in ((0, "empty"), (-5, "empty"), (3 << 30, "2 GB")):
            answer = self.begin(size)
            self.assertEqual(answer.status_code, 413)
            self.assertIn(told, answer.json()["detail"])
        with mock.patch.object(uploads.shutil, "disk_usage", return_value=mock.Mock(free=1000)):
            answer = self.begin(1000)
            self.assertEqual(answer.status_code, 413)
            self.assertIn("no room", answer.json()["detail"])
        for name, shown in (
            ("../../etc/passwd", "passwd"), ("C:\\stems\\kick.wav", "kick.wav"), ("a\x07b\n.wav", "ab.wav"),
            ("///", "unnamed"),
        ):  # fmt: skip
            found = self.begin(10, name).json()
            self.assertEqual(found["name"], shown)
            self.part(found["id"], 0, b"0123456789")
        self.assertEqual(self.left_behind(), [])
        upload = self.begin(10).json()["id"]
        self.assertEqual(self.part(upload, 0, b"more than ten bytes").status_code, 413)
        body = json.dumps({"name": "x", "size": "many"})
        answer = self.as_("emil").post(self.url("/uploads"), body, content_type="application/json")
        self.assertEqual(answer.status_code, 422)


class Quotas(Sending):
    """What files decode to counts for the owner of the session, whoever sends them."""

    def test_people_are_told_before_a_quota_is_reached_and_refused_beyond_it(self) -> None:
        content = wave(noise(2, RATE))
        decoded = 2 * RATE * 4
        base = quotas.stored_bytes(self.users["olga"])
        self.assertGreater(base, 0)
        with self.settings(QUOTA=base + 100 * decoded):
            self.assertIsNone(self.announce(content)["notice"])
        Upload.objects.all().delete()
        with self.settings(QUOTA=round((base + decoded) * 1.05)):
            first = self.announce(content)
            self.assertIn("The sessions of Olga hold", first["notice"]["text"])
            Upload.objects.all().delete()
            self.assertEqual(self.send(content)["status"], "ready")
        with self.settings(QUOTA=base):
            answer = self.post(self.as_("emil"), "/uploads", {"name": "more.wav", "size": len(content)})
            self.assertEqual(answer.status_code, 413)
            self.assertIn("Delete a session", answer.json()["detail"])

    def test_what_weighs_little_and_decodes_to_much_is_refused_as_it_is_read(self) -> None:
        base, small = quotas.stored_bytes(self.users["olga"]), wave(np.zeros((8, 200_000)), format="FLAC")
        with self.settings(QUOTA=base + 10 * len(small)):
            answer = self.send(small)
        self.assertEqual(answer["status"], "failed")
        self.assertIn("would hold", messages_text(answer["messages"]))
        self.assertEqual(self.left_behind(), [])

    def test_the_server_has_a_quota_of_its_own(self) -> None:
        with self.settings(SERVER_QUOTA=quotas.stored_bytes() + 10):
            answer = self.post(self.as_("emil"), "/uploads", {"name": "more.wav", "size": 11})
        self.assertEqual(answer.status_code, 413)
        self.assertIn("This server keeps", answer.json()["detail"])

    def announce(self, content: bytes) -> dict[str, Any]:
        return self.post(self.as_("emil"), "/uploads", {"name": "stem.wav", "size": len(content)}).json()
