"""Deliveries through the API: every file is there, measures what it says, and adds up to what was heard."""

import io
import json
import zipfile
from typing import Any
from unittest import mock

import mido
import numpy as np
import soundfile
from asgiref.sync import async_to_sync
from django.conf import settings
from django.db.models import F

from needle.io.adm.from_mix import moves_of
from needle.io.adm.read import read_programme
from needle.io.audio import audio_info
from needle.io.bundle import Bundle
from needle.metering.measure import measure
from needle.render.engine import render_audio
from needle.room_coordinates import room_to_polar
from server.delivery import retention
from server.delivery.export import make
from server.delivery.models import Delivery
from server.editing.operations.groups import AddGroup
from server.editing.operations.lanes import WritePoints
from server.media import tasks
from server.media.mixes import mix_at
from tests.core.adm_rules import check_file
from tests.core.cues import cue_points
from tests.server.sessions import RATE, SessionCase, messages_text


def bytes_of(answer: Any) -> bytes:
    """What a download consists of."""

    async def gathered() -> bytes:
        return b"".join([block async for block in answer.streaming_content])

    return async_to_sync(gathered)()


class Deliveries(SessionCase):
    def order(self, status: int = 200, **wanted: Any) -> dict:
        answer = self.post(self.as_("emil"), "/deliveries", {"revision": self.revision(), **wanted})
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def made(self, **wanted: Any) -> tuple[dict, dict[str, bytes]]:
        """A delivery, and its files by name as the archive holds them."""
        ordered = self.order(**wanted)
        done = self.as_("lisa").get(self.url(f"/deliveries/{ordered['id']}")).json()
        self.assertEqual((done["status"], done["progress"]), ("done", 1.0), messages_text(done["messages"]))
        answer = self.as_("lisa").get(self.url(f"/deliveries/{done['id']}/archive"))
        content = bytes_of(answer)
        self.assertEqual(answer["Content-Length"], str(len(content)))
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            self.assertIsNone(archive.testzip())
            files = {info.filename: archive.read(info) for info in archive.infolist()}
        self.assertEqual([file["name"] for file in done["files"]], list(files))
        self.assertEqual([file["bytes"] for file in done["files"]], [len(content) for content in files.values()])
        return done, files

    @staticmethod
    def sound(content: bytes) -> np.ndarray:
        audio, rate = soundfile.read(io.BytesIO(content), dtype="float32", always_2d=True)
        assert rate == RATE
        return audio.T

    def heard(self) -> np.ndarray:
        mix = mix_at(self.session, self.revision())
        return render_audio(mix, 0, mix.frames)

    def test_the_mix_is_exactly_what_is_heard(self) -> None:
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "high", "pan": 0.7})
        done, files = self.made(format="wav-float")
        self.assertEqual(list(files), ["Tones/Mix/01 Mix.wav", "Tones/Contents/02 Contents.txt"])
        np.testing.assert_array_equal(self.sound(files["Tones/Mix/01 Mix.wav"]), self.heard())
        one = self.as_("olga").get(self.url(f"/deliveries/{done['id']}/files/0"))
        self.assertIn("01 Mix.wav", one["Content-Disposition"])
        self.assertEqual(bytes_of(one), files["Tones/Mix/01 Mix.wav"])
        measured = measure([self.heard()], RATE, 2)
        self.assertAlmostEqual(done["files"][0]["lufs"], measured["integrated_lufs"], delta=0.01)
        self.assertAlmostEqual(done["files"][0]["lean"], measured["lean_db"], delta=0.01)

    def test_a_download_that_broke_off_goes_on(self) -> None:
        done, files = self.made(mix=False, moves=["csv"])
        whole, path = files[done["files"][0]["name"]], self.url(f"/deliveries/{done['id']}/files/0")
        client, size = self.as_("olga"), len(whole)
        tag = client.get(path)["ETag"]
        for asked, first, end in (
            ("bytes=10-", 10, size), ("bytes=0-0", 0, 1), ("bytes=-7", size - 7, size),
            (f"bytes=5-{size * 2}", 5, size),
        ):  # fmt: skip
            answer = client.get(path, headers={"Range": asked, "If-Range": tag})
            self.assertEqual((answer.status_code, bytes_of(answer)), (206, whole[first:end]), asked)
            self.assertEqual(answer["Content-Range"], f"bytes {first}-{end - 1}/{size}")
            self.assertEqual(answer["Content-Length"], str(end - first))
        past = client.get(path, headers={"Range": f"bytes={size}-"})
        self.assertEqual((past.status_code, past["Content-Range"]), (416, f"bytes */{size}"))
        for about in (
            {"Range": "bytes=10-", "If-Range": '"another"'}, {"Range": "bytes=0-1,4-5"}, {"Range": "bytes=9-3"},
            {"Range": "lines=1-2"}, {"Range": "bytes=-"},
        ):  # fmt: skip
            answer = client.get(path, headers=about)
            self.assertEqual((answer.status_code, bytes_of(answer)), (200, whole), about)

    def test_stems_of_a_passage_add_up(self) -> None:
        self.submit(
            "olga", AddGroup.model_validate({"group": {"id": "g", "name": "Both"}, "members": ["low", "high"]})
        )
        done, files = self.made(format="wav-float", stems="groups", start=1.0, end=2.5, pattern="{kind} {part}")
        self.assertEqual(list(files), ["Mix Mix.wav", "Stem Both.wav", "Stem Wide.wav", "Contents Contents.txt"])
        mix, *stems = [self.sound(content) for name, content in files.items() if name.endswith(".wav")]
        self.assertEqual(mix.shape, (2, RATE * 3 // 2))
        np.testing.assert_allclose(sum(stems), mix, atol=10.0 ** (-90.0 / 20.0))
        np.testing.assert_array_equal(mix, self.heard()[:, RATE : RATE * 5 // 2])
        self.assertEqual((done["start"], done["seconds"]), (1.0, 1.5))

    def test_a_loudness_is_reached_by_gain_alone(self) -> None:
        wanted = {
            "loudness": {"lufs": -20.0, "dbtp": -1.0},
            "format": "flac-24",
            "stems": "sources",
            "folds": ["mono"],
        }
        done, files = self.made(**wanted)
        names = [name for name in files if name.endswith(".flac")]
        mix, mono, *stems = (self.sound(files[name]) for name in names)
        self.assertAlmostEqual(measure([mix], RATE, 2)["integrated_lufs"], -20.0, delta=0.05)
        self.assertEqual(mono.shape[0], 1)
        np.testing.assert_allclose(mono[0], mix.mean(axis=0), atol=2**-21)
        np.testing.assert_allclose(sum(stems), mix, atol=10.0 ** (-90.0 / 20.0))
        before = self.heard()
        ratio = mix[np.abs(before) > 0.1] / before[np.abs(before) > 0.1]
        # The same gain at every sample: nothing was held down.
        np.testing.assert_allclose(ratio, np.median(ratio), rtol=1e-4)
        self.assertIn("LUFS", messages_text(done["notes"]))
        held, _ = self.made(loudness={"lufs": -5.0, "dbtp": -6.0})
        self.assertAlmostEqual(held["files"][0]["dbtp"], -6.0, delta=0.02)
        self.assertIn("nothing was limited", messages_text(held["notes"]))

    def test_one_gain_and_one_ceiling_hold_for_every_file(self) -> None:
        """Headphones are higher at their peaks than the mix; objects are told as loud as it is made."""
        wanted = {"loudness": {"lufs": -1.0, "dbtp": -1.0}, "format": "wav-16", "folds": ["headphones", "mono"]}
        done, files = self.made(**wanted, stems="sources", adm=True, pattern="{part}")
        peaks = {one["name"]: one["dbtp"] for one in done["files"] if one.get("dbtp") is not None}
        self.assertEqual(set(peaks), {"Mix.wav", "Headphones.wav", "Mono.wav", "Low.wav", "High.wav", "Wide.wav"})
        self.assertAlmostEqual(max(peaks.values()), -1.0, delta=0.02)
        self.assertEqual(sum(one["clipped"] for one in done["files"]), 0)
        gain = np.abs(self.sound(files["Mix.wav"])).max() / np.abs(self.heard()).max()
        path = self.data / "objects.wav"
        path.write_bytes(files["Objects.wav"])
        programme = read_programme(path, audio_info(path))
        loudest = {one.name: float(one.channels[0].moves.gain[0]) for one in programme.objects}
        before = moves_of(mix_at(self.session, self.revision()), mix_at(self.session, self.revision()).sources[0])[0]
        self.assertAlmostEqual(loudest["Low"] / float(before.gain[0]), gain, delta=0.01 * gain)

    def test_what_is_told_of_a_passage_begins_where_its_sound_does(self) -> None:
        points = [{"t": 0.0, "value": -1.0}, {"t": 4.0, "value": 1.0}]
        lane = {"owner": "low", "parameter": "pan", "start": 0.0, "end": 4.0, "points": points}
        self.submit("olga", WritePoints.model_validate(lane))
        done, files = self.made(start=1.0, end=3.0, adm=True, moves=["csv", "json"], pattern="{part}")
        (first, *_, last) = json.loads(files["Automation.json"])["lanes"][0]["points"]
        self.assertEqual((first["t"], last["t"]), (0.0, 2.0))
        self.assertAlmostEqual(first["value"], -0.5)
        self.assertAlmostEqual(last["value"], 0.5)
        extended = check_file(files["Objects.wav"], RATE, 2 * RATE)
        self.assertEqual(extended.find("audioProgramme").get("end"), "00:00:02.00000")
        path = self.data / "objects.wav"
        path.write_bytes(files["Objects.wav"])
        moves = read_programme(path, audio_info(path)).objects[0].channels[0].moves
        self.assertAlmostEqual(float(moves.times[-1]), 2.0, delta=1e-4)
        half = room_to_polar([-0.5, 0.5], 1.0, 0.0)[0]
        np.testing.assert_allclose(moves.azimuth[[0, -1]], half, atol=0.1)
        self.assertNotIn("whole piece", messages_text(done["notes"]))

    def test_passages_are_markers_of_sounds_and_moves(self) -> None:
        landing = {"kind": "add-passage", "id": "b", "name": "Landing", "start": 4.0, "end": 6.0}
        self.assertEqual(self.operate(self.as_("olga"), landing).status_code, 200)
        _, files = self.made(start=1.0, end=3.0, stems="sources", moves=["midi"], pattern="{part}", format="wav-24")
        for name in ("Mix.wav", "Low.wav"):
            self.assertEqual(cue_points(files[name]), [(0, "First"), (RATE, "Landing")])
        midi = mido.MidiFile(file=io.BytesIO(files["Automation.mid"]))
        at, markers = 0, []
        for message in midi.tracks[0]:
            at += message.time
            if message.type == "marker":
                markers.append((at / midi.ticks_per_beat, message.text))
        self.assertEqual(markers, [(0.0, "First"), (2.0, "Landing")])

    def test_everything_at_once(self) -> None:
        points = [{"t": 0.0, "value": -1.0}, {"t": 2.0, "value": 1.0}]
        lane = {"owner": "low", "parameter": "pan", "start": 0.0, "end": 4.0, "points": points}
        self.submit("olga", WritePoints.model_validate(lane))
        done, files = self.made(
            mix=False, adm=True, moves=["csv", "json", "midi", "midi-fine"], bundle=True, report=True, chart=True,
            pattern="{part}",
        )  # fmt: skip
        by_kind = {file["name"]: files[file["name"]] for file in done["files"]}
        extended = check_file(by_kind["Objects.wav"], RATE, 4 * RATE)
        self.assertEqual(
            [one.get("audioObjectName") for one in extended.iter("audioObject")], ["Low", "High", "Wide"]
        )
        self.assertIn("low,Low,pan,2.0", by_kind["Automation.csv"].decode())
        self.assertEqual(json.loads(by_kind["Automation.json"])["lanes"][0]["points"], [
            {"t": 0.0, "value": -1.0, "shape": "straight", "tension": 0.0},
            {"t": 2.0, "value": 1.0, "shape": "straight", "tension": 0.0},
        ])  # fmt: skip
        tracks = mido.MidiFile(file=io.BytesIO(by_kind["Automation.mid"])).tracks
        self.assertEqual([track.name for track in tracks], ["Tones", "Low", "High", "Wide"])
        self.assertIn("Automation 14 bit.mid", by_kind)
        self.assertIn("Tones", by_kind["Balance report.html"].decode())
        self.assertNotIn("/assets/", by_kind["Balance report.html"].decode())
        self.assertTrue(by_kind["Automation chart.pdf"].startswith(b"%PDF"))
        path = self.data / "session.zip"
        path.write_bytes(by_kind["Session.zip"])
        with Bundle(path) as bundle:
            mix = bundle.mix()
            np.testing.assert_array_equal(render_audio(mix, 0, mix.frames), self.heard())

    def test_what_cannot_be_made_is_refused(self) -> None:
        for wanted, word in (
            ({"mix": False}, "Nothing is selected"),
            ({"pattern": "{song}"}, "no word"),
            ({"start": 9.0, "end": 9.5}, "range is empty"),
            ({"format": "mp3"}, "format"),
            ({"loudness": {"lufs": 4.0}}, "lufs"),
        ):
            self.assertIn(word, self.order(422, **wanted)["detail"])
        self.assertEqual(self.post(self.as_("lisa"), "/deliveries", {"revision": 1}).status_code, 403)
        self.assertFalse(Delivery.objects.exists())

    def test_a_moment_and_silence_are_handed_over_too(self) -> None:
        for key in ("low", "high", "wide"):
            self.operate(self.as_("emil"), {"kind": "mute-source", "source": key, "muted": True})
        everything = {
            "folds": ["mono", "headphones"], "stems": "sources", "loudness": {"lufs": -18.0}, "adm": True,
            "moves": ["csv", "midi"], "bundle": True, "report": True, "chart": True,
        }  # fmt: skip
        done, files = self.made(start=1.0, end=1.03, **everything)
        self.assertIn("silent", messages_text(done["notes"]))
        self.assertIsNone(done["files"][0]["lufs"])
        self.assertEqual(self.sound(files["Tones/Mix/01 Mix.wav"]).shape, (2, round(0.03 * RATE)))
        self.assertEqual(np.abs(self.sound(files["Tones/Mix/01 Mix.wav"])).max() > 3 * 2**-23, False)
        for key in ("low", "high", "wide"):
            self.operate(self.as_("emil"), {"kind": "mute-source", "source": key, "muted": False})
        done, _ = self.made(start=3.99, end=4.0, **everything)
        self.assertEqual(done["status"], "done")

    def test_over_full_scale_is_told(self) -> None:
        for key in ("low", "high", "wide"):
            self.operate(self.as_("emil"), {"kind": "set-level", "source": key, "level": 12.0})
        done, _ = self.made(format="wav-16")
        self.assertGreater(done["files"][0]["clipped"], 0)
        self.assertIn("clipped", messages_text(done["notes"]))

    def test_stopped_ones_leave_nothing(self) -> None:
        with mock.patch.object(tasks, "order"):
            ordered = self.order(stems="sources")
        delivery = Delivery.objects.get(pk=ordered["id"])
        self.assertEqual(self.as_("emil").get(self.url(f"/deliveries/{ordered['id']}/archive")).status_code, 409)
        shown = []

        def advance(task: Delivery, done: float, **values: Any) -> None:
            shown.append(done)
            if len(shown) == 3:
                self.post(self.as_("emil"), f"/deliveries/{ordered['id']}/cancel", {})
            tasks.advance(task, done, **values)

        with mock.patch("server.delivery.export.advance", advance):
            tasks.run(Delivery, delivery.pk, make)
        state = self.as_("emil").get(self.url(f"/deliveries/{ordered['id']}")).json()
        self.assertEqual((state["status"], state["files"]), ("cancelled", []))
        self.assertEqual(sorted(shown), shown)
        self.assertEqual(list((settings.DATA_DIR / "deliveries").iterdir()), [])

    def test_a_failure_is_told_and_leaves_nothing(self) -> None:
        with mock.patch("needle.export.files.AudioWriter", side_effect=OSError("No space left on device")):
            ordered = self.order()
        state = self.as_("emil").get(self.url(f"/deliveries/{ordered['id']}")).json()
        self.assertEqual(state["status"], "failed")
        self.assertIn("No space left", messages_text(state["messages"]))
        self.assertEqual(list((settings.DATA_DIR / "deliveries").iterdir()), [])

    def test_what_a_stopped_server_left_is_told(self) -> None:
        with mock.patch.object(tasks, "order"):
            ordered = self.order()

        def state() -> dict[str, Any]:
            return self.as_("emil").get(self.url(f"/deliveries/{ordered['id']}")).json()

        def lost() -> None:
            Delivery.objects.filter(pk=ordered["id"]).update(status="running", attempts=F("attempts") + 1)

        # What waits goes on waiting; what a worker has left is made again, once.
        self.assertEqual((tasks.resume_unfinished(), state()["status"]), (0, "waiting"))
        lost()
        with mock.patch.object(tasks, "order") as order:
            self.assertEqual((tasks.resume_unfinished(), state()["status"]), (1, "waiting"))
        order.assert_called_once()
        lost()
        self.assertEqual((tasks.resume_unfinished(), state()["status"]), (1, "failed"))
        self.assertIn("stopped twice", messages_text(state()["messages"]))

    def test_what_was_left_half_made_is_made_anew(self) -> None:
        with mock.patch.object(tasks, "order"):
            ordered = self.order()
        left = settings.DATA_DIR / "deliveries" / f"{ordered['id']}.partial"
        left.mkdir(parents=True)
        (left / "01 half.wav").write_bytes(b"RIFF")
        Delivery.objects.filter(pk=ordered["id"]).update(status="running", attempts=1)
        with self.captureOnCommitCallbacks(execute=True):
            tasks.resume_unfinished()
        state = self.as_("emil").get(self.url(f"/deliveries/{ordered['id']}")).json()
        self.assertEqual(state["status"], "done", messages_text(state["messages"]))
        self.assertFalse(left.exists())

    def test_the_latest_stay_and_others_can_be_taken_away(self) -> None:
        with mock.patch.object(Delivery, "KEPT", 3):
            made = [self.made(moves=["csv"], mix=False)[0]["id"] for _ in range(5)]
            listed = self.as_("lisa").get(self.url("/deliveries")).json()
        self.assertEqual([one["id"] for one in listed], made[:1:-1])
        self.assertEqual(len(list((settings.DATA_DIR / "deliveries").iterdir())), 3)
        address = self.url(f"/deliveries/{made[4]}")
        self.assertEqual(self.as_("lisa").delete(address).status_code, 403)
        left = self.as_("olga").delete(address).json()
        self.assertEqual([one["id"] for one in left], made[3:1:-1])
        self.assertEqual(self.as_("lisa").get(self.url(f"/deliveries/{made[4]}/archive")).status_code, 404)

    def test_what_a_crash_left_lying_is_taken_away(self) -> None:
        with mock.patch.object(tasks, "order"):
            ordered = self.order()
        folder = settings.DATA_DIR / "deliveries"
        for name in (f"{ordered['id']}.partial", f"{self.session.pk}.partial"):
            (folder / name).mkdir(parents=True)
        (settings.DATA_DIR / "arriving" / "x").mkdir(parents=True)
        retention.tidy()
        self.assertEqual([path.name for path in folder.iterdir()], [f"{ordered['id']}.partial"])
        Delivery.objects.update(status="failed")
        retention.tidy()
        self.assertEqual([*folder.iterdir(), *(settings.DATA_DIR / "arriving").iterdir()], [])

    def test_the_offer_names_the_words_of_a_pattern(self) -> None:
        offer = self.as_("lisa").get(self.url("/deliveries/offer")).json()
        self.assertIn("session", offer["words"])

    def test_a_name_is_shown_before_anything_is_made_as_it_will_be(self) -> None:
        passage = {"kind": "add-passage", "id": "p", "name": "Slack: water", "start": 0.0, "end": 3.0}
        self.operate(self.as_("olga"), passage)
        end = 3.0 * 60.0 / self.state()["session"]["tempos"][0][1]
        order = {"pattern": "{session}_{passage}_{part}_r{revision}", "format": "flac-16", "end": end}
        asked = {"revision": self.revision(), **order}
        called = self.post(self.as_("emil"), "/deliveries/name", asked).json()["name"]
        self.assertEqual(called, f"Tones_Slack- water_Mix_r{self.revision()}.flac")
        done, _ = self.made(**order)
        self.assertEqual(done["files"][0]["name"], called)
        answer = self.post(self.as_("emil"), "/deliveries/name", {**asked, "pattern": "{song}"})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("{song}", answer.json()["detail"])
