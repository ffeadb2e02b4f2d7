"""Recording moves: scripted hands give exactly the lanes that each way of recording promises."""

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.automation.curve import Lane, Point
from needle.automation.occurrences import occurrences
from needle.automation.parameters import PARAMETERS
from needle.automation.recording import MODES, Hold, Pass, recorded
from needle.errors import NeedleError
from tests.core.strategies import RATE, lanes, outside_of, pans

PAN = PARAMETERS["pan"]
FINE = np.arange(0.0, 8.0, 1 / 2400)
RISING = Lane((Point(0.0, -0.5), Point(8.0, 0.5)))


def hand(start: float, end: float, low: float, high: float, rate: float = 60.0) -> Hold:
    """A hand that goes evenly from one value to another."""
    times = np.linspace(start, end, max(round((end - start) * rate), 2))
    values = np.linspace(low, high, len(times))
    return Hold(tuple((float(t), float(v)) for t, v in zip(times, values, strict=True)), end)


@st.composite
def passes(draw) -> Pass:
    """A pass with up to three holds that move anywhere."""
    edges = sorted(draw(st.lists(st.integers(10, 500), min_size=2, max_size=6, unique=True)))
    holds = []
    for start, end in zip(edges[::2], edges[1::2], strict=False):
        values = draw(st.lists(pans, min_size=1, max_size=6))
        times = np.linspace(start / 100, end / 100, len(values) + 1)[:-1]
        holds.append(Hold(tuple((float(t), v) for t, v in zip(times, values, strict=True)), end / 100))
    return Pass(0.05, 5.2, tuple(holds))


class Scripted(SimpleTestCase):
    def recorded(self, mode: str, run: Pass, glide: float = 0.25, lane: Lane = RISING) -> Lane:
        return recorded(lane, 0.0, run, mode, PAN, glide)

    def check(self, lane: Lane, wanted: dict[float, float]) -> None:
        found = lane.evaluate(np.array(list(wanted)))
        np.testing.assert_allclose(found, list(wanted.values()), atol=PAN.grain + 1e-9, err_msg=str(lane.points))

    def test_touch_writes_while_held_and_glides_back(self) -> None:
        made = self.recorded("touch", Pass(1.0, 6.0, (hand(2.0, 3.0, 0.0, 0.8),)), glide=0.5)
        there = float(RISING.evaluate(3.5))
        self.check(made, {2.01: 0.008, 2.5: 0.4, 3.0: 0.8, 3.25: (0.8 + there) / 2, 3.5: there})
        outside = outside_of(FINE, 2.0, 3.5)
        np.testing.assert_allclose(made.evaluate(outside), RISING.evaluate(outside), atol=1e-9)
        self.assertLess(len(made.points), 8)

    def test_touch_held_again_before_it_is_back(self) -> None:
        made = self.recorded("touch", Pass(1.0, 6.0, (hand(2.0, 3.0, 0.8, 0.8), hand(3.1, 4.0, -0.8, -0.8))))
        self.check(made, {2.5: 0.8, 3.12: -0.8, 3.9: -0.8, 4.25: float(RISING.evaluate(4.25))})

    def test_latch_goes_on_until_the_pass_ends(self) -> None:
        made = self.recorded("latch", Pass(1.0, 6.0, (hand(2.0, 3.0, 0.0, 0.8), hand(4.0, 4.5, -0.2, -0.4))))
        self.check(made, {2.5: 0.4, 3.9: 0.8, 4.25: -0.3, 5.9: -0.4})
        outside = outside_of(FINE, 2.0, 6.0)
        np.testing.assert_allclose(made.evaluate(outside), RISING.evaluate(outside), atol=1e-9)

    def test_write_overwrites_the_whole_pass(self) -> None:
        made = self.recorded("write", Pass(1.0, 6.0, (hand(2.0, 3.0, 0.0, 0.8),)))
        begins = float(RISING.evaluate(1.0))
        self.check(made, {1.1: begins, 1.9: begins, 2.5: 0.4, 5.9: 0.8})
        untouched = self.recorded("write", Pass(1.0, 6.0, ()))
        self.check(untouched, {1.1: begins, 5.9: begins, 6.5: float(RISING.evaluate(6.5))})

    def test_trim_adds_to_what_is_there(self) -> None:
        bent = Lane((Point(0.0, -0.5, "ease"), Point(4.0, 0.3), Point(8.0, 0.0)))
        made = self.recorded("trim", Pass(1.0, 6.0, (hand(2.0, 5.0, 0.2, 0.2),)), glide=0.5, lane=bent)
        wanted = {t: float(bent.evaluate(t)) + 0.2 for t in (2.1, 3.0, 3.9, 4.1, 4.9)}
        self.check(made, {**wanted, 5.25: float(bent.evaluate(5.25)) + 0.1, 5.5: float(bent.evaluate(5.5))})

    def test_what_never_moved_by_hand_is_not_written(self) -> None:
        for mode in ("touch", "latch", "trim"):
            self.assertEqual(self.recorded(mode, Pass(1.0, 6.0, ())), RISING)

    def test_a_source_that_did_not_move_gets_a_lane(self) -> None:
        made = recorded(Lane(), 0.3, Pass(1.0, 6.0, (hand(2.0, 3.0, 0.0, 0.8),)), "touch", PAN)
        self.check(made, {1.0: 0.3, 2.5: 0.4, 3.25: 0.3, 7.0: 0.3})

    def test_the_shortest_touch_anywhere_is_written(self) -> None:
        for start in np.arange(0.01, 7.9, 0.37):
            run = Pass(0.0, 8.0, (Hold(((float(start), 0.5),), float(start) + 0.001),))
            made = self.recorded("touch", run, glide=0.0, lane=Lane())
            self.assertAlmostEqual(float(made.evaluate(start + 0.01)), 0.5)

    def test_refusals(self) -> None:
        for make in (
            lambda: Hold((), 1.0),
            lambda: Hold(((1.0, 0.0), (0.5, 0.0)), 2.0),
            lambda: Hold(((1.0, float("nan")),), 2.0),
            lambda: Pass(2.0, 1.0, ()),
            lambda: Pass(1.0, 4.0, (hand(2.0, 3.0, 0, 1), hand(2.5, 3.5, 0, 1))),
            lambda: Pass(1.0, 2.5, (hand(2.0, 3.0, 0, 1),)),
            lambda: self.recorded("overdub", Pass(1.0, 2.0, ())),
            lambda: self.recorded("touch", Pass(1.0, 2.0, ()), glide=-1.0),
        ):
            with self.assertRaises(NeedleError):
                make()


class Any(SimpleTestCase):
    @given(st.one_of(st.just(Lane()), lanes(pans, last=6.0, most=8)), passes(), st.sampled_from(sorted(MODES)), pans)
    def test_outside_what_was_written_nothing_changes(self, lane: Lane, run: Pass, mode: str, static: float) -> None:
        made = recorded(lane, static, run, mode, PAN, 0.25)
        start, end = run.holds[0].start, run.holds[-1].end + 0.25
        if mode == "latch":
            end = run.end
        if mode == "write":
            start, end = run.start, run.end
        outside = outside_of(FINE, start, end, lane.jumps)
        was = lane.evaluate(outside) if lane.points else np.full(outside.shape, static)
        np.testing.assert_allclose(made.evaluate(outside), was, atol=1e-6)
        self.assertEqual(made, Lane(made.points))
        self.assertTrue(all(-1.0 <= p.value <= 1.0 for p in made.points))

    @given(passes(), st.sampled_from(["touch", "latch", "write"]))
    def test_the_same_hand_again_changes_nothing(self, run: Pass, mode: str) -> None:
        once = recorded(Lane(), 0.0, run, mode, PAN, 0.0)
        again = recorded(once, 0.0, run, mode, PAN, 0.0)
        np.testing.assert_allclose(again.evaluate(FINE), once.evaluate(FINE), atol=1e-6)


class Returning(SimpleTestCase):
    def stem(self, places: list[tuple[float, float]], seconds: float = 20.0) -> np.ndarray:
        """Struck tones (pitch in Hz) at their times, over a little noise."""
        rng = np.random.default_rng(3)
        audio = 1e-4 * rng.standard_normal((1, round(RATE * seconds)))
        t = np.arange(round(0.3 * RATE)) / RATE
        for at, pitch in places:
            first = round(at * RATE)
            audio[0, first : first + len(t)] += np.sin(2 * np.pi * pitch * t) * np.exp(-12 * t)
        return audio.astype(np.float32)

    def test_a_figure_is_found_wherever_it_returns(self) -> None:
        figure = [1.0, 4.2, 9.77, 15.333]
        others = [2.5, 7.0, 12.0]
        struck = [(at + more, pitch) for at in figure for more, pitch in ((0.0, 440.0), (0.4, 880.0))]
        found = occurrences(self.stem(struck + [(at, 200.0) for at in others]), RATE, 0.95, 1.8)
        np.testing.assert_allclose([one.at for one in found], [at - 0.05 for at in figure[1:]], atol=0.01)
        self.assertTrue(all(0.75 <= one.alike <= 1.0 for one in found))

    def test_a_sound_that_is_opposite_on_its_sides_is_found_as_well(self) -> None:
        mono = self.stem([(at, 900.0) for at in (1.0, 3.0, 5.5)])[:1]
        for sides in ((1.0, -1.0), (0.0, 1.0), (1.0, 1.0)):
            both = np.float32(sides)[:, np.newaxis] * mono
            found = [place.at for place in occurrences(both, RATE, 0.95, 1.5)]
            np.testing.assert_allclose(found, [2.95, 5.45], atol=0.02, err_msg=str(sides))

    def test_nothing_to_find_says_so(self) -> None:
        silent = np.zeros((1, RATE * 4), np.float32)
        for start, end in ((0.5, 1.0), (1.0, 1.01), (0.0, 40.0)):
            with self.assertRaises(NeedleError):
                occurrences(silent, RATE, start, end)
