"""What comes in: bundles and object audio as sessions, moves from files, copies; a broken one leaves nothing."""

import io
import json
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile

from needle.automation.curve import Lane
from needle.io.adm.from_mix import mix_to_adm
from needle.io.adm.write import write_adm
from needle.io.bundle import SESSION_FILE, write_bundle
from needle.io.lanes import lanes_json, lanes_table
from needle.io.midi_automation import write_midi_moves
from needle.render.engine import render_audio
from needle.session.document import tempo_map
from needle.session.owners import lane_in
from server.editing.operations.lanes import WritePoints
from server.media import quotas
from server.media.assets import asset_audio
from server.media.mixes import mix_at
from server.media.models import Upload
from server.mixsessions.models import Membership, MixSession
from server.mixsessions.state import stored_document
from tests.server.sessions import RATE, SessionCase, messages_text

POINTS = [{"t": 0.0, "value": -1.0}, {"t": 2.0, "value": 1.0, "shape": "ease"}, {"t": 3.0, "value": 0.0}]


class Coming(SessionCase):
    def setUp(self) -> None:
        super().setUp()
        lane = {"owner": "low", "parameter": "pan", "start": 0.0, "end": 4.0, "points": POINTS}
        self.submit("olga", WritePoints.model_validate(lane))

    def document(self) -> dict:
        self.session.refresh_from_db()
        return stored_document(self.session)

    def bundle(self) -> bytes:
        path = self.data / "out.zip"
        list(write_bundle(path, self.document(), lambda asset: asset_audio(asset, RATE)))
        return path.read_bytes()

    def bring(self, content: bytes, name: str = "song.zip", who: str = "uwe") -> dict:
        """Send a file as the page does, part by part, and have it read."""
        client = self.as_(who)
        begun = self.sent(client, "/api/imports", {"name": name, "size": len(content)})
        step = len(content) // 2 + 1
        for offset in range(0, len(content), step):
            part = content[offset : offset + step]
            path = f"/api/imports/{begun['id']}/parts?offset={offset}"
            answer = client.post(path, part, content_type="application/octet-stream")
            self.assertEqual(answer.status_code, 200, answer.content)
        return client.get(f"/api/imports/{begun['id']}").json()

    def sent(self, client: Any, path: str, body: dict, status: int = 200) -> Any:
        answer = client.post(path, json.dumps(body), content_type="application/json")
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def output(self, session: MixSession) -> np.ndarray:
        session.refresh_from_db()
        mix = mix_at(session, session.revision)
        return render_audio(mix, 0, mix.frames)


class Arriving(Coming):
    def test_what_it_decodes_to_counts_in_its_owner_s_quota(self) -> None:
        content = self.bundle()
        # As a bundle of silence would that is packed well.
        large = mock.patch.object(quotas, "decoded_bytes", return_value=1 << 30)
        with self.settings(QUOTA=10 * len(content)), large:
            state = self.bring(content)
        self.assertEqual(state["status"], "failed")
        self.assertIn("would hold", messages_text(state["messages"]))
        self.assertEqual(self.as_("uwe").get("/api/sessions").json(), [])

    def test_a_bundle_becomes_a_session_of_ones_own(self) -> None:
        state = self.bring(self.bundle())
        self.assertEqual(state["status"], "ready", messages_text(state["messages"]))
        session = MixSession.objects.get(pk=state["session"])
        self.assertEqual([(m.user.username, m.role) for m in session.members.all()], [("uwe", "owner")])
        there, here = stored_document(session), self.document()
        renamed = {key: row["asset"] for key, row in here["sources"].items()}
        sources = {key: {**row, "asset": renamed[key]} for key, row in there["sources"].items()}
        self.assertEqual({**there, "sources": sources}, here)
        np.testing.assert_array_equal(self.output(session), self.output(self.session))
        # It is a session like any other: edited, undone, and its beginning is what came.
        client = self.as_("uwe")
        operation = {"kind": "place-source", "source": "high", "pan": 0.5}
        body = {"client_id": "6f9b6a52-0a2e-4d5c-8f43-0d4d0a1f2b3c", "operation": operation}
        self.sent(client, f"/api/sessions/{session.pk}/operations", body)
        self.sent(client, f"/api/sessions/{session.pk}/undo", {"client_id": "6f9b6a52-0a2e-4d5c-8f43-0d4d0a1f2b3d"})
        self.assertEqual(stored_document(session), there)

    def test_object_audio_becomes_one_too(self) -> None:
        mix = mix_at(self.session, self.revision())
        path = self.data / "objects.wav"
        list(write_adm(path, mix, mix_to_adm(mix, "Tones", {"low": "Low", "high": "High", "wide": "Wide"})))
        state = self.bring(path.read_bytes(), "Tones for the room.wav")
        self.assertEqual(state["status"], "ready", messages_text(state["messages"]))
        session = MixSession.objects.get(pk=state["session"])
        self.assertEqual(session.name, "Tones for the room")
        times = np.linspace(0.0, 4.0, 200)
        before, after = (lane_in(document, "low", "pan") for document in (self.document(), stored_document(session)))
        np.testing.assert_allclose(after.evaluate(times), before.evaluate(times), atol=0.01)
        worst = np.abs(self.output(session) - self.output(self.session)).max()
        self.assertLess(20.0 * np.log10(worst), -40.0)

    def test_a_broken_one_is_refused_and_leaves_nothing(self) -> None:
        whole = self.bundle()
        with zipfile.ZipFile(io.BytesIO(whole)) as archive:
            files = {info.filename: archive.read(info) for info in archive.infolist()}
        document = json.loads(files[SESSION_FILE])

        def packed(**changed: Any) -> bytes:
            into = io.BytesIO()
            wrong = {**document, "document": {**document["document"], **changed}}
            with zipfile.ZipFile(into, "w") as archive:
                for name, content in files.items():
                    archive.writestr(name, json.dumps(wrong) if name == SESSION_FILE else content)
            return into.getvalue()

        sources = document["document"]["sources"]
        cases = {
            "not a session": b"RIFF" + bytes(100),
            "damaged": whole[: len(whole) - 40],
            "pan cannot be 3": packed(sources={**sources, "low": {**sources["low"], "pan": 3.0}}),
            "Extra": packed(sources={**sources, "low": {**sources["low"], "hue": 3}}),
            "its own name": packed(sources={**sources, "low": {**sources["low"], "id": "high"}}),
            # At a rate at which nothing of it is kept yet.
            "too few channels": packed(
                session={**document["document"]["session"], "rate": 96000},
                sources={**sources, "low": {**sources["low"], "channels": 2, "mode": "span"}},
            ),
        }
        before = (MixSession.objects.count(), sorted((settings.DATA_DIR / "assets").rglob("*")))
        for words, content in cases.items():
            with self.subTest(words):
                state = self.bring(content)
                self.assertEqual(state["status"], "failed")
                self.assertRegex(
                    messages_text(state["messages"]), words if words != "damaged" else "neither|damaged|not a session"
                )
                self.assertNotIn(str(settings.DATA_DIR), messages_text(state["messages"]))
        self.assertEqual((MixSession.objects.count(), sorted((settings.DATA_DIR / "assets").rglob("*"))), before)
        left = [path for name in ("arriving", "uploads") for path in (settings.DATA_DIR / name).iterdir()]
        self.assertEqual(left, [])

    def test_only_who_sends_it_sees_it_and_may_stop_it(self) -> None:
        begun = self.sent(self.as_("uwe"), "/api/imports", {"name": "song.zip", "size": 100})
        for path in ("", "/cancel", "/parts?offset=0"):
            asked = self.as_("olga").post if path else self.as_("olga").get
            self.assertEqual(asked(f"/api/imports/{begun['id']}{path}").status_code, 404)
        stopped = self.sent(self.as_("uwe"), f"/api/imports/{begun['id']}/cancel", {})
        self.assertEqual(stopped["status"], "cancelled")
        self.assertEqual(Upload.objects.get().session, None)


class Copies(Coming):
    def test_a_copy_begins_as_the_session_stands(self) -> None:
        made = self.sent(self.as_("emil"), self.url("/copy"), {"name": "Tones, another way"})
        session = MixSession.objects.get(pk=made["id"])
        self.assertEqual([m.user.username for m in session.members.all()], ["emil"])
        copied = stored_document(session)
        self.assertEqual(copied["session"]["name"], "Tones, another way")
        self.assertEqual({**copied, "session": None}, {**self.document(), "session": None})
        np.testing.assert_array_equal(self.output(session), self.output(self.session))

    def archive(self, archived: bool) -> list[dict]:
        body = {"archived": archived}
        return self.as_("lisa").patch(self.url("/membership"), body, content_type="application/json").json()

    def test_archiving_is_ones_own(self) -> None:
        listed = self.archive(True)
        self.assertEqual([row["archived"] for row in listed], [True])
        self.assertEqual([row["archived"] for row in self.as_("olga").get("/api/sessions").json()], [False])
        self.assertEqual(Membership.objects.filter(archived=True).count(), 1)
        listed = self.archive(False)
        self.assertEqual([row["archived"] for row in listed], [False])


class Preferences(SessionCase):
    def test_they_are_ones_own_and_stay(self) -> None:
        client = self.as_("emil")
        first = client.get("/api/preferences").json()
        self.assertEqual((first["paper"], first["tour"]), ("day", "new"))
        wanted = {
            **first,
            "paper": "night",
            "places": "signed",
            "keys": "named",
            "tour": "done",
            "shortcuts": {"r": "j"},
        }
        client.put("/api/preferences", json.dumps(wanted), content_type="application/json")
        self.assertEqual(self.as_("emil").get("/api/preferences").json(), wanted)
        self.assertEqual(self.as_("olga").get("/api/preferences").json(), first)
        for wrong in ({"paper": "pink"}, {"shortcuts": {"r": "jj"}}, {"shortcuts": {"": "j"}}):
            answer = client.put("/api/preferences", json.dumps(wrong), content_type="application/json")
            self.assertEqual(answer.status_code, 422, wrong)


class Landing(Coming):
    def file(self, kind: str) -> SimpleUploadedFile:
        document, tempo = self.document(), tempo_map(self.document())
        path: Path = self.data / f"moves.{kind}"
        if kind == "mid":
            write_midi_moves(path, document, tempo, 4.0, True)
        else:
            path.write_text(lanes_table(document, tempo) if kind == "csv" else lanes_json(document), "utf-8")
        return SimpleUploadedFile(path.name, path.read_bytes())

    def ask(self, what: str, file: SimpleUploadedFile, status: int = 200, **fields: Any) -> Any:
        body = {"revision": self.revision(), "file": file, **fields}
        answer = self.as_("emil").post(self.url(f"/moves/{what}"), body)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def apply(self, draft: dict) -> None:
        for write in draft["writes"]:
            self.operate(self.as_("emil"), {"kind": "write-points", **write})

    def test_each_format_lands_where_it_came_from(self) -> None:
        times = np.linspace(0.0, 4.0, 150)
        wanted = lane_in(self.document(), "low", "pan").evaluate(times)
        for kind in ("csv", "json", "mid"):
            file = self.file(kind)
            lanes = self.ask("import/preview", file)["lanes"]
            low = next(one for one in lanes if one["name"] == "Low")
            self.assertEqual(low["lands"], {"owner": "low", "parameter": "pan"})
            self.operate(self.as_("emil"), {"kind": "write-points", "owner": "low", "parameter": "pan",
                                            "start": 0.0, "end": 4.0, "points": []})  # fmt: skip
            file.seek(0)
            lands = json.dumps([{"index": low["index"], **low["lands"]}])
            draft = self.ask("import", file, lands=lands)
            self.assertIn(f"from moves.{kind}", draft["summary"])
            self.apply(draft)
            lane = lane_in(self.document(), "low", "pan")
            np.testing.assert_allclose(lane.evaluate(times), wanted, atol=1e-3 if kind == "mid" else 1e-12)

    def test_elsewhere_later_and_over_everything(self) -> None:
        text = "time,value\n0,0.25\n1,0.5\n"
        (lanes,) = self.ask("import/preview", SimpleUploadedFile("one.csv", text.encode()))["lanes"]
        self.assertEqual((lanes["lands"], lanes["points"], lanes["high"]), (None, 2, 0.5))
        lands = json.dumps([{"index": 0, "owner": "low", "parameter": "pan"}])
        draft = self.ask("import", SimpleUploadedFile("one.csv", text.encode()), lands=lands, at=2.5)
        self.apply(draft)
        points = [(p["t"], p["value"]) for p in self.document()["lanes"]["low/pan"]["points"]]
        self.assertEqual(points, [(0.0, -1.0), (2.0, 1.0), (2.5, 0.25), (3.5, 0.5)])
        draft = self.ask("import", SimpleUploadedFile("one.csv", text.encode()), lands=lands, over="all")
        self.apply(draft)
        points = [(p["t"], p["value"]) for p in self.document()["lanes"]["low/pan"]["points"]]
        self.assertEqual(points, [(0.0, 0.25), (1.0, 0.5)])

    def test_what_does_not_fit_is_refused(self) -> None:
        before = self.document()
        for text, lands, words in (
            ("time,value\n0,3\n", [{"index": 0, "owner": "low", "parameter": "pan"}], "Low: pan cannot be 3"),
            ("time,value\n0,0\n", [{"index": 4, "owner": "low", "parameter": "pan"}], "no such lane"),
            ("time,value\n0,0\n", [{"index": 0, "owner": "low", "parameter": "pan_left"}], "has no pan left"),
            ("time,value\n0,0\n", [{"index": 0, "owner": "low", "parameter": "pan"}] * 2, "Two lanes"),
            ("time,value\nx,0\n", [{"index": 0, "owner": "low", "parameter": "pan"}], "one.csv, line 2"),
            ("time,value\n0,0\n", [], "Choose where"),
        ):
            file = SimpleUploadedFile("one.csv", text.encode())
            told_of = self.ask("import", file, 422, lands=json.dumps(lands))
            self.assertIn(words, told_of["detail"])
        self.assertEqual(self.document(), before)
        same = self.ask("import/preview", self.file("csv"))["lanes"][0]
        told_of = self.ask("import", self.file("csv"), 422, lands=json.dumps([{"index": 0, **same["lands"]}]))
        self.assertIn("nothing to change", told_of["detail"])
        self.assertEqual(Lane.of(before["lanes"]["low/pan"]["points"]).points[1].shape, "ease")

    def test_a_side_lands_on_its_side(self) -> None:
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "wide", "mode": "sides"})
        told_of = self.ask("import/preview", self.file("mid"))
        lanes, places = told_of["lanes"], {row["owner"]: row["parameters"] for row in told_of["places"]}
        lands = [row["lands"]["parameter"] for row in lanes if row["name"] == "Wide"]
        self.assertEqual(lands, ["pan_left", "pan_right"])
        # What is offered is what is heard: in stereo nothing of a room, of one channel no width.
        self.assertEqual(places["low"], ["pan", "level", "trim"])
        self.assertLessEqual({"pan_left", "pan_right", "width"}, set(places["wide"]))
        self.assertNotIn("pan", places["wide"])
        offered = {parameter for parameters in places.values() for parameter in parameters}
        self.assertFalse(offered & {"front", "front_left", "height", "spread", "rotation", "centre_level", "lfe"})
