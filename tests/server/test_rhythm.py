"""Movement in rhythm through the API: pulses read, tried and written out, parts dealt, sources frozen."""

import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile

from needle.dealing.deal import Event, dealt
from needle.io.audio import write_audio
from server.editing.models import Draft
from server.editing.operations.sources import AddSource
from server.editing.services import replayed
from server.media import tasks
from server.media.assets import store_asset
from server.media.freezing import freeze
from server.media.models import Freeze
from server.mixsessions.state import stored_document
from tests.core.test_dealing import midi_file
from tests.server.sessions import LENGTH, RATE, source
from tests.server.test_sound import Heard

SQUARE = {"wave": "square", "period": 2.0, "offset": 0.0}
FOUR = [{"id": f"p{i + 1}", "pan": pan} for i, pan in enumerate((-1.0, -0.3, 0.3, 1.0))]
QUARTERS = [[i * 0.5, 0.25, 60.0 + i, 0.8] for i in range(8)]


class Rhythm(Heard):
    def setUp(self) -> None:
        super().setUp()
        self.emil = self.as_("emil")

    def segment(self, index: int, **query: Any) -> np.ndarray:
        return self.hear(self.emil, index, **query)[1]

    def make(self, kind: str, status: int = 200, **fields: Any) -> Any:
        answer = self.operate(self.emil, {"kind": kind, **fields})
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json()

    def ask(self, path: str, status: int = 200, **query: Any) -> Any:
        answer = self.emil.get(self.url(path), {"revision": self.revision(), **query})
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json()

    def asked(self, path: str, status: int = 200, **body: Any) -> Any:
        answer = self.post(self.emil, path, {"revision": self.revision(), **body})
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json()

    def strokes(self) -> None:
        """A source that is struck every half second."""
        t = np.arange(RATE // 4) / RATE
        stroke = (0.5 * np.sin(2 * np.pi * 900 * t) * np.exp(-t / 0.03)).astype(np.float32)
        audio = np.zeros((1, round(LENGTH * RATE)), np.float32)
        for half in range(8):
            audio[0, half * RATE // 2 : half * RATE // 2 + len(stroke)] = stroke
        path = self.data / "strokes.wav"
        write_audio(path, audio, RATE)
        self.submit("olga", AddSource.model_validate({"source": source("strokes", store_asset(path, RATE), 9)}))


class Pulses(Rhythm):
    def test_a_pulse_begins_with_its_first_change_is_heard_and_undone(self) -> None:
        before = self.segment(1, solo="wide")
        self.make("set-pulse", owner="wide", **SQUARE)
        self.assertEqual(self.state()["pulses"]["wide"]["depth"], 1.0)
        heard = self.segment(1, solo="wide")
        # 120 bpm: silent from 0.5 s to 1 s.
        self.assertGreater(np.abs(before).max(), 0.1)
        self.assertLess(np.abs(heard[:, 2000:-2000]).max(), 1e-5)
        self.make("set-pulse", owner="wide", depth=0.5)
        half = self.segment(1, solo="wide")[:, 2000:-2000]
        self.assertAlmostEqual(float(np.abs(half).max()), float(np.abs(before).max()) / 2, places=3)
        for _ in range(2):
            self.turn(self.emil, "undo")
        self.assertEqual(self.state()["pulses"], {})
        np.testing.assert_array_equal(self.segment(1, solo="wide"), before)

    def test_everything_pulses_and_takes_its_pulse_along(self) -> None:
        self.make("add-return", to={"id": "hall", "name": "Hall"})
        self.make("set-send", source="low", to="hall", level=-6.0)
        self.make("add-group", group={"id": "all", "name": "All"}, members=["low", "high"])
        owners = ["low", "group:all", "send:low/hall", "return:hall"]
        for owner in owners:
            self.make("set-pulse", owner=owner, **SQUARE)
        self.make("write-points", owner="group:all", parameter="pulse_depth", start=0.0, end=1.0,
                  points=[{"t": 0.5, "value": 0.3}])  # fmt: skip
        before = self.state()
        self.assertEqual(sorted(before["pulses"]), sorted(owners))
        for kind, fields in (
            ("remove-source", {"source": "low"}),
            ("remove-return", {"to": "hall"}),
            ("remove-group", {"group": "all"}),
        ):
            self.make(kind, **fields)
            self.assertLess(len(self.state()["pulses"]), 4)
            self.turn(self.emil, "undo")
            self.assertEqual(self.state(), before, kind)
        self.assertEqual(replayed(self.session), stored_document(self.session))

    def test_wrong_values_are_told_and_change_nothing(self) -> None:
        for wrong, told in (
            ({"wave": "saw"}, "no wave"),
            ({"steps": [0.5]}, "2 to 32 steps"),
            ({"form": "colour"}, "cannot move"),
            ({"unit": "miles"}, "cannot be given in"),
        ):
            self.assertIn(told, self.make("set-pulse", 422, owner="low", **wrong)["detail"])
        self.make("set-pulse", 422, owner="low", period=1000.0)
        self.make("set-pulse", 422, owner="nobody")
        self.assertEqual(self.state()["pulses"], {})

    def test_a_reading_with_accents_and_a_better_fit(self) -> None:
        self.strokes()
        reading = self.asked(
            "/pulse/reading", owner="wide", bar=1, accents="strokes", values={**SQUARE, "flip": True}
        )
        self.assertEqual(
            reading["sentence"], "Both sides fall silent on 1½ and 3½; both sides are weak (−20 dB) on 1 and 3."
        )
        self.assertEqual((reading["note"], reading["in_hertz"], reading["onsets"]), ("1/2 note", "1 Hz", 8))
        self.assertAlmostEqual(reading["now"]["score"], 0.5, delta=0.05)
        self.assertAlmostEqual(reading["best"]["score"], 0.5, delta=0.05)
        quick = {**SQUARE, "period": 1.0, "flip": True}
        reading = self.asked("/pulse/reading", owner="wide", bar=1, accents="strokes", values=quick)
        self.assertLess(reading["now"]["score"], 0.1)
        self.assertGreater(reading["best"]["score"], 0.95)
        self.assertEqual(self.state()["pulses"], {})
        plain = self.asked("/pulse/reading", owner="wide", bar=1)
        self.assertEqual((plain["now"], plain["onsets"]), (None, 0))
        self.asked("/pulse/reading", 422, owner="nobody", bar=1)

    def test_a_pulse_on_trial_is_heard_by_oneself(self) -> None:
        plain = self.segment(1, solo="wide")
        draft = self.asked("/pulse/draft", owner="wide", values=SQUARE)
        tried = self.segment(1, solo="wide", moves=f"draft={draft['id']}")
        self.assertLess(np.abs(tried[:, 2000:-2000]).max(), 1e-5)
        np.testing.assert_array_equal(self.segment(1, solo="wide"), plain)
        self.make("set-pulse", owner="wide", **SQUARE)
        np.testing.assert_array_equal(self.segment(1, solo="wide"), tried)
        np.testing.assert_array_equal(self.segment(1, solo="wide", moves="wide/pulse=none"), plain)
        for _ in range(6):
            self.asked("/pulse/draft", owner="wide", values=SQUARE)
        self.assertEqual(Draft.objects.filter(session=self.session).count(), 4)

    def test_without_its_pulse_it_is_as_loud(self) -> None:
        self.make("set-pulse", owner="wide", wave="sine", period=0.5, offset=0.0)
        with_it = np.concatenate([self.segment(i, solo="wide") for i in range(8)], axis=1)
        without = np.concatenate(
            [self.segment(i, solo="wide", bypass="wide:pulse", at=2.0) for i in range(8)], axis=1
        )  # fmt: skip
        loud = [10 * np.log10((audio.astype(float) ** 2).mean()) for audio in (with_it, without)]
        self.assertAlmostEqual(*loud, delta=0.3)
        self.assertLess(np.abs(without[:, 4000:]).max(), np.abs(with_it).max())

    def test_a_click_is_for_whoever_wants_it(self) -> None:
        plain, struck = self.segment(0), self.segment(0, click="true")
        self.assertGreater(np.abs(struck - plain)[:, :1000].max(), 0.1)

    def test_written_out_as_points_and_taken_back(self) -> None:
        self.make("set-pulse", owner="wide", wave="triangle", period=1.0, depth=0.8)
        self.make("set-pulse", owner="low", form="place", wave="sine", period=2.0, depth=0.5)
        self.make("write-points", owner="low", parameter="pan", start=0.0, end=4.0,
                  points=[{"t": 0.0, "value": -0.4}, {"t": 4.0, "value": 0.4}])  # fmt: skip
        before, heard = self.state(), {key: self.segment(1, solo=key) for key in ("wide", "low")}
        for key in ("wide", "low"):
            answer = self.ask("/pulse/as-points", owner=key)
            self.assertGreater(answer["points"], 10)
            self.assertEqual(self.operate(self.emil, answer["operation"]).status_code, 200)
            self.assertFalse(self.state()["pulses"][key]["on"])
            np.testing.assert_allclose(self.segment(1, solo=key), heard[key], atol=0.006)
        self.assertEqual(self.state()["sources"]["wide"]["mode"], "sides")
        for key in ("wide", "low"):
            back = self.ask("/pulse/as-pulse", owner=key)["operation"]
            self.assertEqual(self.operate(self.emil, back).status_code, 200)
        self.assertEqual(self.state(), before)

    def test_what_cannot_be_written_out_is_told(self) -> None:
        self.assertIn("The pulse is off", self.ask("/pulse/as-points", 422, owner="low")["detail"])
        self.assertIn("not converted to points", self.ask("/pulse/as-pulse", 422, owner="low")["detail"])
        self.make("add-group", group={"id": "all", "name": "All"}, members=["low"])
        self.make("set-pulse", owner="group:all")
        self.assertIn("Only a source", self.ask("/pulse/as-points", 422, owner="group:all")["detail"])

    def test_depth_and_period_follow_lines_and_static_values_are_of_the_pulse(self) -> None:
        line = {"owner": "wide", "parameter": "pulse_depth"}
        self.make("set-pulse", owner="wide", **SQUARE)
        self.make("write-points", **line, start=0.0, end=4.0,
                  points=[{"t": 0.0, "value": 0.0, "shape": "hold"}, {"t": 2.0, "value": 1.0}])  # fmt: skip
        self.assertGreater(np.abs(self.segment(1, solo="wide")).max(), 0.1)
        self.assertLess(np.abs(self.segment(5, solo="wide")[:, 3000:-2000]).max(), 1e-5)
        self.make("set-fixed-value", **line, at=3.0)
        self.assertEqual(self.state()["pulses"]["wide"]["depth"], 1.0)
        self.turn(self.emil, "undo")
        self.make("write-points", 422, owner="wide", parameter="pulse_period", start=0.0, end=1.0,
                  points=[{"t": 0.0, "value": 500.0}])  # fmt: skip

    def test_a_pulse_is_kept_by_name(self) -> None:
        body = {"kind": "pulse", "name": "My moth", "content": {"wave": "chance", "depth": 0.3}}
        answer = self.emil.post("/api/presets", body, content_type="application/json")
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(answer.json()["content"]["depth"], 0.3)
        wrong = {**body, "content": {"wave": "saw"}}
        self.assertEqual(self.emil.post("/api/presets", wrong, content_type="application/json").status_code, 422)
        names = [preset["name"] for preset in self.emil.get("/api/library").json()["rhythm"]["presets"]]
        self.assertIn("moth", names)


class Deals(Rhythm):
    def begin(self, key: str = "low", **values: Any) -> None:
        self.make("set-events", source=key, **{"from": "onsets", "name": "", "items": QUARTERS})
        self.make("set-deal", source=key, places=FOUR, **values)

    def test_a_stem_is_dealt_to_places_that_are_soloed_and_changed(self) -> None:
        self.begin()
        sides = [np.sqrt((self.segment(i, solo="low")[:, 1000:-1000] ** 2).mean(axis=1)) for i in range(4)]
        angles = [float(np.arctan2(right, left) * 4 / np.pi - 1.0) for left, right in sides]
        np.testing.assert_allclose(angles, [-1.0, -0.3, 0.3, 1.0], atol=0.01)
        self.assertLess(np.abs(self.segment(0, solo="low.p2")[:, :-1000]).max(), 1e-5)
        self.assertGreater(np.abs(self.segment(1, solo="low.p2")).max(), 0.1)
        self.make("set-place", source="low", place="p1", values={"pan": 1.0, "level": -6.0})
        left, right = np.abs(self.segment(0, solo="low")[:, 1000:-1000]).max(axis=1)
        self.assertLess(left, 1e-5)
        self.assertAlmostEqual(float(right), 0.25 * 10 ** (-6 / 20), delta=0.003)
        self.turn(self.emil, "undo")
        self.assertEqual(self.state()["deals"]["low"]["places"][0]["pan"], -1.0)

    def test_a_place_is_anywhere_in_the_room_or_where_its_source_is(self) -> None:
        self.begin()
        self.make("set-place", source="low", place="p1", values={"front": -1.0, "transpose": 7.0, "release": 0.2})
        self.make("set-place", source="low", place="p1", values={"front": None})
        place = self.state()["deals"]["low"]["places"][0]
        self.assertEqual([place.get(name) for name in ("front", "transpose", "release")], [None, 7.0, 0.2])
        self.turn(self.emil, "undo")
        self.assertEqual(self.state()["deals"]["low"]["places"][0]["front"], -1.0)

    def test_two_engineers_change_two_places_of_one_deal(self) -> None:
        self.begin()
        self.make("set-place", source="low", place="p1", values={"pan": 0.5})
        theirs = {"kind": "set-place", "source": "low", "place": "p2", "values": {"pan": -0.5}}
        self.assertEqual(self.operate(self.as_("olga"), theirs).status_code, 200)
        self.turn(self.emil, "undo")
        self.assertEqual([p["pan"] for p in self.state()["deals"]["low"]["places"][:2]], [-1.0, -0.5])

    def test_onsets_are_found_and_dealt(self) -> None:
        self.strokes()
        found = self.ask("/sources/strokes/onsets")
        np.testing.assert_allclose(found["times"], np.arange(8) / 2, atol=0.01)
        self.ask("/sources/strokes/onsets", 422, threshold=3.0)
        items = [[t, 0.25, 69.0, s] for t, s in zip(found["times"], found["strengths"], strict=True)]
        self.make("set-events", source="strokes", **{"from": "onsets", "items": items})
        self.make("set-deal", source="strokes", places=FOUR, order="there-and-back")
        dealt = self.ask("/sources/strokes/dealt")["events"]
        self.assertEqual([event["place"] for event in dealt], [0, 1, 2, 3, 2, 1, 0, 1])
        self.assertEqual(self.ask("/sources/low/dealt")["events"], [])

    def test_notes_come_from_a_file_and_are_played(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = midi_file(Path(folder), [(i * 1.0, 0.5, 60 + i, 100) for i in range(4)])
            given = SimpleUploadedFile("part.mid", path.read_bytes())
        found = self.emil.post(self.url("/notes"), {"file": given}).json()
        self.assertEqual((found["name"], len(found["items"])), ("Glass", 4))
        broken = self.emil.post(self.url("/notes"), {"file": SimpleUploadedFile("song.mid", b"RIFF")})
        self.assertEqual(broken.status_code, 422)
        self.assertIn("song.mid", broken.json()["detail"])
        self.make("set-events", source="low", **{"from": "notes", "name": found["name"], "items": found["items"]})
        self.make("set-deal", source="low", places=FOUR[:2], sound="voice", timbre="wood")
        first, second = self.segment(0, solo="low"), self.segment(1, solo="low")
        self.assertGreater(np.abs(first[0]).max(), 0.05)
        self.assertLess(np.abs(first[1]).max(), 1e-5)
        self.assertGreater(np.abs(second[1]).max(), 0.05)

    def test_wrong_deals_are_refused(self) -> None:
        self.begin()
        before = self.state()
        for kind, fields, told in (
            ("set-deal", {"order": "backwards"}, "deal order"),
            ("set-deal", {"places": FOUR[:1]}, "2 to 16 places"),
            ("set-deal", {"places": [FOUR[0], FOUR[0]]}, "same id"),
            ("set-deal", {"timbre": "brass"}, "timbre"),
            ("set-place", {"place": "p9", "values": {"pan": 0.0}}, "has been deleted"),
            ("set-place", {"place": "p1", "values": {"colour": 0.0}}, "has no colour"),
            ("set-place", {"place": "p1", "values": {"low_pass": 5.0}}, "low-pass"),
            ("set-events", {"from": "onsets", "items": QUARTERS[::-1]}, "order of their times"),
        ):
            self.assertIn(told, self.make(kind, 422, source="low", **fields)["detail"])
        self.assertEqual(self.state(), before)

    def test_a_source_that_is_removed_comes_back_with_its_deal(self) -> None:
        self.begin()
        self.make("set-pulse", owner="low", **SQUARE)
        before = self.state()
        self.make("remove-source", source="low")
        self.assertEqual((self.state()["deals"], self.state()["events"], self.state()["pulses"]), ({}, {}, {}))
        self.turn(self.emil, "undo")
        self.assertEqual(self.state(), before)

    def test_places_are_arranged_by_the_core(self) -> None:
        def asked(count: int) -> Any:
            body = {"act": "fresh", "count": count}
            return self.emil.post("/api/sessions/places/arrange", body, content_type="application/json")

        self.assertEqual([place["pan"] for place in asked(5).json()], [-1.0, -0.5, 0.0, 0.5, 1.0])
        self.assertEqual(asked(1).status_code, 422)

    def test_the_documents_events_make_the_cores_deal(self) -> None:
        self.begin(order="by-pitch")
        turns = dealt([Event(*item) for item in QUARTERS], "by-pitch", len(FOUR))
        found = self.ask("/sources/low/dealt")["events"]
        self.assertEqual([event["place"] for event in found], turns.tolist())
        self.assertEqual([event["t"] for event in found], [item[0] for item in QUARTERS])
        # An onset is told in seconds of the stem: it goes along when the stem begins later.
        self.make("arrange-source", source="low", start=0.25)
        moved = self.ask("/sources/low/dealt")["events"]
        self.assertEqual([event["t"] for event in moved], [item[0] + 0.25 for item in QUARTERS])


class Freezes(Rhythm):
    def frozen(self, key: str = "wide") -> Freeze:
        task = self.asked(f"/sources/{key}/freeze")
        until = time.monotonic() + 30
        while time.monotonic() < until:
            found = self.emil.get(self.url(f"/freezes/{task['id']}")).json()
            if found["status"] not in ("waiting", "running"):
                return Freeze.objects.get(pk=task["id"])
        self.fail("freezing does not end")

    def test_a_frozen_source_sounds_the_same_keeps_its_level_and_is_locked(self) -> None:
        self.make("set-pulse", owner="wide", **SQUARE)
        before = self.segment(2, solo="wide")
        self.assertEqual(self.frozen().status, "done")
        state = self.state()["sources"]["wide"]
        self.assertEqual(len(state["frozen_asset"]), 64)
        np.testing.assert_allclose(self.segment(2, solo="wide"), before, atol=1e-6)
        self.make("set-level", source="wide", level=-6.0)
        np.testing.assert_allclose(self.segment(2, solo="wide"), before * 10 ** (-6 / 20), atol=1e-5)
        for kind, fields in (
            ("place-source", {"pan": 0.5}),
            ("set-pulse", {"depth": 0.2}),
            ("set-gain", {"gain": 3.0}),
            ("write-points", {"parameter": "pan", "start": 0.0, "end": 1.0, "points": [{"t": 0.5, "value": 0.1}]}),
        ):
            whose = "owner" if kind in ("set-pulse", "write-points") else "source"
            self.assertIn("is frozen. Unfreeze it", self.make(kind, 422, **{whose: "wide"}, **fields)["detail"])
        self.make("mute-source", source="wide", muted=False)
        self.make("freeze-source", source="wide", frozen_asset="", frozen_fingerprint="")
        self.make("place-source", source="wide", pan=0.5)
        self.assertEqual(replayed(self.session), stored_document(self.session))

    def test_what_it_was_made_of_may_change_around_it(self) -> None:
        self.make("place-source", source="low", pan=0.5)
        self.assertEqual(self.frozen("low").status, "done")
        self.make("set-session", law="compromise")
        heard = self.segment(2, solo="low")
        self.make("freeze-source", source="low", frozen_asset="", frozen_fingerprint="")
        np.testing.assert_array_equal(self.segment(2, solo="low"), heard)

    def test_a_sound_of_another_session_is_not_taken(self) -> None:
        detail = self.make("freeze-source", 422, source="low", frozen_asset="a" * 64)["detail"]
        self.assertIn("not frozen in this session", detail)

    def test_a_change_meanwhile_is_told_and_stopping_changes_nothing(self) -> None:
        owner = {"session": self.session, "author": self.users["emil"], "revision": self.revision(), "source": "low"}
        late = Freeze.objects.create(**owner)
        self.make("place-source", source="low", pan=0.5)
        tasks.run(Freeze, late.pk, freeze)
        late.refresh_from_db()
        self.assertEqual(late.status, "failed")
        self.assertIn("changed meanwhile", str(late.messages[0]))
        gone = Freeze.objects.create(**{**owner, "source": "high"})
        self.make("remove-source", source="high")
        tasks.run(Freeze, gone.pk, freeze)
        gone.refresh_from_db()
        self.assertIn("removed meanwhile", str(gone.messages[0]))
        stopped = Freeze.objects.create(**owner)
        answer = self.post(self.emil, f"/freezes/{stopped.pk}/cancel", {})
        self.assertEqual(answer.json()["status"], "cancelled")
        tasks.run(Freeze, stopped.pk, freeze)
        self.assertEqual(self.state()["sources"]["low"]["frozen_asset"], "")
