"""Moves through the API: drafts, pasting, takes, what can be automated, and hearing one against another."""

from typing import Any

import numpy as np

from needle.automation.curve import Lane
from needle.io.audio import write_audio
from server.editing.models import Draft
from server.editing.operations.sources import AddSource
from server.media.assets import store_asset
from tests.server.sessions import LENGTH, RATE, source
from tests.server.test_sound import Heard

PAN = {"owner": "low", "parameter": "pan"}


def point(t: float, value: float, shape: str = "straight") -> dict[str, Any]:
    return {"t": t, "value": value, "shape": shape, "tension": 0.0}


class Moves(Heard):
    def setUp(self) -> None:
        super().setUp()
        self.emil = self.as_("emil")

    def asked(self, path: str, body: dict[str, Any], status: int = 200, **about: Any) -> Any:
        answer = self.post(self.emil, f"/moves/{path}", {"revision": self.revision(), **body, **about})
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json()

    def edit(self, start: float, end: float, edit: dict[str, Any], lanes: Any = None, **about: Any) -> Any:
        return self.asked("edit", {"lanes": lanes or [PAN], "start": start, "end": end, "edit": edit}, **about)

    def apply(self, draft: dict[str, Any]) -> None:
        operations = [{"kind": "write-points", **write} for write in draft["writes"]]
        body = {"kind": "batch", "summary": draft["summary"], "operations": operations}
        self.assertEqual(self.operate(self.emil, body).status_code, 200)

    def write(self, *points: dict[str, Any], lane: dict[str, str] = PAN) -> None:
        body = {"kind": "write-points", **lane, "start": 0.0, "end": LENGTH, "points": list(points)}
        self.assertEqual(self.operate(self.emil, body).status_code, 200)

    def lane(self, key: str = "low/pan") -> Lane:
        return Lane.of(self.state()["lanes"][key]["points"])


class Drafts(Moves):
    def test_a_draft_changes_nothing_until_it_is_applied(self) -> None:
        self.write(point(0.0, -0.5), point(4.0, 0.5))
        before = self.lane()
        draft = self.edit(1.0, 2.0, {"kind": "mirror"})
        self.assertEqual(self.lane(), before)
        self.assertEqual(draft["summary"], "Low: bar 1 mirrored")
        self.apply(draft)
        after = self.lane()
        np.testing.assert_allclose(after.evaluate([0.5, 1.5, 3.0]), [-0.375, 0.125, 0.25], atol=1e-9)
        self.turn(self.emil, "undo")
        self.assertEqual(self.lane(), before)

    def test_a_colleague_elsewhere_on_the_lane_loses_nothing(self) -> None:
        self.write(point(0.0, 0.0), point(4.0, 0.0))
        draft = self.edit(0.5, 1.5, {"kind": "hold", "value": -0.8})
        theirs = {"kind": "write-points", **PAN, "start": 3.0, "end": 3.5, "points": [point(3.2, 0.9)]}
        self.operate(self.as_("olga"), theirs)
        self.apply(draft)
        np.testing.assert_allclose(self.lane().evaluate([1.0, 3.2]), [-0.8, 0.9])
        self.turn(self.emil, "undo")
        np.testing.assert_allclose(self.lane().evaluate([1.0, 3.2]), [0.9 / 3.2, 0.9], atol=1e-9)

    def test_a_draft_is_heard_before_it_is_applied_by_nobody_else(self) -> None:
        draft = self.edit(0.0, 4.0, {"kind": "hold", "value": 0.9}, stay=True)
        drafted = self.segment(3, moves=f"draft={draft['id']}")
        plain = self.segment(3)
        self.assertGreater(np.abs(drafted - plain).max(), 0.05)
        self.apply(draft)
        np.testing.assert_array_equal(self.segment(3), drafted)

    def test_a_lane_is_heard_without_and_as_it_was(self) -> None:
        plain = self.segment(3)
        self.write(point(0.0, -0.9))
        earlier = self.revision()
        first = self.segment(3)
        self.write(point(0.0, 0.9))
        np.testing.assert_array_equal(self.segment(3, moves="low/pan=none"), plain)
        np.testing.assert_array_equal(self.segment(3, moves=f"low/pan={earlier}"), first)
        changes = self.emil.get(self.url("/moves/history"), PAN).json()
        self.assertEqual([one["revision"] for one in changes], [earlier + 1, earlier])
        there = self.emil.get(self.url("/moves/lane"), {**PAN, "revision": earlier}).json()
        self.assertEqual([p["value"] for p in there], [-0.9])

    def segment(self, index: int, **query: Any) -> np.ndarray:
        return self.hear(self.emil, index, **query)[1]

    def test_both_sides_cross_each_other(self) -> None:
        self.operate(self.emil, {"kind": "place-source", "source": "wide", "mode": "sides"})
        sides = [{"owner": "wide", "parameter": name} for name in ("pan_left", "pan_right")]
        sweep = {"kind": "sweep", "from_value": -1.0, "to_value": 1.0, "shape": "straight"}
        self.apply(self.edit(1.0, 3.0, sweep, [sides[0], {**sides[1], "mirrored": True}]))
        for name, sign in (("pan_left", 1), ("pan_right", -1)):
            np.testing.assert_allclose(
                self.lane(f"wide/{name}").evaluate([1.5, 2.0, 2.5]), np.array([-0.5, 0, 0.5]) * sign
            )

    def test_refusals(self) -> None:
        for body, word in (
            ({"lanes": [PAN], "start": 1.0, "end": 1.001, "edit": {"kind": "mirror"}}, "too short"),
            ({"lanes": [PAN], "start": 2.0, "end": 1.0, "edit": {"kind": "mirror"}}, "end after"),
            ({"lanes": [{**PAN, "owner": "gone"}], "start": 1.0, "end": 2.0, "edit": {"kind": "mirror"}}, "gone"),
            (
                {"lanes": [{**PAN, "parameter": "colour"}], "start": 1, "end": 2, "edit": {"kind": "mirror"}},
                "automated",
            ),
            ({"lanes": [PAN], "start": 1.0, "end": 2.0, "edit": {"kind": "shake"}}, "kind"),
            ({"lanes": [PAN], "start": 1.0, "end": 2.0, "edit": {"kind": "widen", "factor": -1}}, "Scale"),
        ):
            self.assertIn(word, self.asked("edit", body, 422)["detail"])
        query = {"revision": self.revision(), "moves": "draft=00000000-0000-0000-0000-000000000000"}
        self.assertEqual(self.emil.get(self.url("/segments/0"), query).status_code, 404)

    def test_only_the_latest_previews_are_kept(self) -> None:
        for value in np.linspace(-1, 1, 7):
            self.edit(1.0, 2.0, {"kind": "hold", "value": float(value)})
        self.assertEqual(Draft.objects.filter(kind="preview").count(), 4)


class Pasting(Moves):
    def test_a_move_is_pasted_mirrored_on_another_source(self) -> None:
        self.write(point(0.0, 0.0), point(0.5, -1.0, "ease"), point(1.0, 0.0))
        clip = self.asked("clip", {"lanes": [PAN], "start": 0.0, "end": 1.0})
        targets = [{"owner": "high", "at": at} for at in (1.5, 3.0)]
        draft = self.asked("paste", {"clip": clip, "targets": targets, "mirrored": True})
        self.assertEqual(len(draft["writes"]), 2)
        self.apply(draft)
        lane = self.lane("high/pan")
        np.testing.assert_allclose(
            lane.evaluate([1.0, 1.75, 2.0, 2.25, 2.75, 3.5, 3.75]), [0, 0.5, 1, 0.5, 0, 1, 0.5]
        )
        self.assertEqual([p.shape for p in lane.points if p.value == 1.0], ["ease", "ease"])

    def test_a_move_of_something_that_a_source_has_not_is_refused(self) -> None:
        clip = self.asked("clip", {"lanes": [PAN], "start": 0.0, "end": 1.0})
        self.operate(self.emil, {"kind": "place-source", "source": "wide", "mode": "sides"})
        refused = self.asked("paste", {"clip": clip, "targets": [{"owner": "wide", "at": 1.0}]}, 422)
        self.assertIn("Wide has the pan mode", refused["detail"])

    def test_a_move_goes_to_another_line_of_the_same_kind_and_to_no_other(self) -> None:
        self.write(point(0.0, 0.0), point(0.5, -1.0), point(1.0, 0.0))
        self.operate(self.emil, {"kind": "place-source", "source": "wide", "mode": "sides"})
        clip = self.asked("clip", {"lanes": [PAN], "start": 0.0, "end": 1.0})
        paste = {"clip": clip, "targets": [{"owner": "wide", "at": 2.0}]}
        draft = self.asked("paste", {**paste, "onto": {"pan": "pan_right"}})
        self.assertEqual([one["parameter"] for one in draft["writes"]], ["pan_right"])
        self.apply(draft)
        np.testing.assert_allclose(self.lane("wide/pan_right").evaluate([2.25, 2.5]), [-0.5, -1.0])
        for onto, word in (({"pan": "level"}, "same kind"), ({"level": "level"}, "was not copied")):
            self.assertIn(word, self.asked("paste", {**paste, "onto": onto}, 422)["detail"])

    def test_where_to_paste(self) -> None:
        def places(**wanted: Any) -> list[float]:
            query = {"revision": self.revision(), "start": 0.25, "end": 0.6, **wanted}
            answer = self.as_("lisa").get(self.url("/moves/places"), query)
            self.assertEqual(answer.status_code, 200, answer.content[:300])
            return [one["at"] for one in answer.json()]

        self.assertEqual(places(kind="bars", every=1), [2.25])
        self.operate(self.emil, {"kind": "add-passage", "id": "again", "name": "First", "start": 5, "end": 7})
        self.assertEqual(places(kind="passages", name="First"), [2.75])
        t = np.arange(round(0.2 * RATE)) / RATE
        struck = np.zeros((1, round(LENGTH * RATE)), np.float32)
        for at in (0.3, 1.4, 2.9):
            first = round(at * RATE)
            struck[0, first : first + len(t)] = 0.5 * np.sin(2 * np.pi * 600 * t) * np.exp(-20 * t)
        path = self.data / "bell.wav"
        write_audio(path, struck, RATE)
        values = source("bell", store_asset(path, RATE), 3, start=0.5)
        self.submit("olga", AddSource.model_validate({"source": values}))
        query = {"revision": self.revision(), "start": 0.75, "end": 1.1}
        result = self.emil.get(self.url("/sources/bell/occurrences"), query).json()
        np.testing.assert_allclose([place["at"] for place in result], [1.85, 3.35], atol=0.01)


class Takes(Moves):
    def take(self, mode: str = "touch", **about: Any) -> Any:
        samples = [[1.0 + i / 50, -i / 50] for i in range(50)]
        controls = [{**PAN, "holds": [{"samples": samples, "end": 2.0}]}]
        body = {"start": 0.5, "end": 3.5, "mode": mode, "glide": 0.25, "controls": controls}
        return self.asked("takes", {**body, **about})

    def test_a_take_is_thinned_kept_and_applied_by_choice(self) -> None:
        first, second = self.take(), self.take("latch")
        self.assertEqual(first["samples"], 50)
        self.assertLess(len(first["writes"][0]["points"]), 8)
        self.assertNotIn("low/pan", self.state()["lanes"])
        mine = self.emil.get(self.url("/moves/takes")).json()
        self.assertEqual([one["id"] for one in mine], [second["id"], first["id"]])
        self.assertEqual(self.as_("olga").get(self.url("/moves/takes")).json(), [])
        self.apply(first)
        np.testing.assert_allclose(self.lane().evaluate([0.9, 1.5, 2.3]), [0.0, -0.5, 0.0], atol=0.011)
        address = self.url(f"/moves/takes/{second['id']}")
        self.assertEqual(self.as_("olga").delete(address).status_code, 404)
        self.assertEqual(self.emil.delete(address).status_code, 204)
        self.assertEqual(len(self.emil.get(self.url("/moves/takes")).json()), 1)

    def test_what_a_colleague_does_between_two_touches_stays(self) -> None:
        holds = [{"samples": [[at, 0.8]], "end": at + 0.2} for at in (0.6, 3.0)]
        take = self.take(controls=[{**PAN, "holds": holds}])
        theirs = {"kind": "write-points", **PAN, "start": 1.5, "end": 2.5, "points": [point(2.0, -0.9)]}
        self.operate(self.as_("olga"), theirs)
        self.apply(take)
        np.testing.assert_allclose(self.lane().evaluate([0.7, 2.0, 3.1]), [0.8, -0.9, 0.8], atol=1e-6)

    def test_both_sides_are_two_controls_of_one_take(self) -> None:
        self.operate(self.emil, {"kind": "place-source", "source": "wide", "mode": "sides"})
        controls = [
            {"owner": "wide", "parameter": name, "holds": [{"samples": [[1.0, start], [2.0, -start]], "end": 2.0}]}
            for name, start in (("pan_left", -1.0), ("pan_right", 1.0))
        ]
        take = self.take(controls=controls)
        self.apply(take)
        for name, start in (("pan_left", -1.0), ("pan_right", 1.0)):
            np.testing.assert_allclose(
                self.lane(f"wide/{name}").evaluate([1.0, 1.5, 1.99]), [start, 0, -start], atol=0.03
            )


class Automated(Moves):
    """Lanes of everything that can be automated, switched off and on, and gone and back with what they belong to."""

    def setUp(self) -> None:
        super().setUp()
        effects = [{"id": "e", "kind": "echo", "on": True, "settings": {}}]
        self.operate(self.emil, {"kind": "add-return", "to": {"id": "hall", "name": "Hall", "effects": effects}})
        self.operate(
            self.emil, {"kind": "set-send", "source": "low", "to": "hall", "level": 0.0, "place": "own", "pan": 0.5}
        )
        self.operate(self.emil, {"kind": "add-group", "group": {"id": "all", "name": "All"}, "members": ["low"]})

    def heard(self, index: int = 4, **query: Any) -> np.ndarray:
        return self.hear(self.emil, index, **query)[1]

    def test_each_of_them_is_heard(self) -> None:
        for lane, value in (
            ({"owner": "low", "parameter": "trim"}, -6.0),
            ({"owner": "group:all", "parameter": "level"}, -6.0),
            ({"owner": "return:hall", "parameter": "pan"}, 0.8),
            ({"owner": "return:hall", "parameter": "width"}, 0.0),
            ({"owner": "send:low/hall", "parameter": "level"}, -12.0),
            ({"owner": "send:low/hall", "parameter": "pan"}, -1.0),
        ):
            with self.subTest(lane):
                before = self.heard()
                self.operate(self.emil, {"kind": "set-return", "to": "hall", "pan": 0.3})
                before = self.heard()
                self.write(point(0.0, value), lane=lane)
                moved = self.heard()
                self.assertGreater(np.abs(moved - before).max(), 0.005)
                switch = {"kind": "switch-lane", **lane, "on": False}
                self.assertEqual(self.operate(self.emil, switch).status_code, 200)
                np.testing.assert_array_equal(self.heard(), before)
                self.turn(self.emil, "undo")
                np.testing.assert_array_equal(self.heard(), moved)
                self.write(lane=lane)

    def test_a_send_that_is_off_is_opened_by_its_lane(self) -> None:
        self.operate(self.emil, {"kind": "set-send", "source": "low", "to": "hall", "level": -96.0})
        closed = self.heard()
        lane = {"owner": "send:low/hall", "parameter": "level"}
        self.write(point(0.0, -96.0, "hold"), point(1.0, 0.0), lane=lane)
        self.assertGreater(np.abs(self.heard() - closed).max(), 0.01)
        np.testing.assert_array_equal(self.heard(1), self.heard(1, moves="send:low/hall/level=none"))

    def test_what_a_hand_holds_is_heard_as_if_it_were_set(self) -> None:
        for control, change in (
            ("send:low/hall.level=-20.5", {"kind": "set-send", "source": "low", "to": "hall", "level": -20.5}),
            ("return:hall.pan=-0.75", {"kind": "set-return", "to": "hall", "pan": -0.75}),
            ("low.pan=0.625,low.level=-9", {"kind": "batch", "summary": "Low", "operations": [
                {"kind": "place-source", "source": "low", "pan": 0.625},
                {"kind": "set-level", "source": "low", "level": -9.0},
            ]}),
        ):  # fmt: skip
            with self.subTest(control):
                before, revision = self.heard(), self.revision()
                held = self.heard(held=control)
                self.assertGreater(np.abs(held - before).max(), 0.005)
                np.testing.assert_array_equal(self.heard(), before)
                self.assertEqual(self.revision(), revision)
                self.assertEqual(self.operate(self.emil, change).status_code, 200)
                np.testing.assert_array_equal(self.heard(), held)

    def test_what_is_held_in_place_of_a_lane_is_heard_until_it_is_let_go(self) -> None:
        self.write(point(0.0, -0.9), point(4.0, 0.9))
        moving = self.heard()
        held = self.heard(held="low.pan=0.5")
        np.testing.assert_array_equal(self.heard(), moving)
        self.write()
        self.operate(self.emil, {"kind": "place-source", "source": "low", "pan": 0.5})
        np.testing.assert_array_equal(self.heard(), held)

    def test_a_hand_on_what_is_gone_changes_nothing_and_one_that_is_nonsense_is_refused(self) -> None:
        np.testing.assert_array_equal(self.heard(held="gone.pan=0.5,low.pan=99"), self.heard())
        answer = self.emil.get(self.url("/segments/3"), {"revision": self.revision(), "held": "low.pan=much"})
        self.assertEqual(answer.status_code, 422)

    def test_the_trim_leaves_the_level_to_be_set(self) -> None:
        self.write(point(0.0, -6.0), lane={"owner": "low", "parameter": "trim"})
        quiet = self.heard(solo="low")
        self.operate(self.emil, {"kind": "set-level", "source": "low", "level": 6.0})
        np.testing.assert_allclose(self.heard(solo="low"), quiet * 10**0.3, atol=1e-6)

    def test_lanes_go_and_come_back_with_what_they_belong_to(self) -> None:
        lanes = [
            {"owner": "group:all", "parameter": "level"},
            {"owner": "return:hall", "parameter": "pan"},
            {"owner": "send:low/hall", "parameter": "level"},
            {"owner": "low", "parameter": "trim"},
        ]
        for lane in lanes:
            self.write(point(1.0, -0.5), lane=lane)
        self.operate(self.emil, {"kind": "switch-lane", **lanes[2], "on": False})
        before = self.state()
        self.assertEqual(before["sends"]["low/hall"]["return"], "hall")
        self.assertTrue(before["lanes"]["send:low/hall/level"]["off"])
        for gone in (
            {"kind": "remove-group", "group": "all"},
            {"kind": "remove-return", "to": "hall"},
            {"kind": "remove-source", "source": "low"},
            {"kind": "remove-send", "source": "low", "to": "hall"},
        ):
            with self.subTest(gone["kind"]):
                self.assertEqual(self.operate(self.emil, gone).status_code, 200)
                self.assertLess(len(self.state()["lanes"]), len(before["lanes"]))
                self.turn(self.emil, "undo")
                self.assertEqual(self.state(), before)

    def test_a_line_is_made_static_where_it_stands(self) -> None:
        for lane, part, key in (
            ({"owner": "low", "parameter": "pan"}, "sources", "low"),
            ({"owner": "low", "parameter": "trim"}, "sources", "low"),
            ({"owner": "group:all", "parameter": "level"}, "groups", "all"),
            ({"owner": "return:hall", "parameter": "width"}, "returns", "hall"),
            ({"owner": "send:low/hall", "parameter": "level"}, "sends", "low/hall"),
        ):
            with self.subTest(lane):
                self.write(point(0.0, 0.0, "ease"), point(4.0, 0.5), lane=lane)
                before = self.state()
                body = {"kind": "set-fixed-value", **lane, "at": 1.0}
                self.assertEqual(self.operate(self.emil, body).status_code, 200)
                after = self.state()
                self.assertNotIn(f"{lane['owner']}/{lane['parameter']}", after["lanes"])
                self.assertAlmostEqual(after[part][key][lane["parameter"]], 0.5 * (3 / 16 - 2 / 64), places=9)
                self.turn(self.emil, "undo")
                self.assertEqual(self.state(), before)

    def test_a_hand_that_holds_the_level_gets_the_source_without_it(self) -> None:
        self.operate(self.emil, {"kind": "set-level", "source": "low", "level": -6.0})
        self.write(point(0.0, -3.0), lane={"owner": "low", "parameter": "trim"})
        held = self.hear(self.emil, 2, hand="low")[3]
        free = self.hear(self.emil, 2, hand="low", free=True)[3]
        np.testing.assert_allclose(held, free * 10 ** (-9.0 / 20.0), atol=1e-6)

    def test_a_waveform_is_as_long_as_its_source(self) -> None:
        result = self.as_("lisa").get(self.url("/sources/wide/waveform"), {"revision": self.revision()}).json()
        self.assertEqual([len(row) for row in result["channels"]], [LENGTH * result["per_second"]] * 2)
        self.assertEqual(max(result["channels"][0]), 255)
