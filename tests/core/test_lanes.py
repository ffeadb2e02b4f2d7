"""Lanes: shapes, jumps, and what a cache may rely on."""

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.automation.curve import RAMP_SECONDS, SHAPES, Lane, Point
from needle.errors import NeedleError
from needle.render.preview_tables import SHAPE_STEPS, shape_tables
from tests.core.strategies import lanes, pans


class Shapes(SimpleTestCase):
    def test_half_way(self) -> None:
        for shape, tension, wanted in (
            ("hold", 0.0, 0.0),
            ("straight", 0.0, 0.25),
            ("ease", 0.0, 3 * 0.25**2 - 2 * 0.25**3),
            ("curve", 0.5, np.expm1(0.75) / np.expm1(3.0)),
            ("curve", 0.0, 0.25),
        ):
            lane = Lane((Point(1.0, 0.0, shape, tension), Point(3.0, 1.0)))
            self.assertAlmostEqual(float(lane.evaluate(1.5)), wanted, msg=shape)

    @given(st.sampled_from(sorted(SHAPES)), st.floats(-1, 1), st.lists(st.floats(0, 1), min_size=2, max_size=2))
    def test_every_shape_only_goes_forward(self, shape: str, tension: float, shares: list[float]) -> None:
        low, high = SHAPES[shape](np.array(sorted(shares)), np.full(2, tension))
        self.assertLessEqual(low, high + 1e-12)
        self.assertTrue(low >= -1e-12 and high <= 1 + 1e-12)

    def test_hand_table_is_the_shape(self) -> None:
        for name, rows in shape_tables()["shapes"].items():
            tensions = np.linspace(-1, 1, len(rows)) if len(rows) > 1 else [0.0]
            for row, tension in zip(rows, tensions, strict=True):
                lane = Lane((Point(0.0, 0.0, name, tension), Point(1.0, 1.0)))
                shares = np.linspace(0, 1, SHAPE_STEPS)[:-1]
                np.testing.assert_allclose(row[:-1], lane.evaluate(shares), atol=1e-12)


class Jumps(SimpleTestCase):
    def test_two_points_at_one_time_ramp_over_5_ms(self) -> None:
        lane = Lane((Point(1.0, 0.0), Point(2.0, 0.0), Point(2.0, 1.0), Point(3.0, 1.0)))
        np.testing.assert_allclose(lane.evaluate([1.9999, 2.0, 2.0025, 2.005, 2.1]), [0, 0, 0.5, 1, 1], atol=1e-9)

    def test_the_end_of_a_hold_is_a_jump(self) -> None:
        lane = Lane((Point(0.0, -1.0, "hold"), Point(1.0, 1.0)))
        np.testing.assert_allclose(lane.evaluate([0.999, 1.0025, 1.006]), [-1, 0, 1], atol=1e-9)

    @given(lanes(pans, most=12))
    def test_never_faster_than_a_ramp_and_never_out_of_reach(self, lane: Lane) -> None:
        t = np.arange(0.0, 1.1, 1 / 48000)
        values = lane.evaluate(t)
        placed = [point.value for point in lane.points]
        self.assertGreaterEqual(values.min(), min(placed) - 1e-9)
        self.assertLessEqual(values.max(), max(placed) + 1e-9)
        for jump in lane._jumps[0]:
            around = lane.evaluate([jump - 1e-9, jump, jump + 1e-9])
            steep = max((b.t - a.t) == 0 or abs(b.value - a.value) / (b.t - a.t) > 1e5 for a, b in _pairs(lane))
            if not steep:
                self.assertLess(np.abs(np.diff(around)).max(), 1e-3)

    @given(lanes(pans))
    def test_before_and_after_the_points_their_values_hold(self, lane: Lane) -> None:
        last = lane.points[-1]
        self.assertEqual(float(lane.evaluate(last.t + RAMP_SECONDS + 1e-9)), last.value)
        if lane.points[0].t > 0:
            self.assertEqual(float(lane.evaluate(-1.0)), lane.points[0].value)


def _pairs(lane: Lane) -> list[tuple[Point, Point]]:
    found = list(zip(lane.points, lane.points[1:], strict=False))
    return found or [(lane.points[0], Point(lane.points[0].t + 1.0, 0.0))]


class Ranges(SimpleTestCase):
    @given(lanes(pans, most=16), st.floats(0, 1), st.floats(0, 1))
    def test_between_decides_the_values_there(self, lane: Lane, one: float, other: float) -> None:
        start, end = sorted((one, other))
        kept = Lane(lane.between(start, end))
        t = np.linspace(start, end, 50)
        np.testing.assert_allclose(kept.evaluate(t), lane.evaluate(t), atol=1e-12)

    @given(lanes(pans, most=16), lanes(pans), st.floats(0, 1), st.floats(0, 1))
    def test_writing_a_range_leaves_the_rest_and_can_be_taken_back(
        self, lane: Lane, fresh: Lane, one: float, other: float
    ) -> None:
        start, end = sorted((one, other))
        points = [p for p in fresh.points if start <= p.t <= end]
        written = lane.with_range(start, end, points)
        outside = [p for p in lane.points if not start <= p.t <= end]
        self.assertEqual([p for p in written.points if not start <= p.t <= end], outside)
        self.assertEqual(written.with_range(start, end, lane.in_range(start, end)), lane)

    def test_bad_points_are_told(self) -> None:
        for wrong in (
            lambda: Point(-1.0, 0.0),
            lambda: Point(0.0, float("nan")),
            lambda: Point(0.0, 0.0, "wobble"),
            lambda: Point(0.0, 0.0, "curve", 2.0),
            lambda: Lane((Point(2.0, 0.0), Point(1.0, 0.0))),
            lambda: Lane((Point(2.0, 0.0),)).with_range(0.0, 1.0, [Point(3.0, 0.0)]),
            lambda: Lane().evaluate(0.0),
        ):
            self.assertRaises(NeedleError, wrong)
