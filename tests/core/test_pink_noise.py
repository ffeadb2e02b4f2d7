"""The burst that tells loudspeakers apart: as much power in every octave, as loud as it says."""

import unittest

import numpy as np

from needle.dsp.pink_noise import BURST_DB, BURST_SECONDS, LOW_RANGE, pink_burst


def octave_powers(noise: np.ndarray, rate: int, centres: list[float]) -> np.ndarray:
    power = np.abs(np.fft.rfft(noise.astype(np.float64))) ** 2
    frequencies = np.fft.rfftfreq(len(noise), 1.0 / rate)
    edges = [(centre / np.sqrt(2.0), centre * np.sqrt(2.0)) for centre in centres]
    return np.array([power[(frequencies >= low) & (frequencies < high)].sum() for low, high in edges])


class Bursts(unittest.TestCase):
    def test_every_octave_has_the_same_power(self) -> None:
        for rate in (44_100, 48_000, 96_000):
            noise = pink_burst(rate)
            self.assertEqual((noise.dtype, len(noise)), (np.dtype(np.float32), round(rate * BURST_SECONDS)))
            levels = 10.0 * np.log10(octave_powers(noise, rate, [125, 250, 500, 1000, 2000, 4000, 8000]))
            self.assertLess(np.ptp(levels), 1.0)
            self.assertAlmostEqual(20.0 * np.log10(noise.std()), BURST_DB, delta=0.5)
            self.assertLess(np.abs(noise).max(), 1.0)

    def test_it_begins_and_ends_without_a_click_and_is_the_same_each_time(self) -> None:
        noise = pink_burst(48_000)
        self.assertLess(max(abs(noise[0]), abs(noise[-1])), 1e-6)
        np.testing.assert_array_equal(noise, pink_burst(48_000))

    def test_for_the_low_frequency_channel_it_is_low(self) -> None:
        low, high = octave_powers(pink_burst(48_000, band=LOW_RANGE), 48_000, [63.0, 1000.0])
        self.assertGreater(low, 1e6 * high)
