"""Timing placement: accurate, flat, free of clicks; its mono reading agrees with what is rendered and measured."""

import dataclasses
import itertools

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.automation.curve import Lane, Point
from needle.autopan.pulse import Pulse, Pulsing
from needle.dsp.fractional_delay import Timing, timing_of
from needle.dsp.k_weighting import KWeighting
from needle.effects.base import Around
from needle.effects.chorus import CHORUS
from needle.errors import NeedleError
from needle.metering.spectra import spectrum_of
from needle.mix.model import Mix, MixSource
from needle.render.engine import render_audio
from needle.render.placement_analysis import (
    level_db,
    lost,
    mode_choices,
    mono_loss,
    mono_reading,
    notches,
    response,
    without,
)
from needle.tempo import TempoMap
from tests import examples
from tests.core.strategies import RATE, tone

ways = st.sampled_from(["symmetric", "far-side"])


def pink(channels: int = 1, seconds: float = 3.0, seed: int = 9) -> np.ndarray:
    """Noise that falls with frequency, a little alike on its channels."""
    rng = np.random.Generator(np.random.PCG64(seed))
    frames = round(seconds * RATE)
    spectrum = np.fft.rfft(rng.standard_normal((channels, frames)))
    spectrum /= np.sqrt(np.maximum(np.arange(spectrum.shape[1]), 20.0))
    sound = np.fft.irfft(spectrum, frames)
    if channels == 2:
        sound[1] = 0.5 * sound[0] + 0.7 * sound[1]
    return (0.2 * sound / np.abs(sound).max()).astype(np.float32)


def weighted(audio: np.ndarray) -> np.ndarray:
    return KWeighting(RATE, audio.shape[0])(audio)


class Arrival(SimpleTestCase):
    @examples(25)
    @given(st.floats(-1.0, 1.0), st.floats(0.1, 30.0), ways)
    def test_accurate_to_a_microsecond_and_flat_to_20_khz(self, pan: float, most: float, way: str) -> None:
        click = np.zeros((1, 16384), np.float32)
        click[0, 4000] = 1.0
        source = MixSource("click", click, delay_panning=way, delay_panning_ms=most, pan=pan)
        left, right = np.fft.rfft(render_audio(Mix(RATE, 1.0, (source,)), 0, 16384), axis=1)
        hertz = np.fft.rfftfreq(16384, 1 / RATE)
        audible = (hertz > 20.0) & (hertz < 20_000.0)
        for side in (left, right):
            gain = 20 * np.log10(np.abs(side[audible]) / np.sqrt(0.5))
            self.assertLess(np.abs(gain).max(), 0.1)
        wanted = pan * most / 1000.0
        # Take the expected difference out first, so that the phase of what is left cannot wrap.
        rest = np.angle(left * np.conj(right) * np.exp(2j * np.pi * hertz * wanted))[audible]
        late = -np.polyfit(2 * np.pi * hertz[audible], rest, 1)[0]
        self.assertLess(abs(late), 1e-6)

    @given(st.floats(-1.0, 1.0), st.floats(0.1, 30.0), st.booleans())
    def test_never_early_and_mirrored(self, pan: float, most: float, far: bool) -> None:
        timing = Timing(far, most / 1000.0)
        left, right = timing.delays(pan)
        self.assertGreaterEqual(min(left, right), 0.0)
        self.assertAlmostEqual(left - right, pan * most / 1000.0)
        np.testing.assert_allclose(timing.delays(-pan), [right, left])
        if far:
            self.assertEqual(min(left, right), 0.0)
        else:
            self.assertAlmostEqual(left + right, most / 1000.0)

    def test_moving_it_does_not_click(self) -> None:
        lane = Lane((Point(0.05, -1.0, "straight"), Point(0.25, 1.0, "hold"), Point(0.4, -1.0)))
        for way in ("symmetric", "far-side"):
            source = MixSource("tone", tone(300.0, 0.6), delay_panning=way, delay_panning_ms=1.0, lanes={"pan": lane})
            out = render_audio(Mix(RATE, 0.6, (source,)), 0, round(0.55 * RATE))
            steepest = np.abs(np.diff(out, axis=1)).max()
            # A sine of 300 Hz rises by 0.028 a sample at these gains; a click would be a multiple of that.
            self.assertLess(steepest, 0.04, way)

    def test_unknown_ways_are_told(self) -> None:
        with self.assertRaisesRegex(NeedleError, "far-side"):
            timing_of("sideways", 0.7, 0.0)


def below(found: np.ndarray, wanted: np.ndarray) -> tuple[float, float]:
    """How far what is wrong lies below what is wanted, and its strongest line below the strongest wanted (dB)."""
    wrong = found.astype(float) - wanted
    window = np.hanning(found.shape[-1])
    lines, told = (np.abs(np.fft.rfft(window * one)).max() for one in (wrong, wanted))
    power = (wrong**2).mean() / (wanted**2).mean()
    return 10.0 * np.log10(power + 1e-30), 20.0 * np.log10(lines / told + 1e-30)


class VaryingDelay(SimpleTestCase):
    """10 kHz through 8 ms swept twice a second, against the tone at the very time that each sample is read."""

    HERTZ, SWEEPS = 10_000.0, 2.0

    def assert_true(self, found: np.ndarray, wanted: np.ndarray) -> None:
        """But for how loud it is."""
        found, wanted = (one[RATE // 2 : -RATE // 2].astype(float) for one in (found, wanted))
        power, line = below(found / ((found * wanted).sum() / (wanted**2).sum()), wanted)
        self.assertLess(power, -60.0)
        self.assertLess(line, -70.0)

    def heard(self, delays: np.ndarray) -> np.ndarray:
        """The tone, later by so many seconds at each sample."""
        return np.sin(2.0 * np.pi * self.HERTZ * (np.arange(len(delays)) / RATE - delays))

    def test_places_by_timing(self) -> None:
        sweep = Pulsing(Pulse(form="place", wave="sine", unit="hertz", rate=self.SWEEPS, depth=1.0))
        source = MixSource(
            "tone", tone(self.HERTZ, 3.0), delay_panning="symmetric", delay_panning_ms=8.0, pulse=sweep
        )
        found = render_audio(Mix(RATE, 3.0, (source,)), 0, 3 * RATE)
        position = sweep.shift(np.arange(3 * RATE) / RATE)
        position = np.broadcast_to(position, (2, 3 * RATE))[0]
        self.assertGreater(np.ptp(position), 1.9)
        for side, sign in ((0, 1.0), (1, -1.0)):
            self.assert_true(found[side], self.heard(0.004 * (1.0 + sign * position)))

    def test_a_double_that_is_placed_by_timing(self) -> None:
        sweep = Pulsing(Pulse(form="place", wave="sine", unit="hertz", rate=self.SWEEPS, depth=1.0))
        source = MixSource("tone", tone(self.HERTZ, 3.0), delay_panning="symmetric", delay_panning_ms=8.0,
                           pulse=sweep, double=True, double_ms=5.0)  # fmt: skip
        found = render_audio(Mix(RATE, 3.0, (source,)), 0, 3 * RATE)
        position = np.broadcast_to(sweep.shift(np.arange(3 * RATE) / RATE), (2, 3 * RATE))[0]
        wanted = self.heard(0.004 * (1.0 + position)) + self.heard(0.004 * (1.0 - position) + 0.005)
        self.assert_true(found[0], wanted)

    def test_chorus(self) -> None:
        settings = {"voices": 1.0, "delay": 14.0, "depth": 4.0, "rate": self.SWEEPS, "dry": 0.0}
        around = Around(RATE, TempoMap())
        past, ahead = CHORUS.reach(settings, around)
        sound = np.pad(np.repeat(tone(self.HERTZ, 3.0), 2, axis=0), ((0, 0), (past, ahead)))
        found = CHORUS.process(sound, -past, settings, around)
        at = np.arange(3 * RATE) / RATE
        for side, turn in ((0, 0.0), (1, 0.5)):
            delays = (14.0 + 4.0 * np.sin(2.0 * np.pi * (self.SWEEPS * at + turn))) / 1000.0
            self.assert_true(found[side], self.heard(delays))

    @given(st.lists(st.integers(1, 47_999), min_size=1, max_size=4, unique=True))
    def test_any_division_gives_the_same_samples(self, cuts: list[int]) -> None:
        sweep = Pulsing(Pulse(form="place", wave="sine", unit="hertz", rate=3.0))
        source = MixSource("tone", tone(3000.0, 1.0), delay_panning="far-side", delay_panning_ms=8.0, pulse=sweep)
        mix = Mix(RATE, 1.0, (source,))
        edges = [0, *sorted(cuts), RATE]
        parts = [render_audio(mix, low, high) for low, high in itertools.pairwise(edges)]
        np.testing.assert_allclose(np.concatenate(parts, axis=1), render_audio(mix, 0, RATE), atol=1e-6)


class MonoReadings(SimpleTestCase):
    def test_notches_of_the_design(self) -> None:
        np.testing.assert_allclose(notches(0.7e-3)[:3], [714.3, 2142.9, 3571.4], atol=0.05)
        self.assertEqual(notches(0.0), [])
        self.assertLessEqual(max(notches(1e-3)), 20_000.0)

    @examples(12)
    @given(st.floats(-1.0, 1.0), st.floats(0.1, 5.0), ways, st.floats(0.0, 1.0), st.booleans(), st.floats(0.0, 20.0))
    def test_level_and_loss_agree_with_what_is_rendered(self, pan, most, way, share, double, late) -> None:
        sound = pink()
        source = MixSource(
            "one",
            sound,
            pan=pan,
            delay_panning=way,
            delay_panning_ms=most,
            level_share=share,
            double=double,
            double_ms=late,
        )
        mix = Mix(RATE, 4.0, (source,))
        heard = weighted(render_audio(mix, 0, sound.shape[1] + 4800))
        power = (heard**2).sum() / sound.shape[1]
        spectrum = spectrum_of([sound], 1, RATE)
        self.assertAlmostEqual(level_db(mix, source, spectrum, 0.0), 10 * np.log10(power), delta=0.15)
        folded = (heard.sum(axis=0) ** 2 / 2.0).sum() / sound.shape[1]
        predicted = mono_loss(spectrum, response(mix, source, 0.0, spectrum.frequencies))
        self.assertAlmostEqual(predicted, 10 * np.log10(folded / power), delta=0.25)

    def test_a_tone_in_a_notch_is_lost_and_a_nearby_delay_saves_it(self) -> None:
        """1 kHz at a difference of 0.5 ms cancels in mono."""
        sound = tone(1000.0, 2.0, amplitude=0.3)
        source = MixSource("tone", sound, pan=1.0, delay_panning="far-side", delay_panning_ms=0.5)
        mix = Mix(RATE, 2.0, (source,))
        spectrum = spectrum_of([sound], 1, RATE)
        found = mono_reading(mix, source, spectrum, 0.0)
        self.assertAlmostEqual(found.difference, 0.5e-3)
        self.assertAlmostEqual(found.notches[0], 1000.0, places=6)
        self.assertLess(found.loss, -30.0)
        self.assertLess(found.bands[16], -30.0)
        self.assertAlmostEqual(abs(found.better - 0.5), 0.2, delta=0.006)
        delayed = dataclasses.replace(source, delay_panning_ms=found.better)
        heard = render_audio(Mix(RATE, 2.0, (delayed,)), 4800, RATE).astype(float)
        measured = 10 * np.log10((heard.sum(axis=0) ** 2 / 2).mean() / (heard**2).mean(axis=1).sum())
        self.assertAlmostEqual(measured, found.better_loss, delta=0.1)

    def test_silence_and_no_timing_are_sensible(self) -> None:
        quiet = np.zeros((1, 4800), np.float32)
        source = MixSource("quiet", quiet, delay_panning="symmetric", pan=0.5)
        spectrum = spectrum_of([quiet], 1, RATE)
        found = mono_reading(Mix(RATE, 1.0, (source,)), source, spectrum, 0.0)
        self.assertTrue(spectrum.silent)
        self.assertEqual(set(found.bands), {None})
        self.assertEqual((found.loss, found.better_loss), (0.0, 0.0))
        self.assertEqual(lost(Mix(RATE, 1.0, (source,)), source, spectrum, 0.0), 0.0)


class Meanings(SimpleTestCase):
    @examples(25)
    @given(st.floats(-1.0, 1.0))
    def test_what_a_balance_throws_away_is_what_is_missing_in_the_render(self, pan: float) -> None:
        sound = pink(2)
        source = MixSource("pair", sound, mode="balance", pan=pan)
        mix = Mix(RATE, 3.0, (source,))
        spectrum = spectrum_of([sound], 2, RATE)
        before, after = (weighted(audio) for audio in (sound, render_audio(mix, 0, sound.shape[1])))
        missing = 1.0 - (after**2).sum() / (before**2).sum()
        self.assertAlmostEqual(lost(mix, source, spectrum, 0.0), missing, delta=0.01)

    @examples(25)
    @given(
        st.sampled_from(["balance", "sides", "span", "mono"]),
        st.floats(-0.9, 0.9),
        st.floats(-0.9, 0.9),
        st.floats(-20.0, 6.0),
    )
    def test_a_change_of_meaning_changes_the_level_as_it_says(self, mode, one, other, level) -> None:
        sound = pink(2)
        values = {"pan": one, "span": other, "pan_left": one, "pan_right": other, "level_left": level}
        source = MixSource("pair", sound, mode=mode, **values)
        spectrum = spectrum_of([sound], 2, RATE)
        mix = Mix(RATE, 3.0, (source,))
        before = (weighted(render_audio(mix, 0, sound.shape[1])) ** 2).sum()
        for choice in mode_choices(mix, source, spectrum, 0.0):
            there = dataclasses.replace(source, **choice["values"])
            after = (weighted(render_audio(Mix(RATE, 3.0, (there,)), 0, sound.shape[1])) ** 2).sum()
            self.assertAlmostEqual(choice["change"], 10 * np.log10(after / before), delta=0.1)

    @examples(25)
    @given(st.floats(-1.0, 1.0), st.floats(-0.5, 0.5))
    def test_sides_take_over_exactly_from_balance_and_span(self, pan: float, span: float) -> None:
        sound = pink(2, 0.2)
        spectrum = spectrum_of([sound], 2, RATE)
        for mode in ("balance", "span"):
            source = MixSource("pair", sound, mode=mode, pan=pan, span=span)
            mix = Mix(RATE, 1.0, (source,))
            (sides,) = (c for c in mode_choices(mix, source, spectrum, 0.0) if c["name"] == "sides")
            there = dataclasses.replace(source, **sides["values"])
            np.testing.assert_allclose(
                render_audio(mix, 0, 4800), render_audio(Mix(RATE, 1.0, (there,)), 0, 4800), atol=1e-4
            )

    def test_hearing_it_without_is_as_loud(self) -> None:
        sound = pink(2)
        spectrum = spectrum_of([sound], 2, RATE)
        source = MixSource(
            "pair",
            sound,
            mode="span",
            pan=0.6,
            span=0.3,
            width=1.6,
            delay_panning="symmetric",
            double=True,
            double_ms=9.0,
        )
        mix = Mix(RATE, 3.0, (source,))
        loud = (weighted(render_audio(mix, 0, sound.shape[1])) ** 2).sum()
        for treatment in ("place", "width", "delay_panning", "double", "all"):
            other = without(mix, "pair", treatment, spectrum, 0.0)
            heard = (weighted(render_audio(other, 0, sound.shape[1])) ** 2).sum()
            self.assertAlmostEqual(10 * np.log10(heard / loud), 0.0, delta=0.15, msg=treatment)
        with self.assertRaisesRegex(NeedleError, "nothing to bypass"):
            without(mix, "pair", "colour", spectrum, 0.0)
