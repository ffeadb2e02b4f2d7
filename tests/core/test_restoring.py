"""Putting a session as it was in part: what comes back, what stays, and loudness matched between two mixes."""

from typing import Any

import numpy as np
from django.test import SimpleTestCase
from hypothesis import assume, given
from hypothesis import strategies as st

from needle.automation.curve import Lane, stored
from needle.balance.loudness_matching import MOST_TRIM_DB, matching_trim
from needle.balance.measuring import measured
from needle.balance.progress import finished
from needle.errors import NeedleError
from needle.metering.overview import Overview
from needle.mix.model import Mix, MixSource
from needle.session.document import (
    GROUP_DEFAULTS,
    LAYER_DEFAULTS,
    RETURN_DEFAULTS,
    SEND_DEFAULTS,
    SOURCE_DEFAULTS,
    empty_document,
)
from needle.session.owners import lane_value
from needle.session.restoring import layers_of, lines_as_they_were, moves_as_they_were, source_as_it_was
from needle.session.validation import check_document
from tests.core.strategies import RATE, lanes, outside_of, tone

START, END = 1.0, 2.0


def document(**lanes_by_key: Lane) -> dict[str, Any]:
    """A session of two sources, one of them in a group, sent to a return and with a layer."""
    result = empty_document("Any", RATE, 4.0)
    for order, key in enumerate(("oars", "gulls")):
        result["sources"][key] = {
            **SOURCE_DEFAULTS, "id": key, "name": key.title(), "colour": 0, "order": order, "asset": "0" * 64,
            "channels": 1, "mode": "pan", "seconds": 4.0,
        }  # fmt: skip
    result["groups"]["band"] = {"id": "band", "name": "Band", **GROUP_DEFAULTS}
    result["returns"]["hull"] = {"id": "hull", "name": "Hull", **RETURN_DEFAULTS}
    result["sends"]["oars/hull"] = {"id": "oars/hull", "source": "oars", "return": "hull", **SEND_DEFAULTS}
    result["layers"]["far"] = {**LAYER_DEFAULTS, "id": "far", "source": "oars", "name": "far"}
    result["sources"]["oars"]["group"] = "band"
    for key, lane in lanes_by_key.items():
        whole = key.replace("__", "/").replace("send_", "send:").replace("layer_", "layer:")
        result["lanes"][whole] = lane_value(whole, stored(lane.points))
    return check_document(result)


def moving(made: dict[str, Any], key: str, times: np.ndarray) -> np.ndarray:
    lane = made["lanes"].get(key)
    points = Lane.of(lane["points"]) if lane else Lane()
    return points.evaluate(times) if points.points else np.zeros_like(times)


PANS = lanes(st.floats(-1.0, 1.0), last=4.0)


class Stretches(SimpleTestCase):
    @given(PANS, PANS)
    def test_inside_it_moves_as_it_did_and_outside_nothing_changes(self, earlier: Lane, present: Lane) -> None:
        then, now = document(oars__pan=earlier, gulls__pan=earlier), document(oars__pan=present, gulls__pan=present)
        mended = moves_as_they_were(now, then, START, END, "oars")
        check_document(mended)
        jumps = np.concatenate([earlier.jumps, present.jumps])
        assume(not (np.abs(jumps - END) < 0.05).any())
        inside = np.linspace(START + 0.006, END - 0.0001, 50)
        outside = outside_of(np.linspace(0.0, 4.0, 200), START, END)
        # Where one jumps the ramp may differ: what it comes from may lie outside.
        calm = inside[np.abs(jumps[:, np.newaxis] - inside).min(axis=0, initial=9.0) > 0.006]
        np.testing.assert_allclose(moving(mended, "oars/pan", calm), moving(then, "oars/pan", calm), atol=1e-6)
        np.testing.assert_allclose(moving(mended, "oars/pan", outside), moving(now, "oars/pan", outside), atol=1e-6)
        self.assertEqual(mended["lanes"]["gulls/pan"], now["lanes"]["gulls/pan"])

    def test_layers_and_sends_move_along_with_their_source(self) -> None:
        up, down = (Lane.of([{"t": 0.0, "value": v}, {"t": 4.0, "value": v}]) for v in (-3.0, -9.0))
        then = document(send_oars__hull__level=up, layer_far__level=up)
        now = document(send_oars__hull__level=down, layer_far__level=down)
        mended = moves_as_they_were(now, then, START, END, "oars")
        for key in ("send:oars/hull/level", "layer:far/level"):
            self.assertAlmostEqual(float(moving(mended, key, np.array([1.5]))[0]), -3.0)
            self.assertAlmostEqual(float(moving(mended, key, np.array([3.0]))[0]), -9.0)
        self.assertEqual(moves_as_they_were(now, then, START, END, "gulls")["lanes"], now["lanes"])


class Sources(SimpleTestCase):
    def test_it_comes_back_with_all_that_belongs_to_it_and_nothing_else(self) -> None:
        level = Lane.of([{"t": 0.0, "value": -3.0}])
        then = document(oars__pan=Lane.of([{"t": 1.0, "value": 0.5}]), layer_far__level=level)
        now = document(gulls__pan=Lane.of([{"t": 1.0, "value": -0.5}]))
        del now["sources"]["oars"], now["sends"]["oars/hull"], now["layers"]["far"], now["groups"]["band"]
        mended = check_document(source_as_it_was(now, then, "oars"))
        self.assertEqual(mended["sources"]["oars"], {**then["sources"]["oars"], "group": ""})
        self.assertEqual(mended["layers"], then["layers"])
        self.assertEqual(mended["lanes"], then["lanes"] | now["lanes"])
        self.assertEqual(layers_of("oars", then["layers"]), {"layer:far"})
        without = {**now, "returns": {}}
        self.assertEqual(check_document(source_as_it_was(without, then, "oars"))["sends"], {})
        with self.assertRaisesMessage(NeedleError, "was not in the session then"):
            source_as_it_was(then, now, "oars")

    def test_what_was_not_there_goes(self) -> None:
        then, now = document(), document(oars__pan=Lane.of([{"t": 1.0, "value": 0.5}]))
        self.assertEqual(source_as_it_was(now, then, "oars"), then)

    def test_lines_as_they_were_are_lanes_or_where_things_stood(self) -> None:
        then = document(oars__pan=Lane.of([{"t": 1.0, "value": 0.5}]))
        now = document()
        now["sources"]["gulls"]["level"] = -6.0
        now["layers"]["far"]["front"] = -1.0
        found = lines_as_they_were(now, then)
        self.assertEqual(found.keys(), {"oars/pan", "gulls/level", "layer:far/front"})
        self.assertEqual([(p["t"], p["value"]) for p in found["oars/pan"]], [(1.0, 0.5)])
        self.assertEqual([p["value"] for p in found["gulls/level"]], [0.0])


class Matching(SimpleTestCase):
    def mix(self, level: float) -> Mix:
        return Mix(RATE, 2.0, (MixSource("a", tone(440.0, 2.0), level=level),))

    @given(st.floats(-30.0, 6.0), st.floats(-30.0, 6.0))
    def test_heard_with_it_both_are_as_loud(self, level: float, wanted: float) -> None:
        trim = finished(matching_trim(self.mix(level), self.mix(wanted), measured))
        self.assertAlmostEqual(trim, float(np.clip(wanted - level, -MOST_TRIM_DB, MOST_TRIM_DB)), delta=0.02)

    def test_silence_has_no_match(self) -> None:
        silent = Mix(RATE, 2.0, ())
        self.assertEqual(finished(matching_trim(silent, self.mix(0.0), measured)), 0.0)
        self.assertIsNotNone(Overview(finished(measured(self.mix(0.0)))).figures()["integrated_lufs"])
