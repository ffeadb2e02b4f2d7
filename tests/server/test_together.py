"""Changes that hang together: undone as one, told in words, and what colleagues changed meanwhile is left to them."""

from typing import Any

import numpy as np

from server.editing.services import replayed
from server.mixsessions.state import stored_document
from tests.server.sessions import SessionCase
from tests.server.test_sound import decode

ROOM = {"id": "r", "kind": "room", "on": True, "settings": {"length": 0.5}}
ECHO = {"id": "e", "kind": "echo", "on": True}


class Together(SessionCase):
    def make(self, who: str, kind: str, **fields: Any) -> dict[str, Any]:
        answer = self.operate(self.as_(who), {"kind": kind, **fields})
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()["revision"]

    def refused(self, kind: str, **fields: Any) -> str:
        answer = self.operate(self.as_("emil"), {"kind": kind, **fields})
        self.assertEqual(answer.status_code, 422, answer.content)
        return answer.json()["detail"]

    def test_all_or_nothing(self) -> None:
        before, revision = self.state(), self.revision()
        good = {"kind": "place-source", "source": "low", "pan": 0.4}
        bad = {"kind": "place-source", "source": "high", "mode": "span"}
        self.refused("batch", summary="half", operations=[good, bad])
        self.assertEqual((self.state(), self.revision()), (before, revision))

    def test_one_undo_takes_all_of_it_back(self) -> None:
        before = self.state()
        self.make(
            "emil",
            "batch",
            summary="A room for two",
            operations=[
                {"kind": "add-return", "to": {"id": "hall", "name": "Hall", "effects": [ROOM]}},
                {"kind": "set-send", "source": "low", "to": "hall", "level": -6, "place": "opposite"},
                {"kind": "set-send", "source": "wide", "to": "hall", "level": -9},
                {"kind": "add-group", "group": {"id": "both", "name": "Both"}, "members": ["low", "wide"]},
                {"kind": "shift-values", "sources": ["low", "high"], "parameter": "level", "by": -3},
            ],
        )
        self.assertEqual(len(self.state()["sends"]), 2)
        self.assertEqual(self.turn(self.as_("emil"), "undo").status_code, 200)
        self.assertEqual(self.state(), before)
        self.assertEqual(self.turn(self.as_("emil"), "redo").status_code, 200)
        self.assertEqual(self.state()["sources"]["low"]["group"], "both")
        self.assertEqual(replayed(self.session), stored_document(self.session))

    def test_undo_leaves_what_a_colleague_has_changed_since(self) -> None:
        self.make("emil", "place-source", source="high", pan=0.2)
        self.make("emil", "flip-sources", sources=["low", "wide"])
        self.make("olga", "place-source", source="wide", swap_channels=False)
        refused = self.turn(self.as_("emil"), "undo")
        self.assertEqual((refused.status_code, refused.json()["partly"]), (409, True))
        answer = self.turn(self.as_("emil"), "undo", partly=True).json()
        self.assertIn("Olga has changed", answer["notice"]["text"])
        sources = self.state()["sources"]
        # The mirror is taken back where it still stands, and nothing that came before it.
        self.assertEqual([sources[key]["swap_channels"] for key in ("low", "wide")], [False, False])
        self.assertEqual([sources["wide"][name] for name in ("pan_left", "pan_right")], [-1.0, 1.0])
        self.assertEqual(sources["high"]["pan"], 0.2)

    def test_different_settings_of_one_effect_do_not_stand_in_each_others_way(self) -> None:
        self.make("emil", "add-return", to={"id": "hall", "name": "Hall", "effects": [ROOM, ECHO]})
        self.make("emil", "set-effect", to="hall", effect="e", settings={"feedback": 0.7})
        self.make("olga", "set-effect", to="hall", effect="e", settings={"beats": 0.5})
        self.make("olga", "set-effect", to="hall", effect="r", on=False)
        self.assertIsNone(self.turn(self.as_("emil"), "undo").json()["notice"])
        room, echo = self.state()["returns"]["hall"]["effects"]
        self.assertEqual((echo["settings"]["feedback"], echo["settings"]["beats"], room["on"]), (0.45, 0.5, False))

    def test_a_return_comes_back_with_what_fed_it(self) -> None:
        self.make("emil", "add-return", to={"id": "hall", "name": "Hall", "effects": [ROOM]})
        self.make("olga", "set-send", source="low", to="hall", level=-6, pre=True)
        before = self.state()
        self.make("emil", "remove-return", to="hall")
        self.assertEqual(self.state()["sends"], {})
        self.turn(self.as_("emil"), "undo")
        self.assertEqual(self.state(), before)

    def test_a_group_taken_apart_puts_its_members_back_where_they_were(self) -> None:
        self.make("emil", "add-group", group={"id": "one", "name": "One"}, members=["low", "high"])
        self.make("emil", "add-group", group={"id": "two", "name": "Two"}, members=["high", "wide"])
        self.turn(self.as_("emil"), "undo")
        groups = {key: value["group"] for key, value in self.state()["sources"].items()}
        self.assertEqual(groups, {"low": "one", "high": "one", "wide": ""})
        self.assertIn("no “two”", self.refused("join-group", source="low", group="two"))

    def test_changes_are_told_in_the_engineers_words(self) -> None:
        self.make("emil", "add-return", to={"id": "hall", "name": "Hall", "effects": [ECHO]})
        for told, kind, fields in (
            ("Low: L31", "place-source", {"source": "low", "pan": -0.31}),
            ("Wide: pan mode sides", "place-source", {"source": "wide", "mode": "sides"}),
            ("Wide: left side L80, width 50%", "place-source", {"source": "wide", "pan_left": -0.8, "width": 0.5}),
            ("Low: level off", "set-level", {"source": "low", "level": -96}),
            ("Low to Hall: -6.0 dB", "set-send", {"source": "low", "to": "hall", "level": -6}),
            ("Low to Hall: tapped before the level", "set-send", {"source": "low", "to": "hall", "pre": True}),
            ("Hall, echo: feedback 0.3", "set-effect", {"to": "hall", "effect": "e", "settings": {"feedback": 0.3}}),
            ("2 sources: place +10", "shift-values", {"sources": ["low", "high"], "parameter": "pan", "by": 0.1}),
            ("Low: level -3.0 dB", "shift-values", {"sources": ["low"], "parameter": "level", "by": -3}),
            ("2 sources: left and right exchanged", "flip-sources", {"sources": ["low", "wide"]}),
            ("Tempo 90 bpm, 1 change", "set-session", {"tempos": [[0, 90], [8, 100]]}),
            ("Centre at 0 dB", "set-session", {"centre_zero": True}),
            ("Low: is now called “Deep”", "rename-source", {"source": "low", "name": "Deep"}),
        ):  # fmt: skip
            with self.subTest(told):
                self.assertIn(told, self.make("emil", kind, **fields)["summary"])

    def test_a_lane_is_shifted_bodily_and_comes_back_exactly(self) -> None:
        points = [{"t": 0.5, "value": -0.9}, {"t": 1.0, "value": 0.3, "shape": "ease"}, {"t": 1.0, "value": 0.95}]
        self.make("emil", "write-points", owner="low", parameter="pan", start=0.0, end=4.0, points=points)
        before = self.state()
        self.make("emil", "shift-values", sources=["low", "high"], parameter="pan", by=0.2)
        moved = [p["value"] for p in self.state()["lanes"]["low/pan"]["points"]]
        np.testing.assert_allclose(moved, [-0.7, 0.5, 1.0])
        self.turn(self.as_("emil"), "undo")
        self.assertEqual(self.state(), before)

    def test_flipped_is_mirrored_in_the_render(self) -> None:
        points = [{"t": 0.0, "value": -0.9}, {"t": 3.0, "value": 0.5}]
        self.make("emil", "write-points", owner="low", parameter="pan", start=0.0, end=4.0, points=points)
        self.make("emil", "place-source", source="wide", pan=0.4, invert_left=True, width=0.3)

        def heard(key: str) -> np.ndarray:
            query = {"revision": self.revision(), "solo": key}
            return decode(self.as_("emil").get(self.url("/segments/3"), query).content)[1]

        before = {key: heard(key) for key in ("low", "wide")}
        self.make("emil", "flip-sources", sources=["low", "wide"])
        for key, sound in before.items():
            np.testing.assert_allclose(heard(key), sound[::-1], atol=1e-6)
