"""Pulses: their waves' laws, phase under tempo changes, the two sides, reading, writing out, and rendering."""

from unittest import mock

import numpy as np
from django.test import SimpleTestCase
from hypothesis import assume, example, given
from hypothesis import strategies as st

from needle.automation.curve import RAMP_SECONDS, Lane, Point
from needle.autopan.conversion import GRAIN, written_out
from needle.autopan.pulse import LIMITS, Pulse, Pulsing
from needle.autopan.waveforms import WAVES, Form, wave_at
from needle.dsp.pan_laws import law_named
from needle.errors import NeedleError
from needle.mix.listening import Listening
from needle.mix.model import Mix, MixReturn, MixSend, MixSource
from needle.render.click import click
from needle.render.engine import render_audio, render_before_placement
from needle.render.fingerprints import dependency_key
from needle.render.segments import render_segments
from needle.tempo import TempoMap
from needle.units import db_to_gain
from tests import examples
from tests.core.pulses import names, pulsing, steady
from tests.core.strategies import RATE, lanes, tone

phases = st.floats(-50.0, 50.0)
shares = st.floats(0.0, 1.0)
forms = st.builds(
    Form,
    st.floats(0.02, 0.98),
    st.lists(st.floats(-1, 1), min_size=2, max_size=32).map(tuple),
    st.integers(0, 999_999),
    st.booleans(),
)
tempos = st.builds(
    lambda first, more: TempoMap(((0.0, first), *((beat, bpm) for beat, bpm in more.items()))),
    st.floats(40, 200),
    st.dictionaries(st.integers(1, 12), st.floats(40, 200), max_size=3).map(lambda d: dict(sorted(d.items()))),
)
pulses = st.builds(
    Pulse,
    form=st.sampled_from(["level", "place"]),
    wave=names,
    unit=st.sampled_from(["beats", "hertz"]),
    period=st.floats(1 / 16, 64),
    rate=st.floats(0.05, 30),
    origin=st.floats(0, 8),
    start_phase=shares,
    duty=st.floats(0.02, 0.98),
    seed=st.integers(0, 99),
    glide=st.booleans(),
    smooth=shares,
    flip=st.booleans(),
    depth=shares,
    offset=st.floats(0, 360),
    constant_power=st.booleans(),
)
SYMMETRIC = ("sine", "triangle", "square")


class Waves(SimpleTestCase):
    @given(names, forms, phases, shares)
    def test_stay_within_the_unit_range_however_smoothed(self, name, form, phase, smooth) -> None:
        self.assertLessEqual(abs(float(wave_at(name, form, phase, smooth))), 1.0 + 1e-9)

    @given(names, forms, phases)
    def test_repeat_every_cycle_but_for_chance(self, name, form, phase) -> None:
        assume(name != "chance")
        self.assertAlmostEqual(
            float(wave_at(name, form, phase, 0.3)), float(wave_at(name, form, phase + 1.0, 0.3)), places=9
        )

    def test_have_zero_mean_and_use_the_whole_range(self) -> None:
        phase = (np.arange(20_000) + 0.5) / 20_000
        for name in ("sine", "triangle", "rising", "falling", "square"):
            wave = wave_at(name, Form(), phase)
            self.assertAlmostEqual(float(wave.mean()), 0.0, places=9, msg=name)
            self.assertGreater(wave.max(), 0.999, name)
            self.assertLess(wave.min(), -0.999, name)

    def test_chance_has_zero_mean_in_the_long_run_and_is_the_same_for_the_same_seed(self) -> None:
        phase = np.arange(20_000) + 0.5
        wave = wave_at("chance", Form(seed=7), phase)
        self.assertLess(abs(wave.mean()), 0.02)
        np.testing.assert_array_equal(wave, wave_at("chance", Form(seed=7), phase))
        self.assertGreater(np.abs(wave - wave_at("chance", Form(seed=8), phase)).max(), 1.0)

    @example("triangle", -32.25, 4.033e-09)
    @given(st.sampled_from(SYMMETRIC), phases, shares)
    def test_a_flip_is_half_a_cycle_where_the_wave_is_symmetric(self, name, phase, smooth) -> None:
        # On a jump itself either side is right.
        assume(smooth > 0.01 or abs(phase * 2 - round(phase * 2)) > 1e-6)
        self.assertAlmostEqual(
            -float(wave_at(name, Form(), phase, smooth)), float(wave_at(name, Form(), phase + 0.5, smooth)), places=6
        )

    @given(names, forms, phases, st.floats(0.01, 1.0))
    def test_smoothing_is_the_mean_over_an_even_window(self, name, form, phase, smooth) -> None:
        inside = phase + smooth * ((np.arange(4000) + 0.5) / 4000 - 0.5)
        mean = wave_at(name, form, inside).mean()
        self.assertAlmostEqual(float(wave_at(name, form, phase, smooth)), float(mean), delta=2e-3)

    @given(st.floats(0.1, 0.9), st.floats(0.0, 0.5))
    def test_smoothing_keeps_the_centres_of_gaps(self, duty, share) -> None:
        smooth = share * min(duty, 1.0 - duty)
        phase = np.linspace(0.0, 1.0, 20_001)
        wave = wave_at("square", Form(duty=duty), phase, smooth)
        low = phase[wave < 0.0]
        self.assertAlmostEqual(float(low.mean()), (1.0 + duty) / 2.0, delta=2e-3)

    def test_an_unknown_wave_names_those_there_are(self) -> None:
        with self.assertRaisesRegex(NeedleError, "sine, triangle"):
            wave_at("saw", Form(), 0.0)


class Phase(SimpleTestCase):
    @given(tempos, st.floats(0.125, 8), st.floats(0, 8), st.integers(0, 40))
    def test_a_cycle_begins_on_its_beat_whatever_the_tempo_does(self, tempo, period, origin, count) -> None:
        one = Pulsing(Pulse(period=period, origin=origin), tempo)
        at = tempo.seconds_at(origin + count * period)
        self.assertAlmostEqual(float(one.cycles(at)), count, places=6)

    @given(st.floats(0.125, 8), st.floats(0, 8))
    def test_halving_and_doubling_leave_the_origin(self, period, origin) -> None:
        for factor in (0.5, 1.0, 2.0):
            one = pulsing(period=period * factor, origin=origin)
            self.assertAlmostEqual(float(one.cycles(origin * 0.5)), 0.0, places=9)

    @given(tempos, st.floats(0.25, 4))
    def test_a_period_that_stands_still_on_a_line_is_that_period(self, tempo, period) -> None:
        line = Lane((Point(0.0, period), Point(5.0, period)))
        moved = Pulsing(Pulse(origin=1.0), tempo, {"pulse_period": line})
        still = Pulsing(Pulse(origin=1.0, period=period), tempo)
        times = np.linspace(0.0, 8.0, 500)
        np.testing.assert_allclose(moved.cycles(times), still.cycles(times), atol=5e-3)

    def test_a_moving_rate_adds_up(self) -> None:
        line = Lane((Point(0.0, 1.0), Point(10.0, 3.0)))
        one = Pulsing(Pulse(unit="hertz"), TempoMap(), {"pulse_rate": line})
        np.testing.assert_allclose(one.cycles([0.0, 5.0, 10.0, 12.0]), [0.0, 7.5, 20.0, 26.0], atol=1e-3)

    def test_values_out_of_reach_are_named(self) -> None:
        for name, (low, high, _) in LIMITS.items():
            for wrong in (low - 1.0, high + 1.0, float("nan")):
                with self.assertRaises(NeedleError, msg=name):
                    Pulse(**{name: wrong})
        with self.assertRaisesRegex(NeedleError, "2 to 32 steps"):
            Pulse(steps=(1.0,))


class Sides(SimpleTestCase):
    times = np.linspace(0.0, 6.0, 3001)

    @given(pulses)
    def test_gains_lie_between_the_depth_and_one(self, pulse) -> None:
        gains = Pulsing(pulse).sides(self.times)
        if pulse.form == "place":
            self.assertIsNone(gains)
            shift = Pulsing(pulse).shift(self.times)
            self.assertLessEqual(np.abs(shift).max(), pulse.depth + 1e-9)
        elif not pulse.constant_power:
            self.assertGreaterEqual(gains.min(), 1.0 - pulse.depth - 1e-9)
            self.assertLessEqual(gains.max(), 1.0 + 1e-9)

    @given(pulses)
    def test_no_offset_and_a_whole_turn_are_equal_sides(self, pulse) -> None:
        for offset in (0.0, 360.0):
            one = Pulsing(Pulse(**{**pulse.as_dict(), "form": "level", "offset": offset}))
            left, right = one.sides(self.times)
            np.testing.assert_allclose(left, right, atol=1e-12)

    @given(st.sampled_from(SYMMETRIC), st.floats(0.25, 4), shares)
    def test_half_a_turn_is_complementary(self, wave, period, depth) -> None:
        left, right = pulsing(wave=wave, period=period, depth=depth, offset=180.0).sides(self.times)
        np.testing.assert_allclose(left + right, 2.0 - depth, atol=1e-6)

    @given(st.sampled_from(SYMMETRIC), shares)
    def test_even_power_holds_the_power_of_a_pan(self, wave, depth) -> None:
        gains = pulsing(wave=wave, depth=depth, constant_power=True).sides(self.times)
        np.testing.assert_allclose((gains**2).sum(axis=0), 1.0 + (1.0 - depth) ** 2, atol=1e-6)

    def test_jumps_take_as_long_as_a_lanes(self) -> None:
        fine = np.linspace(0.24, 0.26, 4001)
        left, _ = pulsing(wave="square").sides(fine)
        ramp = fine[(left > 0.001) & (left < 0.999)]
        self.assertAlmostEqual(float(np.ptp(ramp)), RAMP_SECONDS, delta=2e-4)
        self.assertAlmostEqual(float(ramp.mean()), 0.25, delta=1e-4)


class Rendering(SimpleTestCase):
    @examples(25)
    @given(pulses, st.integers(1, RATE), st.sampled_from([1, 2]), lanes(st.floats(0, 1)))
    def test_any_division_gives_the_same_samples(self, pulse, cut, channels, depth) -> None:
        mix = steady(Pulsing(pulse, TempoMap(), {"pulse_depth": depth}), 1.0, channels)
        whole = render_audio(mix, 0, RATE)
        parts = np.concatenate([render_audio(mix, 0, cut), render_audio(mix, cut, RATE)], axis=1)
        np.testing.assert_allclose(parts, whole, atol=1e-6)

    @examples(25)
    @given(pulses)
    def test_within_80_db_of_every_sample_evaluated(self, pulse) -> None:
        pulsing = Pulsing(Pulse(**{**pulse.as_dict(), "form": "level", "constant_power": False}))
        t = np.arange(RATE) / RATE
        audio = np.sin(2 * np.pi * 997 * t).astype(np.float32)
        source = MixSource("s", np.stack([audio, audio]), mode="balance", pulse=pulsing)
        heard = render_audio(Mix(RATE, 1.0, (source,)), 0, RATE)
        exact = audio * pulsing.sides(t)
        self.assertLess(np.abs(heard - exact).max(), 1e-4)

    def test_a_mono_source_is_turned_down_where_it_comes_out(self) -> None:
        mix = steady(pulsing(wave="square", period=2.0), 2.0, channels=1)
        heard = render_audio(mix, 0, 2 * RATE)
        at = [RATE // 4, RATE // 2 + RATE // 4]
        np.testing.assert_allclose(heard[:, at], [[0.35355, 0.0], [0.0, 0.35355]], atol=1e-4)

    def test_a_place_pulse_swings_about_where_it_stands(self) -> None:
        mix = steady(pulsing(form="place", wave="square", period=2.0, depth=0.4), 2.0, 1, pan=0.5)
        heard = render_audio(mix, 0, 2 * RATE)
        for at, pan in ((RATE // 4, 0.9), (3 * RATE // 4, 0.1)):
            np.testing.assert_allclose(heard[:, at], 0.5 * law_named("constant-power").gains(pan), atol=1e-4)

    def test_group_send_and_return_pulse_too(self) -> None:
        pump = pulsing(wave="square", period=2.0, offset=0.0)
        audio = np.full((1, 2 * RATE), 0.5, np.float32)
        on, off = RATE // 4, 3 * RATE // 4
        grouped = Mix(RATE, 2.0, (MixSource("s", audio, group_pulse=pump),))
        heard = render_audio(grouped, 0, RATE)
        self.assertGreater(heard[0, on], 0.3)
        self.assertLess(abs(heard[0, off]), 1e-5)
        for send, one in (
            (MixSend(0.0, pulse=pump), MixReturn("r")),
            (MixSend(0.0), MixReturn("r", pulse=pump)),
        ):
            mix = Mix(RATE, 2.0, (MixSource("s", audio, sends={"r": send}),), returns=(one,))
            wet = render_audio(mix, 0, RATE, Listening(without_direct=frozenset({"s"})))
            self.assertGreater(wet[0, on], 0.3)
            self.assertLess(abs(wet[0, off]), 1e-5)

    def test_a_send_before_the_level_does_not_pulse(self) -> None:
        audio = np.full((1, RATE), 0.5, np.float32)
        pump = pulsing(wave="square", period=2.0, offset=0.0)
        for before, silent in ((True, False), (False, True)):
            source = MixSource("s", audio, pulse=pump, sends={"r": MixSend(0.0, pre=before)})
            mix = Mix(RATE, 1.0, (source,), returns=(MixReturn("r"),))
            wet = render_audio(mix, 0, RATE, Listening(without_direct=frozenset({"s"})))
            self.assertEqual(abs(wet[0, 3 * RATE // 4]) < 1e-5, silent)

    def test_what_a_hand_hears_is_the_mix(self) -> None:
        mix = steady(pulsing(wave="sine"), 1.0, 1, pan=0.3)
        both = render_before_placement(mix, "s", 0, RATE, for_hand=True)
        self.assertEqual(both.shape, (2, RATE))
        left, right = law_named("constant-power").gains(0.3)
        np.testing.assert_allclose(
            render_audio(mix, 0, RATE), [both[0] * left, both[1] * right], atol=2e-5
        )  # fmt: skip

    def test_a_key_changes_with_the_pulse_and_only_where_its_lane_does(self) -> None:
        def key(points: tuple[Point, ...], start: float) -> str:
            one = Pulsing(Pulse(), TempoMap(), {"pulse_depth": Lane(points)})
            return dependency_key(steady(one), round(start * RATE), round((start + 0.5) * RATE))

        early = (Point(0.0, 1.0, "hold"), Point(3.0, 0.5))
        late = (Point(0.0, 1.0, "hold"), Point(3.0, 0.2))
        self.assertEqual(key(early, 1.0), key(late, 1.0))
        self.assertNotEqual(key(early, 3.2), key(late, 3.2))
        keys = {dependency_key(steady(pulsing(wave=name)), 0, RATE) for name in WAVES}
        self.assertEqual(len(keys), len(WAVES))


class WritingOut(SimpleTestCase):
    @examples(25)
    @given(
        st.sampled_from(["sine", "triangle", "square", "falling", "steps"]),
        st.sampled_from(["pan", "balance", "sides", "span", "mono"]),
        st.sampled_from(["level", "place"]),
        st.sampled_from([0.0, 90.0, 180.0]),
        st.floats(0.2, 1.0),
        st.floats(-0.6, 0.6),
    )
    def test_the_points_do_what_the_pulse_did(self, wave, mode, form, offset, depth, pan) -> None:
        one = pulsing(wave=wave, period=2.0, form=form, offset=offset, depth=depth, smooth=0.1)
        channels = 1 if mode == "pan" else 2
        audio = np.full((channels, 2 * RATE), 0.5, np.float32)
        values = {"pan": pan, "pan_left": -0.5, "pan_right": 0.4, "span": 0.3, "level_left": -3.0, "level_right": 0.0,
                  "trim": 0.0}  # fmt: skip
        source = MixSource("s", audio, mode=mode, pulse=one, **values)
        found = written_out(one, mode, values, {}, "constant-power", 0.0, 2.0, channels)
        fixed = {**values, "mode": mode, **found.values}
        written = MixSource("s", audio, lanes=found.lanes, **fixed)
        before, after = (render_audio(Mix(RATE, 2.0, (one,)), 0, 2 * RATE) for one in (source, written))
        self.assertLess(np.abs(before - after).max(), 0.5 * 6.0 * GRAIN)
        self.assertLess(max(len(lane.points) for lane in found.lanes.values()), 400)

    def test_what_would_be_too_many_points_is_refused(self) -> None:
        values = {"pan": 0.0, "trim": 0.0}
        fewest = mock.patch("needle.autopan.conversion.MOST_POINTS", 200)
        with fewest, self.assertRaisesRegex(NeedleError, "200 are the most. Choose a longer cycle"):
            written_out(pulsing(period=1 / 16), "pan", values, {}, "constant-power", 0.0, 4.0, 1)


class Clicks(SimpleTestCase):
    def test_strikes_on_every_beat_and_no_meter_shows_it(self) -> None:
        tempo = TempoMap(((0.0, 120.0),), ((1, 3, 4),))
        whole = click(tempo, RATE, 0, 3 * RATE)
        struck = np.flatnonzero(np.abs(whole) > 0.05)
        beats = struck[np.flatnonzero(np.diff(struck, prepend=-RATE) > RATE // 4)]
        np.testing.assert_allclose(beats / RATE, np.arange(6) * 0.5, atol=2e-3)
        parts = np.concatenate([click(tempo, RATE, a, a + 7777) for a in range(0, 3 * RATE, 7777)])[: 3 * RATE]
        np.testing.assert_array_equal(parts, whole)
        mix = Mix(RATE, 2.0, (MixSource("s", tone(300, 2.0)),), tempo=tempo)
        plain, struck = (next(render_segments(mix, 0, 1, Listening(click=on))) for on in (False, True))
        self.assertGreater(np.abs(struck.audio - plain.audio).max(), 0.1)
        np.testing.assert_array_equal(struck.frames.bands, plain.frames.bands)
        self.assertNotEqual(dependency_key(mix, 0, 9, Listening()), dependency_key(mix, 0, 9, Listening(click=True)))
        self.assertAlmostEqual(float(np.abs(whole).max()), 0.3, delta=float(db_to_gain(-20)))
