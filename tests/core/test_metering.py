"""Meters: against the published test signals, and against plain definitions."""

import json
from collections.abc import Iterator

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.dsp.k_weighting import k_weighting
from needle.dsp.true_peak import PHASES
from needle.metering.frames import (
    COLUMNS,
    LONG_FRAMES,
    SHORT_FRAMES,
    Frames,
    measure_frames,
    readings,
    warm_up_frames,
)
from needle.metering.lean import LONG_HOPS, Tolerance, hops_between, hops_in, lean_curve, lean_db, leaning_stretches
from needle.metering.measure import Measurement, measure
from needle.metering.overview import Overview
from needle.mix.model import Mix, MixSource
from needle.render.segments import METER_FRAMES, render_segments
from tests import examples
from tests.core.strategies import RATE, tone


def stereo(left_db: float, right_db: float, seconds: float, frequency: float = 1000.0) -> np.ndarray:
    gains = [[10 ** (left_db / 20)], [10 ** (right_db / 20)]]
    return (tone(frequency, seconds, 2) * gains).astype(np.float32)


def measured(*parts: np.ndarray, rate: int = RATE) -> dict:
    return measure(parts, rate, parts[0].shape[0])


class Loudness(SimpleTestCase):
    """EBU Tech 3341 and 3342: the synthetic cases, within their tolerance of 0.1 LU (1 LU for the range)."""

    def test_steady_tones(self) -> None:
        for level in (-23.0, -33.0):
            found = measured(stereo(level, level, 20.0))
            for name in ("integrated_lufs", "momentary_max_lufs", "short_term_max_lufs"):
                self.assertAlmostEqual(found[name], level, delta=0.1)

    def test_gates(self) -> None:
        case_3 = [stereo(level, level, seconds) for level, seconds in ((-36, 10), (-23, 60), (-36, 10))]
        self.assertAlmostEqual(measured(*case_3)["integrated_lufs"], -23.0, delta=0.1)
        steps = ((-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10))
        case_4 = [stereo(level, level, seconds) for level, seconds in steps]
        self.assertAlmostEqual(measured(*case_4)["integrated_lufs"], -23.0, delta=0.1)

    def test_a_louder_middle(self) -> None:
        """Tech 3341 case 5."""
        parts = [stereo(level, level, seconds) for level, seconds in ((-26, 20), (-20, 20.1), (-26, 20))]
        self.assertAlmostEqual(measured(*parts)["integrated_lufs"], -23.0, delta=0.1)

    def both(self, audio: np.ndarray) -> Iterator[dict]:
        """What a finished file measures, and what its meter frames say together."""
        whole = audio[:, : audio.shape[1] // 960 * 960]
        yield measured(audio)
        yield Overview(measure_frames(whole, RATE)).figures()

    def test_short_term_and_momentary_hold_still(self) -> None:
        """Tech 3341 cases 9 and 12: bursts that are as loud as -23 LUFS in every window."""
        for name, window, bursts in (
            ("short_term", LONG_FRAMES, ((-20, 1.34), (-30, 1.66)) * 5),
            ("momentary", SHORT_FRAMES, ((-20, 0.18), (-30, 0.22)) * 25),
        ):
            audio = np.concatenate([stereo(level, level, seconds) for level, seconds in bursts], axis=1)
            frames = measure_frames(audio[:, : audio.shape[1] // 960 * 960], RATE)
            shown = readings(frames, frames.count - window)[:, COLUMNS.index(name)]
            np.testing.assert_allclose(shown, -23.0, atol=0.1)

    def test_short_term_maximum_wherever_it_begins(self) -> None:
        """Tech 3341 case 10: 3 s of tone, later by 150 ms each time."""
        for number in range(0, 20, 3):
            silence = np.zeros((2, round(0.15 * number * RATE)), np.float32)
            audio = np.concatenate([silence, stereo(-23, -23, 3.0), np.zeros((2, RATE), np.float32)], axis=1)
            for found in self.both(audio):
                self.assertAlmostEqual(found["short_term_max_lufs"], -23.0, delta=0.1)

    def test_momentary_maximum_wherever_it_begins(self) -> None:
        """Tech 3341 case 13: 400 ms of tone, later by 20 ms each time."""
        for number in range(0, 20, 3):
            silence = np.zeros((2, round(0.02 * number * RATE)), np.float32)
            audio = np.concatenate([silence, stereo(-23, -23, 0.4), np.zeros((2, RATE), np.float32)], axis=1)
            for found in self.both(audio):
                self.assertAlmostEqual(found["momentary_max_lufs"], -23.0, delta=0.1)

    def test_range_of_five_steps(self) -> None:
        """Tech 3342 case 4."""
        parts = [stereo(level, level, 20.0) for level in (-50, -35, -20, -35, -50)]
        self.assertAlmostEqual(measured(*parts)["loudness_range_lu"], 15.0, delta=1.0)

    def test_surround_weights(self) -> None:
        levels = (-28, -28, -24, -200, -30, -30)
        signal = np.concatenate([tone(1000, 20) * 10 ** (level / 20) for level in levels]).astype(np.float32)
        self.assertAlmostEqual(measured(signal)["integrated_lufs"], -23.0, delta=0.1)

    def test_range(self) -> None:
        for low, wanted in ((-30, 10.0), (-15, 5.0), (-40, 20.0)):
            parts = [stereo(-20, -20, 20.0), stereo(low, low, 20.0)]
            self.assertAlmostEqual(measured(*parts)["loudness_range_lu"], wanted, delta=1.0)

    def test_weighting_is_the_recommendations_table(self) -> None:
        table = [
            [1.53512485958697, -2.69169618940638, 1.19839281085285, 1.0, -1.69065929318241, 0.73248077421585],
            [1.0, -2.0, 1.0, 1.0, -1.99004745483398, 0.99007225036621],
        ]
        np.testing.assert_allclose(k_weighting(48000), table, atol=1e-7)

    def test_other_rates_agree(self) -> None:
        for rate in (44100, 88200, 96000, 11025):
            t = np.arange(20 * rate) / rate
            signal = np.tile(10 ** (-23 / 20) * np.sin(2 * np.pi * 1000 * t), (2, 1))
            self.assertAlmostEqual(measured(signal, rate=rate)["integrated_lufs"], -23.0, delta=0.15)

    @examples(15)
    @given(st.lists(st.integers(1, RATE * 4 - 1), max_size=6, unique=True))
    def test_any_division_measures_the_same(self, cuts: list[int]) -> None:
        rng = np.random.default_rng(3)
        signal = (rng.standard_normal((2, RATE * 4)) * [[0.1], [0.05]]).astype(np.float32)
        parts = np.split(signal, sorted(cuts), axis=1)
        whole, divided = measured(signal), measured(*parts)
        for name in ("integrated_lufs", "true_peak_dbtp", "lean_db", "correlation", "mono_loss_db"):
            self.assertAlmostEqual(whole[name], divided[name], places=6)


class Peaks(SimpleTestCase):
    def test_true_peak_between_samples(self) -> None:
        """EBU Tech 3341 cases 15 to 19: sines whose peaks fall between samples, +0.2 / -0.4 dB."""
        for divisor, degrees in ((4, 0), (4, 45), (6, 60), (8, 67.5)):
            n = np.arange(RATE)
            signal = 0.5 * np.sin(2 * np.pi * n / divisor + np.radians(degrees))
            edge = np.ones_like(signal)
            edge[:500] = edge[-500:][::-1] = np.linspace(0, 1, 500)
            found = measured((signal * edge)[np.newaxis].astype(np.float32))
            self.assertTrue(-6.4 <= found["true_peak_dbtp"] <= -5.8, (divisor, found["true_peak_dbtp"]))

    def test_filter_passes_a_constant(self) -> None:
        np.testing.assert_allclose(PHASES.sum(axis=1), 1.0, atol=0.03)


class Balance(SimpleTestCase):
    def test_hops_are_counted_as_they_are_written(self) -> None:
        for count in range(2000):
            self.assertEqual(hops_in(count * 0.1), count)
            self.assertEqual(hops_in(count / 10 + 0.0999), count)
        self.assertEqual(hops_between(0.0, 0.0, 43), (0, 43))
        self.assertEqual(hops_between(1.0, 4.3, 43), (10, 43))
        self.assertEqual(hops_between(5.0, 9.0, 43), (43, 43))

    def test_lean_correlation_and_mono(self) -> None:
        found = measured(stereo(-20, -14, 6.0))
        self.assertAlmostEqual(found["lean_db"], 6.0, places=3)
        self.assertAlmostEqual(found["correlation"], 1.0, places=6)
        opposite = stereo(-20, -20, 6.0) * [[1], [-1]]
        self.assertAlmostEqual(measured(opposite)["correlation"], -1.0, places=6)
        self.assertLessEqual(measured(opposite)["mono_loss_db"], -59.0)
        rng = np.random.default_rng(1)
        unrelated = measured(rng.standard_normal((2, RATE * 10)) * 0.1)
        self.assertAlmostEqual(unrelated["mono_loss_db"], -3.01, delta=0.1)
        self.assertAlmostEqual(measured(stereo(-20, -20, 5.0))["mono_loss_db"], 0.0, places=6)

    def test_surround_sides_are_front_and_back_together(self) -> None:
        six = np.tile(tone(1000.0, 5.0) * 0.1, (6, 1)).astype(np.float32)
        found = measured(six)
        self.assertAlmostEqual(found["mono_loss_db"], 0.0, places=6)
        # The centre counts half for either side.
        six[[1, 2, 5]] = 0.0
        self.assertEqual(measured(six)["lean_db"], -60.0)

    def test_nothing_to_say_is_none_and_json(self) -> None:
        for nothing in (np.zeros((2, RATE * 5)), np.zeros((2, 0)), np.zeros((1, 100)), np.zeros((6, 4800))):
            found = measured(nothing)
            self.assertTrue(all(value in (None, []) for value in found.values()), found)
            json.dumps(found, allow_nan=False)
        one_side = stereo(-20, -20, 5.0) * [[1.0], [0.0]]
        self.assertEqual(measured(one_side)["lean_db"], -60.0)
        json.dumps(measured(one_side), allow_nan=False)

    def test_stretches_found_where_they_are(self) -> None:
        parts = [stereo(-20, -20, 6.0), stereo(-20, -17, 9.0), stereo(-20, -20, 6.0), stereo(-20, -23, 2.0)]
        (stretch,) = measured(*parts)["stretches"]
        self.assertAlmostEqual(stretch["start"], 6.0, delta=1.0)
        self.assertAlmostEqual(stretch["end"], 15.0, delta=1.0)
        self.assertAlmostEqual(stretch["worst_db"], 3.0, places=2)
        self.assertTrue(2.5 < stretch["mean_db"] <= 3.01)

    def test_short_gaps_are_bridged_and_sides_kept_apart(self) -> None:
        def powers(*runs: tuple[float, int]) -> np.ndarray:
            right = np.concatenate([np.full(hops, 10 ** (db / 10)) for db, hops in runs])
            return np.stack([np.ones_like(right), right])

        one = leaning_stretches(powers((4, 60), (-4, 2), (4, 60)), Tolerance(gap=1.0))
        self.assertEqual(len(one), 1)
        two = leaning_stretches(powers((4, 80), (-4, 80)))
        self.assertEqual([np.sign(s.mean_db) for s in two], [1, -1])
        self.assertEqual(leaning_stretches(powers((4, 30), (0, 100))), [])

    @given(st.floats(1e-6, 1.0), st.floats(1e-6, 1.0))
    def test_lean_is_odd(self, left: float, right: float) -> None:
        self.assertAlmostEqual(float(lean_db(left, right)), -float(lean_db(right, left)), places=9)

    def test_curve_stands_in_the_middle_of_its_window(self) -> None:
        powers = np.ones((2, 200))
        powers[1, 100:] = 10.0
        curve = lean_curve(powers, LONG_HOPS)
        self.assertAlmostEqual(curve[99], curve[100], delta=0.6)
        self.assertLess(curve[80], 0.1)
        self.assertAlmostEqual(curve[120], 10.0, places=6)


class MeterFrames(SimpleTestCase):
    def test_readings_of_a_steady_tone(self) -> None:
        signal = stereo(-20, -14, 5.0)
        frames = measure_frames(signal, RATE)
        shown = dict(zip(COLUMNS, readings(frames, 1)[0], strict=True))
        self.assertAlmostEqual(shown["peak_right"], -14.0, delta=0.01)
        self.assertAlmostEqual(shown["rms_left"], -23.01, delta=0.01)
        self.assertAlmostEqual(shown["lean_long"], 6.0, delta=0.01)
        self.assertAlmostEqual(shown["lean_short"], 6.0, delta=0.01)
        self.assertAlmostEqual(shown["correlation"], 1.0, delta=1e-4)
        whole = measured(signal)
        self.assertAlmostEqual(shown["short_term"], whole["short_term_max_lufs"], delta=0.05)

    def test_missing_past_counts_as_silence(self) -> None:
        shown = readings(Frames.silence(1), 1)
        self.assertEqual(shown.shape, (1, len(COLUMNS)))
        self.assertTrue(np.isnan(shown[0, COLUMNS.index("lean_long")]))
        self.assertEqual(shown[0, 0], -120.0)

    def test_segments_measure_like_the_whole(self) -> None:
        """A segment's frames need only the little past they declare."""
        rng = np.random.default_rng(5)
        noise = (rng.standard_normal((1, RATE * 4)) * 0.2 + 0.1).astype(np.float32)
        mix = Mix(RATE, 4.0, (MixSource("noise", noise, pan=0.3),))
        parts = Frames.joined([next(render_segments(mix, i, i + 1)).frames for i in range(8)])
        whole = measure_frames(np.concatenate([s.audio for s in render_segments(mix, 0, 8)], axis=1), RATE)
        np.testing.assert_allclose(parts.weighted, whole.weighted, rtol=1e-6)
        self.assertEqual(parts.count, 8 * METER_FRAMES)
        np.testing.assert_allclose(
            readings(parts, LONG_FRAMES)[:, :6], readings(whole, LONG_FRAMES)[:, :6], atol=1e-3
        )
        self.assertEqual(warm_up_frames(RATE) % (RATE // 50), 0)

    def test_a_measurement_keeps_little(self) -> None:
        measurement = Measurement(RATE, 2)
        for _ in range(50):
            measurement(np.zeros((2, 4801), np.float32))
        self.assertLess(measurement._rest.shape[1], RATE // 10)


class LeansThatCount(SimpleTestCase):
    """Stretches are those that are heard: each moment counts by its loudness against the piece's."""

    def powers(self, *parts: tuple[float, float, float]) -> np.ndarray:
        """Mean squares of both sides, (2, hops): parts of so many seconds, at a level (dB), leaning so far (dB)."""
        found = []
        for seconds, level, lean in parts:
            right = 10.0 ** (lean / 10.0) / (1.0 + 10.0 ** (lean / 10.0))
            found.append(10.0 ** (level / 10.0) * np.repeat([[1.0 - right], [right]], round(seconds * 10), axis=1))
        return np.concatenate(found, axis=1)

    def test_a_tail_that_swings_aside_is_none(self) -> None:
        found = leaning_stretches(self.powers((30.0, -20.0, 0.0), (8.0, -50.0, -12.0)))
        self.assertEqual(found, [])

    def test_what_is_softer_counts_in_proportion(self) -> None:
        for below, lean, leans in ((5.0, 2.0, True), (14.5, 4.0, True), (17.0, 4.0, False), (21.0, 30.0, False)):
            with self.subTest(below):
                found = leaning_stretches(self.powers((60.0, -20.0, 0.0), (12.0, -20.0 - below, lean)))
                self.assertEqual(bool(found), leans, found)

    def test_what_is_as_loud_as_the_rest_leans_as_it_did(self) -> None:
        (one,) = leaning_stretches(self.powers((20.0, -20.0, 0.0), (10.0, -22.0, 3.0), (20.0, -20.0, 0.0)))
        self.assertAlmostEqual(one.worst_db, 3.0, places=6)
        self.assertAlmostEqual(one.start, 20.0, delta=1.6)
        self.assertAlmostEqual(one.end, 30.0, delta=1.6)
