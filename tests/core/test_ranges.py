"""Range operations: nothing outside a stretch changes, and what is done twice or by nothing is as it was."""

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.automation.clips import Clip, clip_of, every_bars, on_passages
from needle.automation.curve import RAMP_SECONDS, SHAPES, Lane, Point
from needle.automation.edits import (
    Delete,
    Draw,
    Hold,
    Mirror,
    MoveInTime,
    Paste,
    Quantise,
    RangeEdit,
    Reverse,
    Shift,
    Smooth,
    Stretch,
    Surroundings,
    Sweep,
    Thin,
    Widen,
    changed,
)
from needle.automation.grid import Grid
from needle.automation.parameters import PARAMETERS
from needle.automation.splice import cut, piece_of, value_before, written
from needle.automation.thinning import thinned
from needle.errors import NeedleError
from needle.tempo import TempoMap
from tests.core.strategies import lanes, outside_of, pans

PAN = PARAMETERS["pan"]
TEMPO = TempoMap(((0.0, 120.0), (2.0, 90.0)), ((1, 4, 4),))
AROUND = Surroundings(PAN, TEMPO, 4.0)
FINE = np.arange(0.0, 4.0, 1 / 4800)

shapes = st.sampled_from(sorted(SHAPES))
ranges = st.tuples(st.floats(0.0, 0.8), st.floats(0.05, 0.8)).map(lambda pair: (pair[0], pair[0] + pair[1]))
edits = st.one_of(
    st.builds(Shift, pans),
    st.builds(Widen, st.floats(0.0, 3.0), pans),
    st.builds(Mirror),
    st.builds(Reverse),
    st.builds(Stretch, st.floats(0.05, 2.0)),
    st.builds(MoveInTime, st.floats(-0.8, 2.0)),
    st.builds(Smooth, st.floats(0.005, 0.5)),
    st.builds(Thin),
    st.builds(Quantise, st.integers(0, 6), st.floats(0.0, 1.0)),
    st.builds(Hold, pans),
    st.builds(Sweep, pans, pans, st.integers(1, 9), shapes, pans),
    st.builds(Delete),
    st.builds(Draw, st.dictionaries(st.floats(0, 2), pans, min_size=1).map(lambda d: tuple(sorted(d.items())))),
)


def values(lane: Lane, times: np.ndarray, static: float = 0.0) -> np.ndarray:
    return lane.evaluate(times) if lane.points else np.full(times.shape, static)


class Cutting(SimpleTestCase):
    @given(lanes(pans, most=12), st.lists(st.floats(0.0, 1.2), min_size=1, max_size=6))
    def test_a_cut_changes_no_value(self, lane: Lane, places: list[float]) -> None:
        made = lane
        for place in places:
            made = cut(made, place)
        np.testing.assert_allclose(made.evaluate(FINE), lane.evaluate(FINE), atol=1e-6)
        self.assertTrue(set(places) <= {p.t for p in made.points})

    @given(lanes(pans, most=12), lanes(pans, most=12))
    def test_what_is_written_makes_one_lane_of_another(self, one: Lane, other: Lane) -> None:
        change = written(one, other)
        if change is None:
            self.assertEqual(one, other)
        else:
            self.assertEqual(one.with_range(*change), other)


class Outside(SimpleTestCase):
    @given(st.one_of(st.just(Lane()), lanes(pans, most=12)), ranges, edits, pans, st.sampled_from([0.0, 0.02]))
    def test_nothing_outside_the_stretch_changes(
        self, lane: Lane, stretch: tuple[float, float], edit: RangeEdit, static: float, glide: float
    ) -> None:
        start, end = stretch
        try:
            made = changed(lane, static, start, end, edit, AROUND, glide)
        except NeedleError as refused:
            self.assertIn("too short", str(refused))
            return
        start, stop = edit.begin(start, end), edit.end(start, end)
        outside = outside_of(FINE, start, stop, lane.jumps)
        np.testing.assert_allclose(values(made, outside), values(lane, outside, static), atol=1e-6)
        inside = values(made, FINE)
        self.assertTrue((inside >= -1.0 - 1e-9).all() and (inside <= 1.0 + 1e-9).all())

    def test_a_stretch_without_time_is_refused(self) -> None:
        for start, end in ((1.0, 1.0), (1.0, 0.5), (1.0, 1.005)):
            with self.assertRaises(NeedleError):
                changed(Lane(), 0.0, start, end, Mirror(), AROUND)


class Composing(SimpleTestCase):
    @given(lanes(pans, most=12), ranges, st.sampled_from([Mirror(), Reverse()]))
    def test_twice_is_as_it_was(self, lane: Lane, stretch: tuple[float, float], edit: RangeEdit) -> None:
        once = changed(lane, 0.0, *stretch, edit, AROUND)
        twice = changed(once, 0.0, *stretch, edit, AROUND)
        # Where a jump was, its ramp may have begun on the other side of it.
        away = np.ones(FINE.shape, dtype=bool)
        for jump in (*lane.jumps, *once.jumps, *twice.jumps, *stretch):
            away &= np.abs(FINE - jump) > 2.1 * RAMP_SECONDS
        np.testing.assert_allclose(twice.evaluate(FINE[away]), lane.evaluate(FINE[away]), atol=1e-6)

    @given(lanes(pans, most=12), ranges)
    def test_pasted_where_it_was_copied_changes_nothing(self, lane: Lane, stretch: tuple[float, float]) -> None:
        clip = clip_of({"pan": (lane, 0.0)}, *stretch)
        made = changed(lane, 0.0, *stretch, Paste(clip.lanes["pan"]), AROUND)
        np.testing.assert_allclose(made.evaluate(FINE), lane.evaluate(FINE), atol=1e-6)

    @given(lanes(pans, most=8), st.floats(1.5, 2.5), st.booleans())
    def test_a_paste_keeps_values_and_shapes(self, lane: Lane, at: float, mirrored: bool) -> None:
        clip = clip_of({"pan": (lane, 0.0)}, 0.0, 1.0)
        made = changed(Lane(), 0.3, at, at + 1.0, Paste(clip.lanes["pan"], mirrored), AROUND)
        away = FINE[(FINE > 0.011) & (FINE < 0.989)]
        clear = np.all([np.abs(away - jump) > 2 * RAMP_SECONDS for jump in lane.jumps] or [away > 0], axis=0)
        sign = -1.0 if mirrored else 1.0
        wanted = sign * lane.evaluate(away[clear])
        np.testing.assert_allclose(made.evaluate(away[clear] + at), wanted, atol=1e-5)
        inner = [p.shape for p in piece_of(lane, 0.0, 1.0) if 0.02 < p.t < 0.98]
        there = [p.shape for p in made.points if at + 0.02 < p.t < at + 0.98]
        self.assertEqual(there, inner)


class Each(SimpleTestCase):
    LANE = Lane((Point(0.0, 0.0), Point(1.0, 0.5), Point(2.0, -0.5), Point(3.0, 0.0)))

    def made(self, edit: RangeEdit, start: float = 1.0, end: float = 2.0, lane: Lane | None = None, **more) -> Lane:
        return changed(self.LANE if lane is None else lane, 0.0, start, end, edit, AROUND, **more)

    def at(self, lane: Lane, *times: float) -> list[float]:
        return [round(float(v), 6) for v in lane.evaluate(np.array(times))]

    def test_shift_jumps_at_its_edges_and_each_jump_belongs_to_what_begins_there(self) -> None:
        made = self.made(Shift(0.25))
        self.assertEqual(self.at(made, 0.999, 1.25, 1.5, 1.75, 1.999, 2.5), [0.4995, 0.5, 0.25, 0.0, -0.249, -0.25])
        self.assertEqual(made.jumps.tolist(), [1.0, 2.0])
        self.assertEqual(self.at(made, 2.005), [-0.4975])

    @given(
        ranges, st.sampled_from([Shift(0.25), Mirror(), Reverse(), Hold(0.9), Sweep(-1.0, 1.0, 3), Delete()]), pans
    )
    def test_from_barline_to_barline_no_point_lies_beside_a_barline(
        self, stretch: tuple[float, float], edit: RangeEdit, static: float
    ) -> None:
        made = changed(Lane(), static, *stretch, edit, AROUND)
        edges = {p.t for p in made.points if min(abs(p.t - at) for at in stretch) < 0.01}
        self.assertLessEqual(edges, set(stretch))

    def test_shift_glides_there_and_back_inside(self) -> None:
        made = self.made(Hold(0.9), glide=0.1)
        self.assertEqual(self.at(made, 1.0, 1.05, 1.5, 1.95, 2.0), [0.5, 0.7, 0.9, 0.2, -0.5])

    def test_widen_about_a_centre(self) -> None:
        self.assertEqual(self.at(self.made(Widen(0.5, 0.5)), 1.5, 1.9), [0.25, 0.05])

    def test_stretch_longer_and_shorter(self) -> None:
        longer = self.made(Stretch(1.5))
        self.assertEqual(self.at(longer, 1.75, 2.4, 3.0), [0.0, -0.433333, 0.0])
        shorter = self.made(Stretch(0.5))
        self.assertEqual(self.at(shorter, 1.25, 1.6, 1.9, 2.5), [0.0, -0.5, -0.5, -0.25])

    def test_moved_later_and_earlier_the_line_waits_and_what_it_comes_upon_gives_way(self) -> None:
        later = self.made(MoveInTime(0.5))
        self.assertEqual(self.at(later, 1.0, 1.4, 1.75, 2.0, 2.25, 2.75), [0.5, 0.5, 0.25, 0.0, -0.25, -0.125])
        earlier = self.made(MoveInTime(-0.5))
        self.assertEqual(self.at(earlier, 0.25, 0.75, 1.0, 1.25, 1.5, 1.9), [0.125, 0.25, 0.0, -0.25, -0.5, -0.5])
        self.assertEqual(self.at(self.made(MoveInTime(-9.0)), 0.5, 1.5), [0.0, -0.5])

    @given(lanes(pans, last=0.9), st.floats(0.1, 2.0))
    def test_moved_there_and_back_it_is_as_it_was(self, lane: Lane, by: float) -> None:
        there = changed(lane, 0.0, 0.0, 1.0, MoveInTime(by), AROUND)
        back = changed(there, 0.0, by, 1.0 + by, MoveInTime(-by), AROUND)
        inside = FINE[FINE < 0.98]
        # Points that stand together to the last digit may fall on one moment elsewhere, and jump there.
        clear = np.all([np.abs(inside - corner) > 2 * RAMP_SECONDS for corner in (0.0, *lane.corners)], axis=0)
        np.testing.assert_allclose(back.evaluate(inside[clear]), lane.evaluate(inside[clear]), atol=1e-5)

    def test_smooth_rounds_a_corner_and_keeps_the_edges(self) -> None:
        corner = Lane((Point(0.0, 0.0), Point(1.0, 0.8), Point(2.0, 0.0)))
        made = self.made(Smooth(0.4), 0.0, 2.0, corner)
        at_corner = self.at(made, 1.0)[0]
        self.assertTrue(0.68 < at_corner < 0.76, at_corner)
        self.assertEqual(self.at(made, 0.0, 2.0), [0.0, 0.0])

    def test_quantise_goes_part_of_the_way(self) -> None:
        late = Lane((Point(0.0, 0.0), Point(0.60, 1.0), Point(2.0, 0.0)))
        for strength, wanted in ((1.0, 0.5), (0.5, 0.55), (0.0, 0.60)):
            made = self.made(Quantise(1, strength), 0.0, 2.0, late)
            self.assertAlmostEqual(next(p.t for p in made.points if p.value == 1.0), wanted)

    def test_a_sweep_arrives_at_the_bar(self) -> None:
        made = self.made(Sweep(-1.0, 1.0, 4, "straight"), 1.0, 3.0, Lane(), stay=True)
        edges = [p.t for p in made.points][1:]
        beats = [TEMPO.beat_at(t) for t in edges]
        np.testing.assert_allclose(np.diff(beats), np.diff(beats)[0], atol=1e-9)
        self.assertEqual([p.value for p in made.points], [0.0, -1.0, 1.0, -1.0, 1.0, -1.0])
        self.assertEqual(edges[-1], 3.0)
        self.assertEqual(self.at(made, 0.9, 3.5), [0.0, -1.0])

    def test_staying_lasts_until_the_next_point(self) -> None:
        made = self.made(Hold(0.9), 1.0, 1.5, stay=True)
        self.assertEqual(self.at(made, 1.4, 1.9, 2.1, 3.0), [0.9, 0.9, -0.45, 0.0])

    def test_a_drawn_line_is_thinned_and_steps_stay_steps(self) -> None:
        wave = tuple((float(t), float(np.sin(t * 3))) for t in np.arange(1.0, 2.0, 0.01))
        made = self.made(Draw(wave))
        self.assertLess(len(made.points), 40)
        np.testing.assert_allclose(self.at(made, 1.2, 1.6), np.sin([3.6, 4.8]), atol=0.011)
        steps = self.made(Draw(((1.0, -1.0), (1.25, 0.0), (1.5, 1.0)), "hold"))
        self.assertEqual(self.at(steps, 1.1, 1.24, 1.4, 1.9, 2.5), [-1.0, -1.0, 0.0, 1.0, -0.25])

    def test_delete_leaves_a_straight_line(self) -> None:
        made = self.made(Delete(), 0.5, 2.5)
        self.assertEqual([p.t for p in made.points], [0.0, 0.5, 2.5, 3.0])
        self.assertEqual(self.at(made, 1.5), [0.0])

    def test_refusals_say_what_can_be_done(self) -> None:
        for make in (
            lambda: Widen(-1.0),
            lambda: Stretch(0.0),
            lambda: Sweep(0.0, 1.0, 0),
            lambda: Sweep(0.0, 1.0, 2, "wobble"),
            lambda: Quantise(2, 1.5),
            lambda: Smooth(0.0),
            lambda: Paste((Point(0.0, 0.0),)),
            lambda: Grid(TEMPO, 4.0, -1),
        ):
            with self.assertRaises(NeedleError):
                make()


class Thinning(SimpleTestCase):
    @given(lanes(pans, most=60), st.sampled_from([0.002, 0.01, 0.1]))
    def test_within_the_grain_and_twice_is_once(self, lane: Lane, grain: float) -> None:
        once = thinned(lane.points, grain)
        self.assertEqual(thinned(once, grain), once)
        away = np.all([np.abs(FINE - jump) > 2 * RAMP_SECONDS for jump in lane.jumps] or [FINE >= 0], axis=0)
        off = np.abs(Lane(once).evaluate(FINE[away]) - lane.evaluate(FINE[away]))
        self.assertLessEqual(off.max(initial=0.0), grain + 1e-9)
        self.assertTrue(set(once) <= set(lane.points))

    def test_a_hand_of_ten_minutes_becomes_few_points(self) -> None:
        times = np.arange(0.0, 600.0, 1 / 60)
        move = np.round(np.sin(times / 3.0), 2)
        raw = [Point(float(t), float(v)) for t, v in zip(times, move, strict=True)]
        kept = thinned(raw, PAN.grain)
        self.assertLess(len(kept), len(raw) / 10)


class Places(SimpleTestCase):
    def test_every_bars_keeps_the_distance_from_the_bar(self) -> None:
        tempo = TempoMap(((0.0, 60.0),), ((1, 4, 4), (3, 3, 4)))
        found = every_bars(tempo, 1.0, 2, 24.0)
        self.assertEqual([one.at for one in found], [9.0, 15.0, 21.0])
        with self.assertRaises(NeedleError):
            every_bars(tempo, 1.0, 0, 24.0)

    def test_on_every_passage_of_a_name(self) -> None:
        rows = [
            {"name": name, "start": start, "end": start + 8.0}
            for name, start in (("Verse", 0.0), ("Landing", 8.0), ("Verse", 16.0), ("Verse", 32.0))
        ]
        tempo = TempoMap(((0.0, 60.0),))
        self.assertEqual([one.at for one in on_passages(tempo, rows, "Verse", 2.0, 60.0)], [18.0, 34.0])
        self.assertEqual([one.at for one in on_passages(tempo, rows, "Landing", 2.0, 60.0)], [10.0])

    def test_a_clip_is_as_many_beats_long_elsewhere(self) -> None:
        lane = Lane((Point(0.0, -1.0), Point(0.5, 1.0)))
        clip = clip_of({"pan": (lane, 0.0)}, 0.0, 0.5)
        slower = clip.at(TEMPO.seconds_at(4.0), TEMPO)
        self.assertAlmostEqual(slower.seconds, 60.0 / 90.0)
        self.assertEqual(clip.at(2.0, TEMPO, by_beats=False).seconds, 0.5)
        self.assertIsInstance(slower, Clip)

    @given(st.floats(0.0, 4.0), st.integers(0, 6))
    def test_the_nearest_line_is_the_nearest(self, at: float, parts: int) -> None:
        grid = Grid(TEMPO, 4.0, parts)
        self.assertAlmostEqual(abs(grid.nearest(at) - at), float(np.abs(grid.lines - at).min()))

    def test_arriving_values(self) -> None:
        lane = Lane((Point(0.0, 0.0, "hold"), Point(1.0, 1.0)))
        self.assertEqual(value_before(lane, 1.0), 0.0)
