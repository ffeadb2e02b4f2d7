"""Effects: the same every time, finite and bounded for any allowed setting, exact however the piece is cut."""

import itertools

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from scipy.fft import rfft
from scipy.signal import fftconvolve

from needle.dsp.convolution import block_spectra, convolve_blocks, partition_count, partition_responses
from needle.effects.base import Around, Effect
from needle.effects.chain import EFFECTS, Chain, checked_effects
from needle.effects.room import response
from needle.errors import NeedleError
from needle.mix.model import Mix, MixReturn, MixSend, MixSource
from needle.render.compile import MIX, compile_mix
from needle.render.engine import run
from needle.tempo import TempoMap
from tests import examples
from tests.core.strategies import RATE

FRAMES = 30_000
AROUND = Around(RATE, TempoMap(((0.0, 100.0), (1.0, 140.0)), ((1, 4, 4),)))


@st.composite
def effects(draw, longest: float = 0.6) -> tuple[Effect, dict]:
    """An effect with any settings, the long ones kept short enough for a test."""
    effect = EFFECTS[draw(st.sampled_from(sorted(EFFECTS)))]
    found = {}
    for setting in effect.settings:
        if setting.choices:
            found[setting.name] = draw(st.sampled_from(setting.choices))
        else:
            high = {"length": longest, "time": 120.0, "beats": 0.25, "feedback": 0.6}.get(setting.name, setting.high)
            found[setting.name] = draw(st.floats(setting.low, high))
    return effect, effect.checked(found)


def chain_of(*links: tuple[Effect, dict]) -> Chain:
    return Chain(tuple(links))


def noise(seed: int = 3, frames: int = FRAMES) -> np.ndarray:
    rng = np.random.Generator(np.random.PCG64(seed))
    return (0.2 * rng.standard_normal((2, frames))).astype(np.float32)


def through(chain: Chain, audio: np.ndarray, first: int, stop: int) -> np.ndarray:
    """The chain's output between two frames, as a return has it that hears nothing but this audio."""
    source = MixSource("a", audio, mode="balance", direct_muted=True, sends={"r": MixSend(level=0.0)})
    mix = Mix(RATE, stop / RATE, (source,), tempo=AROUND.tempo, returns=(MixReturn("r", chain),))
    return run(compile_mix(mix), first, stop)[MIX]


class Laws(SimpleTestCase):
    @examples(60)
    @given(st.lists(effects(), min_size=1, max_size=3), st.lists(st.integers(1, FRAMES - 1), max_size=4, unique=True))
    def test_any_division_gives_the_same_and_so_does_another_time(self, links, cuts: list[int]) -> None:
        chain, audio = chain_of(*links), noise()
        whole = through(chain, audio, 0, FRAMES)
        edges = [0, *sorted(cuts), FRAMES]
        parts = np.concatenate([through(chain, audio, a, b) for a, b in itertools.pairwise(edges)], axis=1)
        self.assertEqual(whole.shape, (2, FRAMES))
        loudest = max(1.0, float(np.abs(whole).max()))
        # What rounds before a drive is amplified by it.
        driven = 10 ** (sum(values["amount"] for effect, values in links if not effect.linear) / 20)
        self.assertLess(np.abs(whole - parts).max() / loudest, 1e-5 * max(1.0, driven / 30))
        np.testing.assert_array_equal(whole, through(Chain(chain.links), audio, 0, FRAMES))

    @examples(60)
    @given(effects())
    def test_stable_and_finite(self, link) -> None:
        effect, values = link
        whole = through(chain_of(link), noise(), 0, 2 * FRAMES)
        self.assertTrue(np.isfinite(whole).all())
        self.assertLess(np.abs(whole).max(), 40.0, (effect.name, values))
        silent = through(chain_of(link), np.zeros((2, FRAMES), np.float32), 0, FRAMES)
        self.assertEqual(float(np.abs(silent).max()), 0.0)

    @examples(30)
    @given(effects())
    def test_nothing_is_heard_before_it_is_sent_nor_after_the_tail(self, link) -> None:
        effect, values = link
        audio = np.zeros((2, FRAMES), np.float32)
        audio[:, 12_000:12_500] = noise(5, 500)
        tail = effect.tail(values, AROUND)
        whole = through(chain_of(link), audio, 0, 12_500 + tail + 24_000)
        self.assertLess(np.abs(whole[:, :11_900]).max(), 1e-6)
        self.assertLess(np.abs(whole[:, 12_500 + tail + 20_000 :]).max(), 1e-3)

    def test_settings_are_checked(self) -> None:
        for effect in EFFECTS.values():
            self.assertEqual(effect.checked({}), effect.defaults())
            with self.assertRaisesRegex(NeedleError, "has no"):
                effect.checked({"colour": 1.0})
            for setting in effect.settings:
                wrong = "sideways" if setting.choices else setting.high * 2 + 1
                with self.assertRaisesRegex(NeedleError, r"Choose|runs from"):
                    effect.checked({setting.name: wrong})
        twice = [{"id": "a", "kind": "echo", "on": True}] * 2
        with self.assertRaisesRegex(NeedleError, "same id"):
            checked_effects(twice)
        with self.assertRaisesRegex(NeedleError, "no effect called"):
            checked_effects([{"id": "a", "kind": "spin", "on": True}])

    def test_what_is_off_is_left_out(self) -> None:
        stored = checked_effects([{"id": "a", "kind": "drive", "on": False}, {"id": "b", "kind": "echo", "on": True}])
        self.assertEqual([effect.name for effect, _ in Chain.of(stored).links], ["echo"])


class Convolution(SimpleTestCase):
    @examples(25)
    @given(st.sampled_from([1, 700, 2048, 9000, 70_000]), st.sampled_from([480, 2048, 24_000]), st.integers(1, 5))
    def test_is_a_convolution(self, taps: int, block: int, count: int) -> None:
        rng = np.random.Generator(np.random.PCG64(taps))
        answers = (rng.standard_normal((2, 2, taps)) / np.sqrt(taps)).astype(np.float32)
        past = partition_count(taps, block) * block
        audio = rng.standard_normal((2, past + count * block)).astype(np.float32)
        terms = [(output, side, 2 * output + side) for output in (0, 1) for side in (0, 1)]
        parts = partition_responses(answers.reshape(4, -1), block)
        convolved = convolve_blocks(block_spectra(audio, block), parts, terms, 2)
        wanted = sum(
            fftconvolve(audio[np.newaxis, side], answers[:, side].astype(float), axes=1)[
                :, past : past + count * block
            ]
            for side in (0, 1)
        )
        np.testing.assert_allclose(convolved, wanted, atol=2e-4)


class Sound(SimpleTestCase):
    def test_a_room_answers_where_it_is_called_and_decays_as_long_as_it_says(self) -> None:
        for crossing in (0.0, 0.4, 1.0):
            answer = response(RATE, 1.2, 10.0, 0.0, 0.4, crossing).astype(float)
            near, far = (answer[0, 0] ** 2).sum(), (answer[1, 0] ** 2).sum()
            self.assertAlmostEqual(near + far, 1.0, places=4)
            self.assertAlmostEqual(far / near, crossing**2, places=3)
        energy = np.cumsum((response(RATE, 1.2, 0.0, 0.0, 0.4, 0.4)[0, 0].astype(float) ** 2)[::-1])[::-1]
        decay = 10 * np.log10(energy / energy[0])
        t = np.arange(len(decay)) / RATE
        straight = (decay < -10) & (decay > -30)
        slope = np.polyfit(t[straight], decay[straight], 1)[0]
        self.assertAlmostEqual(-60.0 / slope, 1.2, delta=0.12)

    def test_damping_shortens_the_highs(self) -> None:
        bright, dark = (response(RATE, 1.5, 0.0, damping, 0.5, 0.3)[0, 0] for damping in (0.0, 1.0))

        def late_highs(answer: np.ndarray) -> float:
            late = np.abs(rfft(answer[RATE // 2 :].astype(float))) ** 2
            return late[len(late) // 4 :].sum() / late[: len(late) // 40].sum()

        self.assertLess(late_highs(dark), late_highs(bright) / 100)

    def test_echo_dies_away_within_half_a_minute_however_far_apart_it_is(self) -> None:
        echo = EFFECTS["echo"]
        for time in (10.0, 350.0, 2000.0):
            values = echo.checked({"unit": "ms", "time": time, "feedback": 0.85})
            past, _ = echo.reach(values, Around(RATE))
            self.assertLessEqual(past, 32 * RATE)
        values = echo.checked({"unit": "ms", "time": 350.0, "feedback": 0.85})
        sound = np.zeros((2, echo.reach(values, Around(RATE))[0] + 1), np.float32)
        sound[:, 0] = 1.0
        first = round(0.35 * RATE)
        out = through(chain_of((echo, values)), sound[:, : 3 * first + 10], 0, 3 * first + 10)
        # Where repeats are near to each other, each is what is asked for of the one before.
        self.assertAlmostEqual(float(out[0, 2 * first] / out[0, first]), 0.85, places=5)

    def test_echo_falls_on_the_beat_through_a_change_of_tempo(self) -> None:
        echo = EFFECTS["echo"]
        values = echo.checked({"beats": 0.5, "feedback": 0.5, "sides": "alternate"})
        for beat, bpm in ((0.2, 100.0), (3.0, 140.0)):
            at = round(AROUND.tempo.seconds_at(beat) * RATE)
            audio = np.zeros((2, at + RATE), np.float32)
            audio[0, at] = 1.0
            out = through(chain_of((echo, values)), audio, 0, at + RATE)
            apart = round(0.5 * 60.0 / bpm * RATE)
            if beat > 1.0:
                np.testing.assert_allclose(out[0, at + apart], 1.0, atol=1e-6)
                np.testing.assert_allclose(out[1, at + 2 * apart], 0.5, atol=1e-6)
            else:
                self.assertGreater(np.abs(out[:, at + 1 :]).max(), 0.4)

    def test_filters_let_through_what_they_say(self) -> None:
        for name, passed, stopped in (("high-pass", 4000.0, 60.0), ("low-pass", 100.0, 15_000.0)):
            effect = EFFECTS[name]
            values = effect.checked({"frequency": 1000.0})
            for frequency, wanted in ((passed, 0.0), (1000.0, -3.01), (stopped, None)):
                t = np.arange(RATE) / RATE
                tone = np.tile(np.sin(2 * np.pi * frequency * t), (2, 1)).astype(np.float32)
                out = through(chain_of((effect, values)), tone, RATE // 2, RATE // 2 + 4800)
                level = 20 * np.log10(np.sqrt((out.astype(float) ** 2).mean()) * np.sqrt(2.0))
                if wanted is None:
                    self.assertLess(level, -40.0)
                else:
                    self.assertAlmostEqual(level, wanted, delta=0.3)

    def test_drive_does_not_fold_back(self) -> None:
        t = np.arange(RATE) / RATE
        tone = np.tile(0.8 * np.sin(2 * np.pi * 9000.0 * t), (2, 1)).astype(np.float32)
        values = EFFECTS["drive"].checked({"amount": 18.0})
        out = through(chain_of((EFFECTS["drive"], values)), tone, 4800, 4800 + 24_000)[0].astype(float)
        spectrum = 20 * np.log10(np.abs(rfft(out * np.hanning(len(out)))) / len(out) + 1e-12)
        hertz = np.fft.rfftfreq(len(out), 1 / RATE)
        tonal = np.abs(hertz - 9000.0) < 60.0
        # Its third overtone, 27 kHz, would come back at 21 kHz, its fifth at 3 kHz.
        self.assertLess(spectrum[~tonal].max(), spectrum[tonal].max() - 60.0)
