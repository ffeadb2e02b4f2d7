"""Causes, pairs, counterweights and trials: what is said is what the render measures."""

from dataclasses import replace
from unittest import mock

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.automation.curve import Lane, Point
from needle.balance.causes import SOURCE, causes, ranked, shares
from needle.balance.counterweight import counterweight
from needle.balance.lean_model import Adjustable
from needle.balance.measuring import measured
from needle.balance.mono import thinned
from needle.balance.pairs import compared, trims
from needle.balance.progress import finished, within
from needle.balance.trial import Change, tried
from needle.effects.chain import Chain, effect_named
from needle.errors import NeedleError
from needle.metering.lean import LONG_HOPS, Tolerance, lean_curve, lean_db, leaning_stretches
from needle.metering.overview import Overview
from needle.metering.spectra import spectrum_of
from needle.mix.listening import Listening
from needle.mix.model import Mix, MixReturn, MixSend, MixSource
from needle.render.engine import render_audio
from tests import examples
from tests.core.strategies import RATE

SECONDS = 12.0


def stem(seed: int, level: float = 0.1, seconds: float = SECONDS, channels: int = 1) -> np.ndarray:
    """Noise that swells a little, a source like no other."""
    rng = np.random.default_rng(seed)
    swell = 1.0 + 0.3 * np.sin(np.arange(round(seconds * RATE)) / RATE * (1.0 + seed % 3))
    return (rng.standard_normal((channels, round(seconds * RATE))) * level * swell).astype(np.float32)


def room(send_id: str = "room") -> MixReturn:
    effect = effect_named("room")
    return MixReturn(send_id, Chain(((effect, effect.checked({"length": 0.6})),)), level=-6.0)


def driven(send_id: str = "drive") -> MixReturn:
    effect = effect_named("drive")
    return MixReturn(send_id, Chain(((effect, effect.checked({"amount": 18.0})),)), pan=0.5)


def leaning_mix() -> Mix:
    """It leans to the right for all of its length: one loud source there, a softer partner, a centre, a mover."""
    path = Lane((Point(0.0, -0.4, "ease"), Point(6.0, 0.5, "ease"), Point(12.0, -0.2)))
    sends = {"room": MixSend(-10.0)}
    return Mix(
        RATE,
        SECONDS,
        (
            MixSource("hot", stem(1, 0.16), pan=0.7, sends=sends),
            MixSource("partner", stem(2, 0.1), pan=-0.7, sends={"room": MixSend(-12.0, place="opposite")}),
            MixSource("middle", stem(3, 0.08)),
            MixSource("mover", stem(4, 0.05), lanes={"pan": path}),
            MixSource("wide", stem(5, 0.03, channels=2), mode="span", pan=0.1, span=0.6),
        ),
        returns=(room(),),
    )


def powers(mix: Mix) -> np.ndarray:
    return Overview(finished(measured(mix))).powers


class Causes(SimpleTestCase):
    def test_removing_a_cause_changes_the_lean_as_it_says(self) -> None:
        mix = leaning_mix()
        found = ranked(causes(finished(shares(mix, 20, 100))), 1.0)
        self.assertEqual(found[0].id, "hot")
        now = float(lean_db(*powers(mix)[:, 20:100].mean(axis=1)))
        for cause in (one for one in found if one.kind == SOURCE):
            lacking = replace(mix, sources=tuple(s for s in mix.sources if s.id != cause.id))
            then = float(lean_db(*powers(lacking)[:, 20:100].mean(axis=1)))
            self.assertAlmostEqual(cause.without, then, delta=0.02, msg=cause.id)
            self.assertAlmostEqual(cause.adds, now - then, delta=0.02, msg=cause.id)

    def test_a_source_that_is_driven_together_with_others_too(self) -> None:
        """What a drive makes of several sources is not the sum of what it makes of each."""
        sends = {"drive": MixSend(0.0)}
        sources = (MixSource("a", stem(1, 0.3), pan=0.6, sends=sends), MixSource("b", stem(2, 0.3), sends=sends))
        mix = Mix(RATE, 4.0, sources, returns=(driven(),))
        found = {cause.id: cause for cause in causes(finished(shares(mix, 0, 40)))}
        alone = replace(mix, sources=sources[1:])
        self.assertAlmostEqual(found["a"].without, float(lean_db(*powers(alone).mean(axis=1))), delta=0.02)
        self.assertEqual(found["drive"].kind, "return")
        self.assertGreater(found["drive"].adds, 0.0)

    def test_what_is_silent_or_muted_is_no_cause(self) -> None:
        mix = replace(
            leaning_mix(),
            sources=(
                *leaning_mix().sources,
                MixSource("mute", stem(9), pan=1.0, muted=True),
                MixSource("rest", np.zeros((1, RATE), np.float32), pan=1.0),
            ),
        )
        found = {cause.id: cause for cause in causes(finished(shares(mix, 0, 120)))}
        self.assertNotIn("mute", found)
        self.assertEqual((found["rest"].adds, found["rest"].loudness, found["rest"].share), (0.0, None, 0.0))

    def test_the_only_source_takes_the_whole_lean_along(self) -> None:
        mix = Mix(RATE, 4.0, (MixSource("one", stem(1), pan=0.5),))
        (only,) = causes(finished(shares(mix, 0, 40)))
        self.assertIsNone(only.without)
        self.assertAlmostEqual(only.adds, only.lean, places=6)

    def test_progress_rises_to_the_end_and_work_can_be_stopped(self) -> None:
        whole = finished(shares(leaning_mix(), 0, 120))
        told: list[float] = []
        with mock.patch("needle.balance.causes.HOPS_AT_ONCE", 50):
            steps = shares(leaning_mix(), 0, 120)
            self.assertAlmostEqual(next(steps), 50 / 120)
            steps.close()
            divided = finished(shares(leaning_mix(), 0, 120), told.append)
        np.testing.assert_allclose(told, [50 / 120, 100 / 120, 1.0])
        np.testing.assert_allclose(divided.own, whole.own, rtol=1e-4)
        np.testing.assert_allclose(divided.whole, whole.whole, rtol=1e-4)


class Trials(SimpleTestCase):
    @examples(25)
    @given(st.floats(-6, 6), st.floats(-0.5, 0.5))
    def test_levels_and_places_move_bodily_and_stay_within_limits(self, level: float, place: float) -> None:
        mix = leaning_mix()
        found = {s.id: s for s in tried(mix, [Change("hot", level, place), Change("mover", level, place)]).sources}
        self.assertAlmostEqual(found["hot"].level, np.clip(level, -96, 12))
        self.assertAlmostEqual(found["hot"].pan, np.clip(0.7 + place, -1, 1))
        moved = [point.value for point in found["mover"].lanes["pan"].points]
        np.testing.assert_allclose(moved, np.clip([-0.4 + place, 0.5 + place, -0.2 + place], -1, 1))
        self.assertEqual(found["partner"], next(s for s in mix.sources if s.id == "partner"))

    def test_sides_move_both(self) -> None:
        mix = Mix(RATE, 1.0, (MixSource("s", stem(1, channels=2), mode="sides", pan_left=-0.5, pan_right=0.9),))
        (found,) = tried(mix, [Change("s", 0.0, 0.25)]).sources
        self.assertEqual((found.pan_left, found.pan_right), (-0.25, 1.0))

    def test_unknown_sources_are_refused(self) -> None:
        with self.assertRaisesMessage(NeedleError, "not in the session"):
            tried(leaning_mix(), [Change("gone", 1.0)])


class Counterweights(SimpleTestCase):
    def proposal(
        self, mix: Mix, givers: list[Adjustable], scope=((0.0, SECONDS),), tolerance: Tolerance = Tolerance()
    ):
        return finished(counterweight(mix, givers, list(scope), measured, tolerance))

    def check(self, mix: Mix, proposed) -> None:
        """What is foretold is what the render with the changes measures."""
        after = powers(tried(mix, proposed.changes))
        np.testing.assert_allclose(lean_curve(proposed.powers, LONG_HOPS), lean_curve(after, LONG_HOPS), atol=0.01)

    def test_evens_a_stretch_by_the_source_that_leans(self) -> None:
        mix = leaning_mix()
        self.assertEqual(len(leaning_stretches(powers(mix))), 1)
        proposed = self.proposal(mix, [Adjustable("hot"), Adjustable("middle")])
        self.assertTrue(proposed.reached)
        self.assertLessEqual(abs(proposed.after), 1.5)
        self.assertGreater(proposed.before, 1.5)
        most = max(proposed.changes, key=lambda change: abs(change.level / 3.0) + abs(change.place / 0.25))
        self.assertEqual(most.source, "hot")
        self.assertEqual(leaning_stretches(proposed.powers), [])
        self.check(mix, proposed)

    def test_least_is_not_more_than_it_takes(self) -> None:
        mix = leaning_mix()
        proposed = self.proposal(mix, [Adjustable("hot", 6.0, 0.0)])
        (change,) = proposed.changes
        less = powers(tried(mix, [replace(change, level=change.level + 0.5)]))
        self.assertGreater(np.nanmax(np.abs(lean_curve(less, LONG_HOPS))), 1.5)

    def test_limits_are_kept_and_what_cannot_be_reached_is_said(self) -> None:
        mix = leaning_mix()
        proposed = self.proposal(mix, [Adjustable("hot", 0.5, 0.02)])
        self.assertFalse(proposed.reached)
        self.assertTrue(all(abs(c.level) <= 0.5 and abs(c.place) <= 0.02 for c in proposed.changes))
        self.assertLess(proposed.after, proposed.before)
        self.check(mix, proposed)

    def test_places_alone_can_do_it(self) -> None:
        proposed = self.proposal(leaning_mix(), [Adjustable("hot", 0.0, 0.6), Adjustable("mover", 0.0, 0.6)])
        self.assertTrue(proposed.reached)
        self.assertTrue(all(change.level == 0.0 for change in proposed.changes))
        self.assertLess(next(c.place for c in proposed.changes if c.source == "hot"), 0.0)
        self.check(leaning_mix(), proposed)

    def test_one_placed_by_time_and_one_doubled_may_give_way_too(self) -> None:
        mix = leaning_mix()
        hot, partner, *others = mix.sources
        late = replace(hot, delay_panning="symmetric", level_share=0.8)
        twice = replace(partner, double=True, double_ms=12.0)
        mix = replace(mix, sources=(late, twice, *others))
        proposed = self.proposal(mix, [Adjustable("hot"), Adjustable("partner")], tolerance=Tolerance(0.5))
        self.assertLess(abs(proposed.after), abs(proposed.before))
        self.check(mix, proposed)

    def test_no_stretch_is_made_elsewhere(self) -> None:
        """The hot one leads on the right at first; later it is the only thing that holds the right side."""
        hot = stem(1, 0.16, 20.0)
        left = np.concatenate([stem(2, 0.1, 10.0), stem(2, 0.15, 10.0)], axis=1)
        mix = Mix(RATE, 20.0, (MixSource("hot", hot, pan=0.6), MixSource("left", left, pan=-0.6)))
        before = leaning_stretches(powers(mix))
        scope = [(stretch.start, stretch.end) for stretch in before]
        proposed = self.proposal(mix, [Adjustable("hot", 6.0)], scope)
        for stretch in leaning_stretches(proposed.powers):
            self.assertTrue(any(a < stretch.end and stretch.start < b for a, b in scope), stretch)
        self.check(mix, proposed)

    @examples(6)
    @given(st.integers(0, 99), st.floats(0.1, 3.0), st.floats(0.0, 0.3), st.floats(-1.0, 1.0))
    def test_no_stretch_ever_leans_farther_than_it_did(
        self, seed: int, level: float, place: float, pan: float
    ) -> None:
        softer = stem(seed, 0.05, 16.0)
        softer[:, : 8 * RATE] *= 0.3
        mix = Mix(
            RATE,
            16.0,
            (
                MixSource("first", np.concatenate([stem(seed + 1, 0.1, 8.0), stem(7, 0.01, 8.0)], axis=1), pan=0.8),
                MixSource("then", np.concatenate([stem(8, 0.01, 8.0), stem(seed + 2, 0.1, 8.0)], axis=1), pan=-0.8),
                MixSource("giver", softer, pan=pan),
            ),
        )
        before = leaning_stretches(powers(mix))
        if not before:
            return
        proposed = self.proposal(mix, [Adjustable("giver", level, place)], [(one.start, one.end) for one in before])
        now, then = (lean_curve(one, LONG_HOPS) for one in (powers(mix), proposed.powers))
        for one in before:
            here = slice(round(one.start * 10), round(one.end * 10))
            self.assertLessEqual(np.nanmax(np.abs(then[here])), np.nanmax(np.abs(now[here])) + 0.06)
        self.assertLessEqual(len(leaning_stretches(proposed.powers)), len(before))

    def test_where_nothing_helps_nothing_is_proposed(self) -> None:
        """The only one that may give way is silent where it leans."""
        quiet = stem(5, 0.1, 20.0)
        quiet[:, : 12 * RATE] = 0.0
        mix = Mix(RATE, 20.0, (MixSource("hot", stem(1, 0.1, 12.0), pan=0.8), MixSource("later", quiet)))
        (one,) = leaning_stretches(powers(mix))
        proposed = self.proposal(mix, [Adjustable("later")], [(one.start, one.end)])
        self.assertEqual((proposed.changes, proposed.reached), ((), False))

    def test_as_loud_as_before_with_its_trim(self) -> None:
        mix = leaning_mix()
        proposed = self.proposal(mix, [Adjustable("hot")])
        then = powers(tried(mix, proposed.changes)) * 10 ** (proposed.trim / 10)
        self.assertAlmostEqual(10 * np.log10(then.sum() / powers(mix).sum()), 0.0, delta=0.05)

    def test_nothing_to_even_and_nobody_to_give(self) -> None:
        silent = Mix(RATE, 4.0, (MixSource("s", np.zeros((1, RATE), np.float32)),))
        with self.assertRaisesMessage(NeedleError, "silent"):
            self.proposal(silent, [Adjustable("s")], [(0.0, 4.0)])
        with self.assertRaisesMessage(NeedleError, "Choose one to"):
            self.proposal(leaning_mix(), [])
        with self.assertRaisesMessage(NeedleError, "not in the session"):
            self.proposal(leaning_mix(), [Adjustable("gone")])
        for level, place in ((13.0, 0.1), (1.0, 1.5), (float("nan"), 0.1)):
            with self.assertRaises(NeedleError):
                Adjustable("hot", level, place)


class Pairs(SimpleTestCase):
    def test_the_trim_evens_what_is_heard(self) -> None:
        mix = leaning_mix()
        found = finished(compared(mix, ["hot"], ["partner"], measured))
        self.assertAlmostEqual(found.difference, 20 * np.log10(0.16 / 0.1), delta=0.4)
        self.assertGreater(found.first.lean, 5.0)
        self.assertLess(found.second.lean, -5.0)
        for first, second in found.trims:
            self.assertEqual((first * 2 % 1, second * 2 % 1), (0.0, 0.0))
            evened = tried(mix, [Change("hot", first), Change("partner", second)])
            again = finished(compared(evened, ["hot"], ["partner"], measured))
            self.assertLessEqual(abs(again.difference), 0.26)
            self.assertEqual(again.trims, ())

    def test_sets_silence_and_what_is_refused(self) -> None:
        mix = leaning_mix()
        sets = finished(compared(mix, ["hot", "middle"], ["partner", "mover"], measured))
        self.assertIsNotNone(sets.difference)
        quiet = replace(mix, sources=(*mix.sources, MixSource("rest", np.zeros((1, 10), np.float32))))
        nothing = finished(compared(quiet, ["hot"], ["rest"], measured))
        self.assertEqual((nothing.difference, nothing.trims, nothing.second.loudness), (None, (), None))
        for first, second in (([], ["hot"]), (["hot"], ["hot"]), (["gone"], ["hot"])):
            with self.assertRaises(NeedleError):
                finished(compared(mix, first, second, measured))

    @given(st.floats(-40, 40))
    def test_every_trim_leaves_a_quarter_of_a_decibel_at_the_most(self, difference: float) -> None:
        for first, second in trims(difference):
            self.assertLessEqual(abs(difference + first - second), 0.25 + 1e-9)
        self.assertEqual(trims(difference) == [], abs(difference) <= 0.25)


class InMono(SimpleTestCase):
    def test_names_what_cancels_and_where(self) -> None:
        sides = stem(1, 0.2, channels=1)
        sources = (
            MixSource("opposite", np.concatenate([sides, sides]), mode="balance", invert_right=True),
            MixSource("late", stem(2, 0.1), pan=1.0, delay_panning="far-side"),
            MixSource("centre", stem(3, 0.3)),
        )
        mix = Mix(RATE, SECONDS, sources)
        found = thinned(mix, lambda s: spectrum_of([s.audio], s.channels, RATE), 1.0)
        self.assertEqual([one.source for one in found], ["opposite", "late"])
        self.assertEqual(found[0].loss, -60.0)
        self.assertLess(found[1].loss, -1.0)
        self.assertTrue(0.0 < found[1].weight < found[0].weight < 1.0)


class Monitors(SimpleTestCase):
    def heard(self, monitor: str, **how) -> np.ndarray:
        return render_audio(leaning_mix(), 0, RATE, Listening(monitor=monitor, **how))

    def test_each_way_is_what_it_says(self) -> None:
        left, right = self.heard("stereo")
        middle, sides = (left + right) / 2, (left - right) / 2
        nothing = np.zeros_like(left)
        for monitor, wanted in (
            ("mono", (middle, middle)),
            ("left", (left, nothing)),
            ("right", (nothing, right)),
            ("swap", (right, left)),
            ("difference", (sides, sides)),
        ):
            np.testing.assert_allclose(self.heard(monitor), wanted, atol=1e-7, err_msg=monitor)
        np.testing.assert_allclose(self.heard("swap", trim=-6.0), np.array([right, left]) * 10 ** (-0.3), atol=1e-7)

    def test_an_unknown_way_is_refused(self) -> None:
        with self.assertRaisesMessage(NeedleError, "Choose stereo"):
            Listening(monitor="quad")


class Steps(SimpleTestCase):
    def test_parts_of_a_larger_work(self) -> None:
        def work():
            yield 0.5
            yield 1.0
            return "done"

        told: list[float] = []
        self.assertEqual(finished(within(work(), 0.2, 0.4), told.append), "done")
        np.testing.assert_allclose(told, [0.3, 0.4])
