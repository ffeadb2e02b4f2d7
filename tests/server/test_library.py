"""New sessions, tempo and seats, what is kept by name, and the readings: all through the API."""

import io
from typing import Any

import mido
import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from needle.dsp.k_weighting import KWeighting
from server.media.mixes import mix_at
from server.mixsessions.models import Membership, MixSession
from tests.server.sessions import RATE, SessionCase
from tests.server.test_sound import decode


class NewSessions(SessionCase):
    def make(self, **values: Any) -> Any:
        return self.as_("emil").post("/api/sessions", {"name": "Fresh", **values}, content_type="application/json")

    def test_a_new_session_is_ones_own_and_follows_its_sources(self) -> None:
        made = self.make(rate=96000, bpm=72.5, beats=6, unit=8).json()
        self.assertEqual((made["role"], made["document"]["session"]["rate"]), ("owner", 96000))
        self.assertEqual(made["document"]["session"]["metres"], [[1, 6, 8]])
        self.assertGreater(len(made["frame"]["bars"]), 4)
        self.assertEqual(len(made["frame"]["bars"][0]["times"]), 6)
        self.assertEqual(Membership.objects.get(session=made["id"]).user.username, "emil")
        self.assertEqual(self.as_("olga").get(f"/api/sessions/{made['id']}").status_code, 404)

    def test_what_cannot_be_is_told_and_makes_nothing(self) -> None:
        before = MixSession.objects.count()
        for wrong, told in (
            ({"rate": 12345}, "12345 Hz"),
            ({"bpm": 5}, "bpm"),
            ({"unit": 3}, "metre"),
            ({"layout": "9+9+9"}, "no layout"),
            ({"name": ""}, "name"),
        ):
            answer = self.make(**wrong)
            self.assertEqual(answer.status_code, 422, wrong)
            self.assertIn(told, answer.json()["detail"])
        self.assertEqual(MixSession.objects.count(), before)

    def test_bars_follow_the_tempo_map(self) -> None:
        change = {"kind": "set-session", "tempos": [[0, 120], [4, 60]], "metres": [[1, 4, 4], [2, 2, 4]]}
        self.assertEqual(self.operate(self.as_("olga"), change).status_code, 200)
        bars = self.as_("lisa").get(self.url("/frame")).json()["bars"]
        self.assertEqual([bar["times"] for bar in bars[:3]], [[0.0, 0.5, 1.0, 1.5], [2.0, 3.0]])

    def test_a_source_is_offered_what_its_channels_and_the_loudspeakers_allow(self) -> None:
        def offered() -> dict[str, list[str]]:
            return self.as_("lisa").get(self.url("/frame")).json()["modes"]

        stereo = offered()
        self.assertEqual([stereo["1"], stereo["2"]], [["pan"], ["balance", "sides", "span", "mono"]])
        self.assertEqual((len(stereo), stereo["6"]), (64, ["span", "mono"]))
        self.operate(self.as_("olga"), {"kind": "set-session", "layout": "0+5+0"})
        self.assertEqual(offered(), {**stereo, "2": [*stereo["2"], "stem"]})


class Choices(SessionCase):
    def test_the_library_names_everything_there_is(self) -> None:
        found = self.as_("lisa").get("/api/library").json()
        self.assertEqual({m["name"] for m in found["modes"]}, {"pan", "balance", "sides", "span", "mono", "stem"})
        effects = {e["name"]: {s["name"] for s in e["settings"]} for e in found["effects"]}
        self.assertLessEqual({"room", "echo", "chorus", "drive", "high-pass", "low-pass"}, set(effects))
        self.assertIn("feedback", effects["echo"])
        self.assertTrue(all(one["seats"] for one in found["seatings"]))

    def test_taps_and_midi_files_give_tempos(self) -> None:
        client = self.as_("emil")
        taps = client.post("/api/tempo/taps", {"times": [0, 0.5, 1, 1.5]}, content_type="application/json")
        self.assertEqual(taps.json(), {"bpm": 120.0})
        midi, file = mido.MidiFile(), io.BytesIO()
        midi.tracks.append(mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(75))]))
        midi.save(file=file)
        found = client.post("/api/tempo/midi", {"file": SimpleUploadedFile("song.mid", file.getvalue())}).json()
        self.assertEqual(found["tempos"], [[0.0, 75.0]])
        wrong = client.post("/api/tempo/midi", {"file": SimpleUploadedFile("song.mid", b"no")})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("song.mid", wrong.json()["detail"])

    def test_names_are_matched_to_seats(self) -> None:
        body = {"seating": "quartet", "names": ["Viola solo", "Other"]}
        found = self.as_("emil").post("/api/seatings/match", body, content_type="application/json")
        self.assertEqual(found.json(), {"Viola solo": "Third"})
        long = {"seating": "quartet", "names": ["viola " * 1000]}
        found = self.as_("emil").post("/api/seatings/match", long, content_type="application/json")
        self.assertEqual(found.status_code, 422)


class Presets(SessionCase):
    def keep(self, client: Client, **values: Any) -> Any:
        return client.post("/api/presets", values, content_type="application/json")

    def test_kept_by_one_seen_by_those_it_is_shared_with(self) -> None:
        content = {"mode": "sides", "pan_left": -0.4, "pan_right": 0.3}
        made = self.keep(self.as_("olga"), kind="placement", name="Half wide", content=content)
        self.assertEqual(made.status_code, 200, made.content)
        shared = f"/api/presets/{made.json()['id']}/sessions/{self.session.id}"
        self.assertEqual(self.as_("emil").get("/api/presets").json(), [])
        for name in ("emil", "uwe"):
            self.assertEqual(self.as_(name).put(shared).status_code, 404)
        self.assertEqual(self.as_("olga").put(shared).json()["sessions"], [str(self.session.id)])
        (seen,) = self.as_("emil").get("/api/presets").json()
        self.assertEqual((seen["name"], seen["author"], seen["mine"]), ("Half wide", "Olga", False))
        self.assertEqual(seen["content"], content)
        self.assertEqual(self.as_("uwe").get("/api/presets").json(), [])
        self.assertEqual(self.as_("emil").delete(f"/api/presets/{seen['id']}").status_code, 404)
        self.assertEqual(self.as_("olga").delete(shared).json()["sessions"], [])
        self.assertEqual(self.as_("emil").get("/api/presets").json(), [])
        self.as_("olga").put(shared)
        self.session.members.filter(user=self.users["emil"]).delete()
        self.assertEqual(self.as_("emil").get("/api/presets").json(), [])
        self.assertEqual(self.as_("olga").delete(f"/api/presets/{seen['id']}").status_code, 204)
        self.assertEqual(self.as_("olga").get("/api/presets").json(), [])

    def test_the_same_name_again_takes_its_place(self) -> None:
        for pan in (0.1, 0.2):
            self.keep(self.as_("olga"), kind="placement", name="One", content={"mode": "pan", "pan": pan})
        (kept,) = self.as_("olga").get("/api/presets").json()
        self.assertEqual(kept["content"]["pan"], 0.2)

    def test_a_kept_return_comes_back_whole(self) -> None:
        effects = [{"id": "a", "kind": "echo", "on": True, "settings": {"beats": 0.5}}]
        made = self.keep(self.as_("olga"), kind="return", name="Slap", content={"level": -3, "effects": effects})
        self.assertEqual(made.json()["content"]["effects"][0]["settings"]["feedback"], 0.45)
        to = {"id": "slap", "name": "Slap", **made.json()["content"]}
        answer = self.operate(self.as_("olga"), {"kind": "add-return", "to": to})
        self.assertEqual(answer.status_code, 200, answer.content)

    def test_what_is_not_whole_is_refused(self) -> None:
        for kind, content in (
            ("placement", {"mode": "pan", "pan": 7}),
            ("placement", {"colour": "red"}),
            ("return", {"effects": [{"id": "a", "kind": "spin"}]}),
            ("return", {"effects": [{"id": "a", "kind": "room", "settings": {"length": 900}}]}),
            ("seating", {"seats": []}),
            ("seating", {"seats": [{"name": "a"}]}),
        ):
            with self.subTest(content):
                answer = self.keep(self.as_("olga"), kind=kind, name="Bad", content=content)
                self.assertEqual(answer.status_code, 422, answer.content)


class Readings(SessionCase):
    def reading(self, source: str, **query: Any) -> Any:
        found = self.as_("lisa").get(self.url(f"/sources/{source}/placement"), {"revision": self.revision(), **query})
        self.assertEqual(found.status_code, 200, found.content)
        return found.json()

    def heard(self, **query: Any) -> np.ndarray:
        found = self.as_("emil").get(self.url("/segments/2"), {"revision": self.revision(), **query})
        self.assertEqual(found.status_code, 200, found.content)
        return decode(found.content)[1].astype(float)

    def power(self, **query: Any) -> float:
        return float((KWeighting(RATE, 2)(self.heard(**query))[:, 4800:] ** 2).sum())

    def test_a_balance_says_what_it_throws_away(self) -> None:
        self.assertEqual(self.reading("wide")["lost"], 0.0)
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "wide", "pan": 1.0})
        found = self.reading("wide")
        self.assertAlmostEqual(found["lost"], 0.5, delta=0.01)
        self.assertAlmostEqual(found["lost_db"], -3.01, delta=0.1)
        self.assertAlmostEqual(found["kept_db"], -3.01, delta=0.1)
        self.assertEqual([m["name"] for m in found["modes"]], ["balance", "sides", "span", "mono"])
        before = self.power(solo="wide")
        for mode in found["modes"][1:]:
            self.operate(self.as_("emil"), {"kind": "place-source", "source": "wide", **mode["values"]})
            after = self.power(solo="wide")
            self.assertAlmostEqual(mode["change"], 10 * np.log10(after / before), delta=0.1, msg=mode["name"])
            self.operate(self.as_("emil"), {"kind": "set-gain", "source": "wide", "gain": mode["gain"]})
            self.assertAlmostEqual(10 * np.log10(self.power(solo="wide") / before), 0.0, delta=0.15)
            self.turn(self.as_("emil"), "undo")
            self.turn(self.as_("emil"), "undo")

    def test_a_double_says_what_it_adds_and_how_to_take_it_back(self) -> None:
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "low", "pan": -0.6})
        before, found = self.power(solo="low"), self.reading("low")
        for trim, wanted in ((0.0, found["double_change"]), (found["double_evened"], 0.0)):
            change = {"kind": "place-source", "source": "low", "double": True, "double_trim": trim}
            self.operate(self.as_("emil"), change)
            self.assertAlmostEqual(10 * np.log10(self.power(solo="low") / before), wanted, delta=0.15)

    def test_a_law_says_what_it_changes_before_it_is_taken(self) -> None:
        query = {"revision": self.revision(), "law": "constant-gain"}
        found = self.as_("emil").get(self.url("/law"), query).json()
        changes = {one["source"]: one["change"] for one in found["changes"]}
        self.assertAlmostEqual(changes["low"], -3.01, places=2)
        self.assertEqual(changes["wide"], 0.0)
        before = self.power(solo="low")
        self.operate(self.as_("emil"), {"kind": "set-session", "law": "constant-gain"})
        self.assertAlmostEqual(10 * np.log10(self.power(solo="low") / before), changes["low"], delta=0.05)
        unknown = self.as_("emil").get(self.url("/law"), {**query, "law": "sideways"})
        self.assertEqual(unknown.status_code, 422)

    def test_hearing_without_is_personal_and_as_loud(self) -> None:
        change = {
            "kind": "place-source",
            "source": "low",
            "pan": 0.9,
            "delay_panning": "far-side",
            "level_share": 0.5,
        }
        self.operate(self.as_("emil"), change)
        revision = self.revision()
        plain, treated = self.heard(solo="low", bypass="low:all"), self.heard(solo="low")
        np.testing.assert_allclose(plain[0], plain[1], atol=1e-6)
        self.assertGreater(np.abs(treated[0] - treated[1]).max(), 0.01)
        self.assertAlmostEqual(
            10 * np.log10(self.power(solo="low", bypass="low:all") / self.power(solo="low")), 0.0, delta=0.2
        )
        self.assertEqual(self.revision(), revision)
        for wrong, status in (("low:colour", 422), ("gone:all", 404), ("low", 422)):
            query = {"revision": revision, "bypass": wrong}
            self.assertEqual(self.as_("emil").get(self.url("/segments/0"), query).status_code, status, wrong)

    def test_a_held_source_leaves_its_sends_behind_and_says_how_it_is_placed(self) -> None:
        self.operate(self.as_("emil"), {"kind": "add-return", "to": {"id": "line", "name": "Line"}})
        send = {"kind": "set-send", "source": "high", "to": "line", "level": 0.0, "place": "opposite"}
        self.operate(self.as_("emil"), send)
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "high", "pan": -1.0})
        query = {"revision": self.revision(), "hand": "high", "solo": "high"}
        content = self.as_("emil").get(self.url("/segments/2"), query).content
        head, audio, _, before = decode(content)
        self.assertEqual(float(np.abs(audio[0]).max()), 0.0)
        self.assertGreater(float(np.abs(audio[1]).max()), 0.2)
        self.assertEqual(before.shape[0], 1)
        self.assertEqual((head["reading"]["weights"], head["reading"]["table"]), ([1.0], "law"))

    def test_a_seating_lands_in_the_render(self) -> None:
        seats = {"low": {"name": "Lead", "pan": -0.5}, "wide": {"name": "Pair", "pan": 0.4, "span": 0.2}}
        change = {"kind": "seat-sources", "seating": "Mine", "seats": seats, "from_players": True}
        self.assertEqual(self.operate(self.as_("emil"), change).status_code, 200)
        left, right = (self.heard(solo="low") ** 2).mean(axis=1)
        self.assertAlmostEqual(10 * np.log10(right / left), 20 * np.log10(0.92388 / 0.38268), delta=0.01)
        source = next(s for s in mix_at(self.session, self.revision()).sources if s.id == "wide")
        self.assertEqual((source.mode, source.pan, source.span), ("span", -0.4, -0.2))
        self.turn(self.as_("emil"), "undo")
        self.assertEqual(self.state()["sources"]["wide"]["mode"], "balance")
