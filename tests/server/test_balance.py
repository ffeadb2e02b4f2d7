"""Balance through the API: overview, causes, pairs, counterweights, and ways of listening that are one's own."""

import pickle
import time
from typing import Any
from unittest import mock

import numpy as np

from needle.metering.lean import lean_db
from needle.render.engine import render_audio
from server.media import segments
from server.media.mixes import mix_at
from server.media.shared_mix import SharedMix, pack
from tests.server.sessions import LENGTH
from tests.server.test_sound import Heard

RETURN = {
    "kind": "add-return",
    "to": {
        "id": "room", "name": "Room", "order": 0, "level": 0.0, "muted": False, "pan": 0.0, "width": 1.0,
        "effects": [{"id": "a", "kind": "room", "on": True, "settings": {}}],
    },
}  # fmt: skip


class Balance(Heard):
    def ask(self, path: str, name: str = "lisa", **query: Any) -> dict[str, Any]:
        """Ask until it is done, as the page does."""
        client, until = self.as_(name), time.monotonic() + 60
        while True:
            answer = client.get(self.url(path), {"revision": self.revision(), **query})
            self.assertEqual(answer.status_code, 200, answer.content[:300])
            if answer.json()["done"] >= 1.0:
                return answer.json()
            self.assertLess(time.monotonic(), until, "the work does not end")

    def overview(self, **query: Any) -> dict[str, Any]:
        return self.ask("/balance", **query)["overview"]

    def lean_over(self) -> None:
        """All of it stands somewhat to the right."""
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "high", "pan": 0.5})


class Overviews(Balance):
    def test_lean_of_the_piece_follows_an_edit(self) -> None:
        even = self.overview()
        self.assertEqual(len(even["long"]), round(LENGTH * 10))
        self.assertEqual((even["tolerance_db"], even["tolerance_seconds"]), (1.5, 4.0))
        np.testing.assert_allclose(even["long"], 0.0, atol=1e-3)
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "high", "pan": 1.0})
        leaning = self.overview()
        self.assertGreater(min(leaning["long"]), 1.5)
        (stretch,) = leaning["stretches"]
        self.assertAlmostEqual(stretch["end"] - stretch["start"], LENGTH)
        self.assertEqual(self.overview(tolerance_db=12)["stretches"], [])

    def test_only_what_an_edit_changed_is_measured_again(self) -> None:
        points = [{"t": t, "value": v, "shape": "hold", "tension": 0} for t, v in ((0.0, -0.5), (3.5, 0.5))]
        body = {"kind": "write-points", "owner": "low", "parameter": "pan", "start": 0, "end": 4, "points": points}
        self.operate(self.as_("emil"), body)
        self.overview()
        with mock.patch.object(segments, "measure_between", wraps=segments.measure_between) as measured:
            moved = {**body, "start": 3.5, "end": 3.5, "points": [{**points[1], "value": -1.0}]}
            self.operate(self.as_("emil"), moved)
            self.overview()
        (_, first, last, _) = measured.call_args.args
        self.assertEqual((measured.call_count, last), (1, round(LENGTH * 2)))
        self.assertGreaterEqual(first, 6)

    def test_a_mix_arrives_in_another_process_as_it_left(self) -> None:
        self.operate(self.as_("emil"), RETURN)
        send = {"kind": "set-send", "source": "wide", "to": "room", "level": -6.0}
        self.assertEqual(self.operate(self.as_("emil"), send).status_code, 200)
        mix = mix_at(self.session, self.revision())
        there = pickle.loads(pickle.dumps(SharedMix(mix))).mix
        np.testing.assert_array_equal(render_audio(there, 0, 24000), render_audio(mix, 0, 24000))
        self.assertLess(len(pack(mix)), 20_000)

    def test_a_set_by_itself_and_a_passage(self) -> None:
        self.lean_over()
        alone = self.overview(solo="high", start=1.0, end=2.5)
        left, right = np.cos(0.75 * np.pi / 2), np.sin(0.75 * np.pi / 2)
        wanted = float(lean_db(np.array(left**2), np.array(right**2)))
        self.assertAlmostEqual(alone["figures"]["lean_db"], wanted, delta=0.05)
        self.assertAlmostEqual(alone["long"][20], wanted, delta=0.05)
        self.assertLess(self.overview()["figures"]["lean_db"], wanted)
        loudest = int(np.argmax(alone["bands"]["right"]))
        self.assertAlmostEqual(alone["bands"]["centres"][loudest], 794, delta=230)

    def test_bad_questions_are_told(self) -> None:
        client = self.as_("lisa")
        for query, word in (
            ({"tolerance_db": 0}, "tolerance"),
            ({"tolerance_seconds": 100}, "minute"),
            ({"solo": "low;drop"}, "solo"),
            ({"monitor": "quad"}, "Choose stereo"),
            ({"trial": "low:1"}, "trial"),
            ({"trial": "gone:1:0"}, "not in the session"),
        ):
            answer = client.get(self.url("/balance"), {"revision": self.revision(), **query})
            self.assertEqual(answer.status_code, 422, query)
            self.assertIn(word, answer.json()["detail"])
        backwards = {"revision": self.revision(), "start": 3.0, "end": 1.0}
        self.assertEqual(client.get(self.url("/causes"), backwards).status_code, 422)


class Causes(Balance):
    def test_what_pulls_is_ranked_and_named(self) -> None:
        self.lean_over()
        found = self.ask("/causes", start=1.0, end=3.0)
        self.assertGreater(found["lean"], 0.3)
        first, *others = found["causes"]
        self.assertEqual(first["id"], "high")
        self.assertAlmostEqual(first["without"], 0.0, delta=0.01)
        self.assertAlmostEqual(first["adds"], found["lean"] - first["without"], delta=0.01)
        self.assertTrue(all(one["adds"] <= 0.0 for one in others))

    def test_mono_names_who_cancels(self) -> None:
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "wide", "invert_left": True})
        (worst,) = self.as_("lisa").get(self.url("/mono"), {"revision": self.revision()}).json()
        self.assertEqual((worst["source"], worst["loss"]), ("wide", -60.0))


class Pairs(Balance):
    def test_a_pair_and_its_trim_as_one_change(self) -> None:
        self.operate(self.as_("emil"), {"kind": "set-level", "source": "high", "level": -2.0})
        found = self.ask("/pair", first="low", second="high", start=0.0, end=3.0)["pair"]
        self.assertGreater(found["difference"], 0.5)
        (down, nothing), *_ = found["trims"]
        self.assertEqual(nothing, 0.0)
        shift = {"kind": "shift-values", "sources": ["low"], "parameter": "level", "by": down}
        self.operate(self.as_("emil"), shift)
        again = self.ask("/pair", first="low", second="high", start=0.0, end=3.0)["pair"]
        self.assertLessEqual(abs(again["difference"]), 0.26)
        self.assertEqual(again["trims"], [])

    def test_a_pair_of_one_is_refused(self) -> None:
        query = {"revision": self.revision(), "first": "low", "second": "low"}
        answer = self.as_("lisa").get(self.url("/pair"), query)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("both sides", answer.json()["detail"])


class Counterweights(Balance):
    def test_foretold_heard_and_applied_are_the_same(self) -> None:
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "high", "pan": 1.0})
        found = self.ask("/counterweight", givers="high:6:1,low:3:0.25")["counterweight"]
        self.assertTrue(found["reached"])
        self.assertEqual(found["stretches"], [])
        self.assertGreater(found["before"], 1.5)
        trial = ",".join(f"{c['source']}:{c['level']}:{c['place']}" for c in found["changes"])
        b = self.whole(trial=trial)
        operations = []
        for change in found["changes"]:
            for parameter, by in (("level", change["level"]), ("pan", change["place"])):
                if by:
                    body = {"kind": "shift-values", "sources": [change["source"]], "parameter": parameter, "by": by}
                    operations.append(body)
        before = self.state()
        self.operate(self.as_("emil"), {"kind": "batch", "summary": "Counterweight", "operations": operations})
        np.testing.assert_array_equal(self.whole(), b)
        after = self.overview()
        self.assertEqual(after["stretches"], [])
        np.testing.assert_allclose(after["long"], found["long"], atol=2e-3)
        self.turn(self.as_("emil"), "undo")
        self.assertEqual(self.state(), before)

    def test_b_is_as_loud_as_a(self) -> None:
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "high", "pan": 1.0})
        found = self.ask("/counterweight", givers="high:6:0")["counterweight"]
        (change,) = found["changes"]
        trial = f"high:{change['level']}:{change['place']}"
        loud = [
            self.overview(**how)["figures"]["integrated_lufs"]
            for how in ({}, {"trial": trial, "trim": found["trim"]})
        ]
        self.assertAlmostEqual(*loud, delta=0.1)
        self.assertNotEqual(found["trim"], 0.0)

    def test_what_cannot_be_worked_out_is_told(self) -> None:
        client = self.as_("lisa")
        for query, word in (
            ({"givers": "low:3"}, "source:dB:position"),
            ({"givers": "low:30:0.1"}, "12 dB"),
            ({"givers": "gone:3:0.1", "end": 3.0}, "not in the session"),
            ({"givers": "low:3:0.1"}, "stays within the tolerance"),
        ):
            answer = client.get(self.url("/counterweight"), {"revision": self.revision(), **query})
            until = time.monotonic() + 30
            while answer.status_code == 200 and time.monotonic() < until:
                answer = client.get(self.url("/counterweight"), {"revision": self.revision(), **query})
            self.assertEqual(answer.status_code, 422, query)
            self.assertIn(word, answer.json()["detail"])


class Monitoring(Balance):
    def test_ways_of_listening_are_ones_own(self) -> None:
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "high", "pan": 1.0})
        left, right = self.whole()
        mono = self.whole(monitor="mono")
        np.testing.assert_allclose(mono, np.tile((left + right) / 2, (2, 1)), atol=1e-7)
        np.testing.assert_array_equal(self.whole(), [left, right])
        np.testing.assert_allclose(self.whole(monitor="swap"), [right, left], atol=1e-7)

    def test_meters_and_pictures_show_what_sounds(self) -> None:
        head, audio, meters, _ = self.hear(self.as_("lisa"), 4, monitor="difference", solo="low")
        self.assertLess(np.abs(audio).max(), 1e-6)
        self.assertTrue(np.isnan(meters[:, head["columns"].index("lean_long")]).all())
        head, _, meters, _ = self.hear(self.as_("lisa"), 4, solo="high", monitor="left")
        self.assertTrue((meters[:, head["columns"].index("lean_long")] == -60.0).all())
        self.assertEqual((head["spectra"], len(head["notches"])), (5, 5))

    def test_a_held_source_comes_with_the_listeners_matrix(self) -> None:
        head, rest, _, before = self.hear(self.as_("emil"), 3, hand="low", monitor="mono")
        self.assertEqual(head["reading"]["monitor"], [[0.5, 0.5], [0.5, 0.5]])
        mono = self.hear(self.as_("emil"), 3, monitor="mono")[1]
        np.testing.assert_allclose(rest + np.sqrt(0.5) * before, mono, atol=1e-6)
