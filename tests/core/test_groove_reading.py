"""The groove reading: its gains are those of the rendered sound, its sentences hold of any part, its offers help."""

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.autopan import groove_reading
from needle.autopan.presets import PRESETS
from needle.autopan.pulse import Pulse, Pulsing
from needle.mix.model import Mix, MixSource
from needle.render.engine import render_audio
from needle.tempo import TempoMap
from tests import examples
from tests.core.pulses import names, pulsing, steady
from tests.core.strategies import RATE


class Readings(SimpleTestCase):
    @examples(25)
    @given(
        names,
        st.sampled_from([0.25, 0.5, 0.75, 1.0, 1.5, 2.0, 4.0]),
        st.sampled_from([0.0, 90.0, 180.0]),
        st.booleans(),
        st.sampled_from([0.0, 0.125, 0.3]),
    )
    def test_a_reading_is_what_a_rendered_steady_tone_does(self, wave, period, offset, flip, start) -> None:
        pulse = pulsing(wave=wave, period=period, offset=offset, flip=flip, start_phase=start)
        output = render_audio(steady(pulse, 2.0), 0, 2 * RATE) / 0.5
        for mark in groove_reading.marks(pulse, 1):
            first = round((mark.beat - 1.0) * 0.5 * RATE)
            means = np.sqrt((output[:, first : first + round(0.02 * RATE)].astype(float) ** 2).mean(axis=1))
            np.testing.assert_allclose((mark.left, mark.right), means, atol=0.02)

    @examples(30)
    @given(
        names,
        st.sampled_from([1 / 8, 1 / 6, 0.25, 1 / 3, 0.5, 2 / 3, 0.75, 1.0, 1.5, 2.0, 4.0, 6.0]),
        st.floats(0.0, 360.0),
        st.booleans(),
        st.sampled_from([0.0, 0.125, 0.3, 0.5, 0.75]),
        st.floats(0.1, 1.0),
        st.sampled_from(["level", "place"]),
        st.floats(60.0, 180.0),
        st.integers(0, 99),
    )
    def test_what_the_sentence_says_is_heard_of_any_part(
        self, wave, period, offset, flip, start, depth, form, bpm, seed
    ) -> None:
        """Attacks of noise on every beat, half-beat and third-beat, with the pulse against without it."""
        pulse = Pulse(wave=wave, period=period, offset=offset, flip=flip, start_phase=start, depth=depth, form=form)
        pulsed = Pulsing(pulse, TempoMap(((0.0, bpm),)))
        beat = 60.0 / bpm
        rng = np.random.default_rng(seed)
        audio = np.zeros((1, round(6 * beat * RATE)), np.float32)
        burst = round(0.02 * RATE)
        for sixth in (0, 2, 3, 4):
            for whole in range(4):
                at = round((whole + sixth / 6.0) * beat * RATE)
                # As loud in every part of the attack, so that what is measured is the pulse.
                audio[0, at : at + burst] = 0.5 * np.sign(rng.standard_normal(burst))
        source = MixSource("part", audio, pulse=pulsed)
        mix = Mix(RATE, audio.shape[1] / RATE, (source,), tempo=pulsed.tempo)
        output = render_audio(mix, 0, audio.shape[1]).astype(float)
        # Level in the middle is both sides at half the power; a place is told against hard to a side.
        scale = 0.5 if form == "level" else 1.0
        claims = groove_reading.claims(groove_reading.marks(pulsed, 1))
        self.assertTrue(claims)
        for claim in claims:
            for mark in claim.beats:
                first = round((mark - 1.0) * beat * RATE)
                for side in claim.sides:
                    row = output[0 if side == "left" else 1, first : first + burst]
                    level = 10 * np.log10((row**2).mean() / (0.25 * scale) + 1e-12)
                    if claim.word == "silent":
                        self.assertLess(level, groove_reading.SILENT_DB + 1.0)
                    elif claim.word == "full":
                        self.assertGreater(level, groove_reading.FULL_DB - 1.0)
                    else:
                        self.assertAlmostEqual(level, (claim.low + claim.high) / 2.0, delta=1.0)

    def test_sentences(self) -> None:
        def sentence(bar: int = 1, **values) -> str:
            pulse = pulsing(**values)
            return groove_reading.sentence(
                groove_reading.marks(pulse, bar), bar, groove_reading.every_bar(pulse, bar)
            )

        self.assertEqual(sentence(start_phase=0.75), "Left falls silent on every beat, right on every half-beat.")
        self.assertEqual(
            sentence(),
            "Left comes at −7 dB on every half-beat, right on every beat; "
            "left comes at −5 dB on every beat, right on every half-beat.",
        )
        self.assertEqual(
            sentence(wave="square", period=2.0, offset=0.0, start_phase=0.02),
            "Both sides fall silent on 2, 2½, 4 and 4½.",
        )
        # What switches off on the very beat still lets its ramp through.
        self.assertEqual(
            sentence(wave="square", period=2.0, offset=0.0),
            "Both sides fall silent on 2½ and 4½; both sides are weak (−20 dB) on 2 and 4.",
        )
        self.assertEqual(sentence(depth=0.2), "Every beat and half-beat comes full on both sides.")
        self.assertEqual(
            sentence(depth=0.75, start_phase=0.25), "Left is weak (−12 dB) on every half-beat, right on every beat."
        )
        self.assertIn("third-beat", sentence(period=1 / 3, start_phase=0.75))
        self.assertRegex(sentence(bar=3, period=0.75, wave="square"), r"^In bar 3 left falls silent on ")

    def test_the_best_flip_and_start_let_the_accents_through(self) -> None:
        times = np.arange(16) * 0.5
        pump = pulsing(wave="square", period=1.0, offset=0.0, flip=True)
        strengths = np.ones(16)
        self.assertLess(groove_reading.passing(pump, times, strengths).score, 0.2)
        best = groove_reading.best_fit(pump, times, strengths)
        flipped = Pulsing(
            Pulse(**{**pump.pulse.as_dict(), "flip": best.flip, "start_phase": best.start_phase}), pump.tempo
        )
        self.assertGreater(groove_reading.passing(flipped, times, strengths).score, 0.98)
        self.assertIsNone(groove_reading.best_fit(flipped, times, strengths))

    def test_accents_of_bars_that_are_alike_are_put_together(self) -> None:
        tempo = TempoMap(((0.0, 120.0),))
        times = np.array([0.0, 1.0, 2.0, 3.0, 4.0])
        accents = groove_reading.accents_in(tempo, 1, times, np.ones(5), alike=True)
        self.assertEqual([beat for beat, _ in accents], [1.0, 3.0])
        self.assertEqual(groove_reading.accents_in(tempo, 3, times, np.ones(5), alike=False), [(1.0, 1.0)])

    def test_cycles_are_told_as_notes(self) -> None:
        self.assertEqual(groove_reading.period_words(Pulse(period=0.5), 90.0)["note"], "1/8 note")
        self.assertEqual(groove_reading.period_words(Pulse(period=1.5), 90.0)["note"], "1/4 note dotted")
        self.assertEqual(groove_reading.period_words(Pulse(period=1 / 3), 90.0)["note"], "1/8 note triplet")
        self.assertEqual(groove_reading.period_words(Pulse(unit="hertz", rate=3.0), 90.0)["beats"], "half a beat")

    def test_every_preset_is_a_pulse_that_moves(self) -> None:
        for preset in PRESETS.values():
            one = pulsing(**preset.values)
            moved = (
                one.sides(np.linspace(0, 8, 999)) if one.pulse.form == "level" else one.shift(np.linspace(0, 8, 999))
            )
            self.assertGreater(np.ptp(moved), 0.2, preset.name)
