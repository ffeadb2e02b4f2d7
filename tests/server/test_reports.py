"""Balance reports through the API: of a revision, a passage, a file; as a page, JSON and CSV; stopped, refused."""

import csv
import io
import json
import time
from typing import Any
from unittest import mock

import numpy as np

from needle.balance.progress import finished
from needle.errors import NeedleError
from needle.export.report import file_report
from needle.io.audio import write_audio
from server.analysis import reports
from server.analysis.models import Report
from server.media import tasks
from server.media.models import Upload
from tests.server.sessions import LENGTH, RATE, messages_text
from tests.server.test_sound import Heard


def noise(seconds: float, rate: int = RATE, right: float = 1.0, channels: int = 2) -> np.ndarray:
    """The same on every channel, the last one louder."""
    one = np.random.default_rng(8).standard_normal(round(seconds * rate)) * 0.1
    audio = np.tile(one, (channels, 1)).astype(np.float32)
    audio[-1] *= right
    return audio


class Reports(Heard):
    def order(self, **body: Any) -> dict[str, Any]:
        answer = self.post(self.as_("emil"), "/reports", {"revision": self.revision(), **body})
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def settled(self, report: dict[str, Any]) -> dict[str, Any]:
        client, until = self.as_("lisa"), time.monotonic() + 60
        while report["status"] in ("waiting", "running"):
            self.assertLess(time.monotonic(), until, "the report does not end")
            report = client.get(self.url(f"/reports/{report['id']}")).json()
        return report

    def taken(self, report: dict[str, Any], form: str) -> Any:
        answer = self.as_("lisa").get(self.url(f"/reports/{report['id']}/{form}"))
        self.assertEqual(answer.status_code, 200, answer.content[:200])
        return answer

    def found(self, report: dict[str, Any]) -> dict[str, Any]:
        return json.loads(self.taken(report, "json").content)


class OfTheMix(Reports):
    def test_says_what_the_export_measures_and_who_causes_it(self) -> None:
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "high", "pan": 1.0})
        done = self.settled(self.order(target="r128"))
        self.assertEqual((done["status"], done["progress"]), ("done", 1.0))
        data = self.found(done)
        path = self.data / "mix.wav"
        write_audio(path, self.whole(), RATE)
        measured = finished(file_report(path))
        for name, value in measured["figures"].items():
            self.assertAlmostEqual(data["figures"][name], value, delta=0.01, msg=name)
        (stretch,) = data["stretches"]
        self.assertEqual(stretch["causes"][0]["name"], "High")
        self.assertEqual({row["id"] for row in data["sources"]}, {"low", "high", "wide"})
        self.assertEqual(data["target"]["name"], "r128")
        self.assertAlmostEqual(data["target"]["off"], data["figures"]["integrated_lufs"] + 23.0, delta=0.01)
        rows = list(csv.DictReader(io.StringIO(self.taken(done, "curves").content.decode())))
        self.assertEqual(len(rows), round(LENGTH * 10))
        self.assertEqual(float(rows[20]["lean_long"]), data["curves"]["lean_long"][20])
        sources = list(csv.DictReader(io.StringIO(self.taken(done, "sources").content.decode())))
        self.assertEqual(len(sources), 6)

    def test_a_passage_of_an_earlier_revision(self) -> None:
        revision = self.revision()
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "high", "pan": 1.0})
        done = self.settled(self.order(revision=revision, start=1.0, end=3.0, title="Tones, first half"))
        data = self.found(done)
        self.assertEqual((data["start"], data["seconds"], data["stretches"]), (1.0, 2.0, []))
        self.assertAlmostEqual(data["figures"]["lean_db"], 0.0, delta=0.01)

    def test_the_page_is_whole_and_carries_no_script(self) -> None:
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "high", "pan": 1.0})
        done = self.settled(self.order(title="<script>alert(1)</script>", target="wide-18"))
        answer = self.taken(done, "page")
        page = answer.content.decode()
        self.assertNotIn("<script", page)
        self.assertIn("&lt;script&gt;", page)
        self.assertIn("default-src 'none'", answer["Content-Security-Policy"])
        for word in ("leans over tolerance", "LUFS", "Share of each source", "bars 1–", "LU above"):
            self.assertIn(word, page)

    def test_silence_is_said(self) -> None:
        for key in ("low", "high", "wide"):
            self.operate(self.as_("emil"), {"kind": "mute-source", "source": key, "muted": True})
        done = self.settled(self.order())
        self.assertIsNone(self.found(done)["figures"]["integrated_lufs"])
        self.assertIn("silent", self.taken(done, "page").content.decode())

    def test_stopped_ones_leave_nothing_and_bad_ones_are_refused(self) -> None:
        with mock.patch.object(tasks, "begin"):
            report = self.order()
        stopped = self.post(self.as_("emil"), f"/reports/{report['id']}/cancel", {}).json()
        self.assertEqual(stopped["status"], "cancelled")
        tasks.run(Report, Report.objects.get().pk, reports.measure_mix)
        self.assertEqual(self.as_("emil").get(self.url(f"/reports/{report['id']}")).json()["status"], "cancelled")
        self.assertEqual(self.as_("emil").get(self.url(f"/reports/{report['id']}/page")).status_code, 409)
        for body in ({"start": 3.0, "end": 2.0}, {"target": "loudest"}, {"tolerance_db": 0.0}, {"start": 99.0}):
            answer = self.post(self.as_("emil"), "/reports", {"revision": self.revision(), **body})
            self.assertEqual(answer.status_code, 422, body)

    def test_one_stopped_while_it_is_made_ends(self) -> None:
        started = []

        def stopping(*_: object) -> Any:
            yield 0.1
            Report.objects.update(status=Report.Status.CANCELLED)
            yield 0.5
            started.append("too much")
            return {}

        with mock.patch.object(tasks, "begin"):
            self.order()
        with mock.patch.object(reports, "mix_report", stopping):
            tasks.run(Report, Report.objects.get().pk, reports.measure_mix)
        self.assertEqual((started, Report.objects.get().status), ([], "cancelled"))
        self.assertFalse(reports.report_path(Report.objects.get()).exists())


class OfAFile(Reports):
    def send(self, audio: np.ndarray | bytes, rate: int = RATE) -> dict[str, Any]:
        body = audio
        if isinstance(audio, np.ndarray):
            path = self.data / "given.wav"
            write_audio(path, audio, rate)
            body = path.read_bytes()
        announced = {"name": "Night Ferry, bounce.wav", "size": len(body)}
        started = self.post(self.as_("emil"), "/reports/uploads", announced).json()
        upload = started["upload"]
        parts = self.url(f"/uploads/{upload['id']}/parts?offset=0")
        sent = self.as_("emil").post(parts, body, content_type="application/octet-stream")
        self.assertEqual(sent.status_code, 200, sent.content)
        return self.settled(self.as_("emil").get(self.url(f"/reports/{started['report']}")).json())

    def test_a_bounce_is_measured_and_not_kept(self) -> None:
        done = self.send(noise(8.0, right=2.0))
        self.assertEqual((done["status"], done["title"], done["revision"]), ("done", "Night Ferry, bounce.wav", None))
        data = self.found(done)
        self.assertAlmostEqual(data["figures"]["lean_db"], 6.02, delta=0.05)
        self.assertEqual(len(data["stretches"]), 1)
        self.assertEqual(Upload.objects.get().asset, None)
        self.assertEqual(list(self.data.glob("uploads/*")), [])
        self.assertIn("A stereo file at 48 kHz", self.taken(done, "page").content.decode())

    def test_other_rates_mono_and_very_short(self) -> None:
        odd = self.found(self.send(noise(6.0, 11025, right=2.0), 11025))
        self.assertAlmostEqual(odd["figures"]["lean_db"], 6.02, delta=0.05)
        self.assertEqual(odd["rate"], 11025)
        mono = self.found(self.send(noise(6.0, 44100, channels=1), 44100))
        self.assertEqual((mono["channels"], mono["stretches"]), (1, []))
        short = self.found(self.send(noise(0.01)))
        self.assertIsNone(short["figures"]["integrated_lufs"])
        self.assertLess(short["figures"]["sample_peak_dbfs"], 0.0)

    def test_what_cannot_be_measured_is_told(self) -> None:
        with self.assertLogs("server.media.tasks", "ERROR"):
            broken = self.send(b"RIFF, but not for long" * 40)
        self.assertEqual(broken["status"], "failed")
        self.assertIn("Night Ferry, bounce.wav", messages_text(broken["messages"]))
        with self.assertLogs("server.media.tasks", "ERROR"):
            wide = self.send(noise(1.0, channels=9))
        self.assertIn("9 channels", messages_text(wide["messages"]))
        refused = self.post(self.as_("lisa"), "/reports/uploads", {"name": "a.wav", "size": 10})
        self.assertEqual(refused.status_code, 403)
        bad = self.post(self.as_("emil"), "/reports/uploads", {"name": "a.wav", "size": 10, "target": "x"})
        self.assertEqual(bad.status_code, 422)

    def test_the_core_names_the_file(self) -> None:
        path = self.data / "nine.wav"
        write_audio(path, noise(0.5, channels=9), RATE)
        with self.assertRaisesMessage(NeedleError, "nine.wav has 9 channels"):
            finished(file_report(path))
