"""Bands, true peaks, the phase picture and the overview: against definitions and the whole measurement."""

import json

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.dsp.true_peak import TruePeak, true_peaks
from needle.metering.bands import CENTRES, Bands, band_powers
from needle.metering.frames import FRAMES_PER_HOP, Frames, hop_frames, measure_frames
from needle.metering.measure import measure
from needle.metering.overview import Overview
from needle.metering.picture import PAIRS_PER_FRAME, Spectra, phase_points
from needle.metering.spectra import THIRD_OCTAVES
from tests import examples
from tests.core.strategies import RATE, tone

HOP = RATE // 10


def noise(seconds: float, seed: int = 1, level: float = 0.1) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return (rng.standard_normal((2, round(seconds * RATE))) * level).astype(np.float32)


class BandPowers(SimpleTestCase):
    def test_a_tone_is_in_its_band_with_all_its_power(self) -> None:
        for frequency in (60.0, 440.0, 1000.0, 9000.0):
            bands = Bands.of(band_powers(tone(frequency, 1.0, 2, 0.5), HOP))
            loudest = CENTRES[np.argmax(bands.left)]
            self.assertLess(abs(np.log2(loudest / frequency)), 1 / 12 + 10 / frequency)
            self.assertAlmostEqual(10 * np.log10(bands.left.sum()), 10 * np.log10(0.125), delta=0.05)
            np.testing.assert_allclose(bands.mono.sum(), 2 * bands.left.sum(), rtol=1e-4)

    def test_thirds_hold_four_twelfths_and_white_noise_rises_with_their_width(self) -> None:
        bands = Bands.of(band_powers(noise(20.0), HOP))
        thirds = bands.in_thirds()
        self.assertEqual(len(thirds.left), len(THIRD_OCTAVES))
        np.testing.assert_allclose(thirds.left[7], bands.left[28:32].sum())
        density = thirds.left[6:-1] / THIRD_OCTAVES[6:-1]
        np.testing.assert_allclose(10 * np.log10(density / density.mean()), 0.0, atol=1.0)

    def test_a_late_side_has_notches_where_the_mono_fold_cancels(self) -> None:
        """0.7 ms apart: 714, 2143, 3571 Hz."""
        (left, _), late = noise(20.0), round(0.0007 * RATE)
        audio = np.stack([left, np.concatenate([np.zeros(late, np.float32), left[:-late]])])
        found = [at for at, _ in Bands.of(band_powers(audio, HOP)).notches()]
        # The delay is a whole number of samples: 34 of them.
        for wanted in (1 / (2 * late / RATE), 3 / (2 * late / RATE), 5 / (2 * late / RATE)):
            self.assertTrue(any(abs(np.log2(at / wanted)) < 1 / 12 for at in found), (wanted, found))
        self.assertLess(len(found), 8)

    def test_unrelated_sides_have_no_notches_and_opposite_ones_nothing_left(self) -> None:
        self.assertEqual(Bands.of(band_powers(noise(20.0), HOP)).notches(), [])
        left = noise(2.0)[0]
        bands = Bands.of(band_powers(np.stack([left, -left]), HOP))
        self.assertLess(np.nanmax(bands.mono_loss()[10:]), -50.0)
        silent = Bands.of(band_powers(np.zeros((2, RATE), np.float32), HOP))
        self.assertTrue(np.isnan(silent.mono_loss()).all())
        self.assertEqual(silent.notches(), [])

    def test_other_rates_agree(self) -> None:
        for rate in (44100, 96000):
            t = np.arange(rate) / rate
            audio = np.tile(0.5 * np.sin(2 * np.pi * 1000 * t), (2, 1)).astype(np.float32)
            bands = Bands.of(band_powers(audio, rate // 10))
            self.assertAlmostEqual(10 * np.log10(bands.right.sum()), -9.03, delta=0.05)


class TruePeaks(SimpleTestCase):
    @examples(25)
    @given(st.integers(0, 2**32 - 1), st.sampled_from([44100, 48000, 96000, 22050]))
    def test_frames_reach_what_the_running_measurement_reaches(self, seed: int, rate: int) -> None:
        hop = hop_frames(rate)
        audio = np.random.default_rng(seed).standard_normal((2, hop * 7)).astype(np.float32) * 0.2
        running = TruePeak(2)
        running(audio)
        np.testing.assert_allclose(true_peaks(audio, hop, 7).max(axis=1), running.peak, rtol=2e-6)

    def test_each_frame_has_its_own(self) -> None:
        audio = np.zeros((1, 4800), np.float32)
        audio[0, 2500] = 0.5
        found = true_peaks(audio, 960, 5)[0]
        self.assertEqual(int(np.argmax(found)), 2)
        self.assertGreaterEqual(found[2], 0.5)
        self.assertLess(found[0], 1e-6)


class PhasePicture(SimpleTestCase):
    def points(self, left: float, right: float) -> np.ndarray:
        audio = np.array([[left], [right]], np.float32) * np.ones((2, 960), np.float32)
        return phase_points(audio, 960)[0]

    def test_where_things_stand(self) -> None:
        self.assertEqual(self.points(0.5, 0.5).shape, (PAIRS_PER_FRAME, 2))
        across, up = self.points(0.5, 0.5)[0]
        self.assertTrue(abs(across) < 1e-6 and 0 < up < 1)
        across, up = self.points(0.5, -0.5)[0]
        self.assertTrue(across < 0 and abs(up) < 1e-6)
        across, up = self.points(0.5, 0.0)[0]
        self.assertTrue(across < 0 and np.isclose(-across, up))
        across, up = self.points(0.0, 0.5)[0]
        self.assertTrue(across > 0 and np.isclose(across, up))
        np.testing.assert_allclose(self.points(1.0, 1.0)[0], [0.0, 1.0], atol=1e-6)
        np.testing.assert_array_equal(self.points(0.0, 0.0), 0.0)

    @given(st.floats(-4, 4), st.floats(-4, 4))
    def test_stays_inside_the_frame(self, left: float, right: float) -> None:
        self.assertLessEqual(np.hypot(*self.points(left, right)[0]), 1.0 + 1e-6)

    def test_spectra_are_json(self) -> None:
        spectra = Spectra.of(band_powers(noise(0.5), HOP))
        json.dumps(vars(spectra), allow_nan=False)
        self.assertEqual(len(spectra.left), len(CENTRES))


class Overviews(SimpleTestCase):
    def test_says_what_the_measurement_of_the_whole_says(self) -> None:
        audio = np.concatenate([noise(6.0, 2), noise(6.0, 3) * [[1.0], [2.0]], noise(3.0, 4, 0.01)], axis=1)
        audio = audio.astype(np.float32)
        whole = measure([audio], RATE, 2)
        found = Overview(measure_frames(audio, RATE))
        for name, value in found.figures().items():
            self.assertAlmostEqual(value, whole[name], delta=2e-3, msg=name)
        told = [vars(stretch) for stretch in found.stretches()]
        self.assertEqual([(s["start"], s["end"]) for s in told], [(s["start"], s["end"]) for s in whole["stretches"]])

    def test_curves_stand_where_the_sound_is(self) -> None:
        audio = np.concatenate([noise(8.0), noise(8.0, 5) * [[1.0], [2.0]]], axis=1).astype(np.float32)
        audio[1, : 4 * RATE] = -audio[0, : 4 * RATE]
        curves = Overview(measure_frames(audio, RATE)).curves()
        self.assertEqual({len(curve) for curve in curves.values()}, {160})
        self.assertAlmostEqual(curves["lean_long"][120], 6.02, delta=0.1)
        self.assertAlmostEqual(curves["correlation"][20], -1.0, delta=1e-3)
        self.assertEqual(curves["mono_loss"][15], -60.0)
        self.assertAlmostEqual(curves["mono_loss"][120], -3.0, delta=0.2)
        self.assertGreater(curves["short_term"][120], curves["short_term"][60] + 3.0)

    def test_finite_on_nothing_one_side_opposite_and_very_short(self) -> None:
        left = noise(5.0)[0]
        for audio in (
            np.zeros((2, RATE * 5), np.float32),
            np.stack([left, np.zeros_like(left)]),
            np.stack([left, -left]),
            noise(0.1),
            noise(0.02),
            np.zeros((2, 0), np.float32),
        ):
            overview = Overview(measure_frames(audio, RATE))
            figures, curves = overview.figures(), overview.curves()
            json.dumps(figures, allow_nan=False)
            for curve in curves.values():
                self.assertFalse(np.isinf(curve).any())
            self.assertEqual(
                overview.stretches() == [], audio[1].any() or not audio[0].any() or audio.shape[1] < RATE
            )
            overview.bands().in_thirds().mono_loss()
        self.assertIsNone(Overview(Frames.silence(50)).figures()["lean_db"])

    def test_a_part_of_it_is_what_that_part_measures(self) -> None:
        audio = noise(6.0, 7)
        frames = measure_frames(audio, RATE)
        part = frames.between(20 * FRAMES_PER_HOP, 50 * FRAMES_PER_HOP)
        self.assertEqual((part.count, part.bands.shape[2]), (150, 30))
        np.testing.assert_array_equal(Overview(part).powers, Overview(frames).powers[:, 20:50])
        again = Frames.joined([frames.between(0, 100), frames.between(100, 300)])
        np.testing.assert_array_equal(again.bands, frames.bands)

    def test_a_mono_file_counts_once(self) -> None:
        one = tone(1000.0, 20.0) * 10 ** (-23 / 20)
        twice = np.tile(one, (2, 1)).astype(np.float32)
        alone = Overview(measure_frames(twice, RATE), (0.5, 0.5)).figures()["integrated_lufs"]
        self.assertAlmostEqual(alone, measure([one], RATE, 1)["integrated_lufs"], delta=0.01)
