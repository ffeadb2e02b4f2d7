"""Deals: orders, onsets, the built-in voice, what is heard of places, MIDI files, freezing, the command line."""

import io
import json
import tempfile
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import replace
from pathlib import Path

import mido
import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from demo.score import SCORE, drum_strokes, mallet_notes
from needle.__main__ import main
from needle.automation.curve import Lane, Point
from needle.autopan.pulse import Pulse, Pulsing
from needle.dealing.deal import ORDERS, Deal, Event, Place, arranged, dealt, spread, strikes
from needle.dealing.voice import TIMBRES, note
from needle.dsp.onsets import find_onsets
from needle.dsp.pan_laws import law_named
from needle.errors import NeedleError
from needle.io.midi import midi_notes
from needle.layouts import layout_named
from needle.metering.spectra import spectrum_of
from needle.mix.dealt_sounds import DealtSlices
from needle.mix.listening import Listening
from needle.mix.model import Mix, MixReturn, MixSend, MixSource
from needle.render.engine import render_audio
from needle.render.fingerprints import dependency_key
from needle.render.freezing import as_frozen, frozen_sound, key_of
from needle.render.placement_analysis import without
from needle.tempo import TempoMap
from needle.units import OFF_DB, db_to_gain
from tests import examples
from tests.core.strategies import RATE, tone

BEAT = RATE // 4
"""Frames between two events of ``every_quarter``."""

events = st.lists(
    st.builds(Event, st.floats(0, 20), st.floats(0.05, 1), st.integers(30, 90), st.floats(0.1, 1)),
    min_size=1,
    max_size=40,
).map(lambda found: sorted(found, key=lambda e: e.t))
counts = st.integers(2, 16)


def every_quarter(count: int = 16, **values) -> tuple[Event, ...]:
    return tuple(Event(i * 0.25, 0.2, 60 + i % 12, 0.8, **values) for i in range(count))


def places(count: int = 4, **values) -> tuple[Place, ...]:
    return tuple(Place(f"p{i + 1}", pan, **values) for i, pan in enumerate(spread(count)))


def dealt_mix(deal: Deal, seconds: float = 4.0, **values) -> Mix:
    audio = np.full((1, round(seconds * RATE)), 0.5, np.float32)
    return Mix(RATE, seconds, (MixSource("s", audio, deal=deal, **values),))


def f_measure(found: np.ndarray, true: np.ndarray, within: float = 0.01) -> float:
    """How well onsets were found, 0…1: the harmonic mean of the share that is right and the share that was found.

    Each true one counts once, found within so many seconds.
    """
    missing = list(np.sort(true))
    hits = 0
    for time in np.sort(found):
        near = [t for t in missing if abs(t - time) <= within]
        if near:
            missing.remove(min(near, key=lambda t: abs(t - time)))
            hits += 1
    total = len(found) + len(true)
    return 2.0 * hits / total if total else 1.0


class Orders(SimpleTestCase):
    @given(events, counts, st.sampled_from(sorted(ORDERS)), st.integers(0, 999))
    def test_are_repeatable_by_their_seed_and_stay_among_the_places(self, found, count, order, seed) -> None:
        turns = dealt(found, order, count, seed)
        np.testing.assert_array_equal(turns, dealt(found, order, count, seed))
        self.assertTrue(((turns >= 0) & (turns < count)).all())

    @given(counts, st.sampled_from(["in-turn", "there-and-back", "shuffled"]), st.integers(0, 99))
    def test_cover_all_places(self, count, order, seed) -> None:
        turns = dealt(every_quarter(2 * count), order, count, seed)
        self.assertEqual(set(turns), set(range(count)))

    @given(counts, st.integers(0, 999))
    def test_a_shuffle_never_repeats(self, count, seed) -> None:
        turns = dealt(every_quarter(6 * count), "shuffled", count, seed)
        self.assertTrue((np.diff(turns) != 0).all())
        # Every place once in each round.
        self.assertEqual(sorted(turns[:count]), list(range(count)))

    @given(events, counts)
    def test_by_pitch_and_by_strength_rise(self, found, count) -> None:
        for order, value in (("by-pitch", "pitch"), ("by-velocity", "velocity")):
            turns = dealt(found, order, count)
            ranked = np.argsort([getattr(event, value) for event in found], kind="stable")
            self.assertTrue((np.diff(turns[ranked]) >= 0).all())

    def test_there_and_back_does_not_stand_still_at_the_ends(self) -> None:
        self.assertEqual(list(dealt(every_quarter(7), "there-and-back", 3)), [0, 1, 2, 1, 0, 1, 2])

    def test_what_is_struck_together_goes_to_one_place(self) -> None:
        chord = [Event(0.0), Event(0.004), Event(0.5), Event(0.5)]
        self.assertEqual(list(strikes(chord)), [0, 0, 1, 1])
        self.assertEqual(list(dealt(chord, "in-turn", 4)), [0, 0, 1, 1])

    def test_too_few_or_too_many_places_are_refused(self) -> None:
        for count in (1, 17):
            with self.assertRaisesRegex(NeedleError, "2 to 16 places"):
                dealt(every_quarter(), "in-turn", count)

    def test_places_are_arranged(self) -> None:
        four = arranged([], "fresh", count=4)
        self.assertEqual([p["pan"] for p in four], [-1.0, -0.3333, 0.3333, 1.0])
        self.assertEqual([p["pan"] for p in arranged(four, "mirror")], [1.0, 0.3333, -0.3333, -1.0])
        self.assertEqual(arranged(arranged(four, "mirror"), "mirror"), four)
        twice = arranged(four, "duplicate", "p2")
        self.assertEqual([p["id"] for p in twice], ["p1", "p2", "p5", "p3", "p4"])
        self.assertEqual([p["pan"] for p in arranged(twice, "spread")], [-1.0, -0.5, 0.0, 0.5, 1.0])
        self.assertEqual(arranged(twice, "remove", "p5"), four)
        self.assertEqual(arranged(arranged(four, "reverse"), "reverse"), four)
        half = [p["pan"] for p in arranged(four, "width", width=0.5)]
        self.assertEqual(half, [-0.5, -0.1666, 0.1666, 0.5])
        # At the field's edge the middle gives way, and what lay on one point is spread.
        aside = [{**p, "pan": 0.75 + 0.05 * i} for i, p in enumerate(four)]
        self.assertEqual([p["pan"] for p in arranged(aside, "width", width=0.4)][::3], [0.2, 1.0])
        together = [{**p, "pan": 0.0} for p in four]
        self.assertEqual(arranged(together, "width", width=1.0), four)
        around = arranged(four, "circle")
        self.assertEqual([(p["pan"], p["front"]) for p in around], [(0, 1), (1, 0), (0, -1), (-1, 0)])
        with self.assertRaises(NeedleError):
            arranged(four, "width", width=0.0)
        for act, which in (("remove", "p9"), ("dance", "")):
            with self.assertRaises(NeedleError):
                arranged(four, act, which)


class Onsets(SimpleTestCase):
    def test_the_demos_drum_and_mallets_are_found_within_ten_milliseconds(self) -> None:
        for key, made in (("hand-drum", drum_strokes()), ("glass-mallets", mallet_notes())):
            audio = np.atleast_2d(SCORE[key]().at_rms(-18.0))
            true = np.unique(np.round([stroke[0] for stroke in made], 4))
            true = true[true * RATE < audio.shape[1]]
            found = find_onsets(audio, RATE)
            self.assertGreater(f_measure(found.times, true, within=0.01), 0.95, key)
            self.assertTrue((found.strengths <= 1.0).all() and (found.strengths > 0.0).all())

    @examples(20)
    @given(st.lists(st.integers(0, 60), min_size=1, max_size=10, unique=True), st.floats(-30, 0))
    def test_clean_strokes_are_found_wherever_they_are(self, at, level) -> None:
        t = np.arange(RATE // 5) / RATE
        stroke = (db_to_gain(level) * np.sin(2 * np.pi * 700 * t) * np.exp(-t / 0.03)).astype(np.float32)
        audio = np.zeros((1, 7 * RATE), np.float32)
        for tenth in at:
            audio[0, tenth * RATE // 10 : tenth * RATE // 10 + len(stroke)] += stroke
        found = find_onsets(audio, RATE).times
        self.assertEqual(f_measure(found, np.sort(at) / 10.0, within=0.01), 1.0)

    def test_silence_and_a_steady_tone_have_none(self) -> None:
        self.assertEqual(find_onsets(np.zeros((2, RATE), np.float32), RATE).times.size, 0)
        np.testing.assert_allclose(find_onsets(tone(300, 2.0), RATE).times, [0.0], atol=0.01)
        self.assertEqual(find_onsets(np.zeros((1, 10), np.float32), RATE).times.size, 0)

    def test_a_higher_threshold_finds_no_more(self) -> None:
        audio = np.atleast_2d(SCORE["glass-mallets"]().at_rms(-18.0))[:, : 30 * RATE]
        counts = [find_onsets(audio, RATE, threshold).times.size for threshold in (0.1, 0.3, 0.6, 0.9)]
        self.assertEqual(counts, sorted(counts, reverse=True))
        with self.assertRaises(NeedleError):
            find_onsets(audio, RATE, 2.0)


class Stems(SimpleTestCase):
    def test_each_event_is_heard_at_its_place(self) -> None:
        heard = render_audio(dealt_mix(Deal(every_quarter(), places())), 0, 4 * RATE)
        law = law_named("constant-power")
        for index in range(16):
            here = heard[:, index * BEAT + 200 : (index + 1) * BEAT - 300]
            expected = 0.5 * law.gains(spread(4)[index % 4])
            np.testing.assert_allclose(here, np.repeat(expected[:, np.newaxis], here.shape[1], 1), atol=1e-6)

    def test_the_stem_is_there_five_milliseconds_before(self) -> None:
        heard = render_audio(dealt_mix(Deal(every_quarter(), (Place("a", -1.0), Place("b", 1.0)))), 0, RATE)
        self.assertLess(heard[0, BEAT], 1e-6)
        self.assertAlmostEqual(float(heard[1, BEAT]), 0.5, places=5)
        self.assertAlmostEqual(float(heard[0, BEAT - round(0.006 * RATE)]), 0.5, places=5)

    @given(events, counts, st.sampled_from(sorted(ORDERS)))
    def test_gates_add_up_to_one(self, found, count, order) -> None:
        deal = Deal(tuple(found), places(count), order)
        times = np.linspace(0.0, 22.0, 3000)
        total = sum(deal.gate(place).evaluate(times) for place in range(count))
        np.testing.assert_allclose(total, 1.0, atol=1e-9)

    @examples(25)
    @given(st.integers(1, 4 * RATE - 1), st.sampled_from(["stem", "voice"]), st.sampled_from([0.0, 900.0]))
    def test_any_division_gives_the_same_samples(self, cut, sound, tone_hz) -> None:
        mix = dealt_mix(Deal(every_quarter(), places(4, low_pass=tone_hz), sound=sound, dry=-12.0))
        whole = render_audio(mix, 0, 4 * RATE)
        parts = np.concatenate([render_audio(mix, 0, cut), render_audio(mix, cut, 4 * RATE)], axis=1)
        np.testing.assert_allclose(parts, whole, atol=1e-5)

    @given(events, counts, st.sampled_from(["in-turn", "shuffled", "by-pitch"]))
    def test_slices_that_nothing_is_changed_of_are_the_stem_through_its_gates(self, found, count, order) -> None:
        audio = np.random.default_rng(1).standard_normal((1, 22 * RATE // 10)).astype(np.float32)
        found = sorted((replace(event, t=event.t / 10.0) for event in found), key=lambda event: event.t)
        deal = Deal(tuple(found), places(count), order)
        whole = sum(DealtSlices(audio, "noise", 0, deal, place)[:, : audio.shape[1]] for place in range(count))
        strikes_at = np.array([begins for begins, _, _ in deal.slices])
        away = np.arange(audio.shape[1]) / RATE
        clear = np.abs(away[:, np.newaxis] - strikes_at).min(axis=1) > 0.006
        np.testing.assert_allclose(whole[0, clear], audio[0, clear], atol=1e-6)
        ramps = np.diff(strikes_at).min(initial=1.0) > 0.006
        if ramps:
            np.testing.assert_allclose(whole, audio, atol=0.01 * np.abs(audio).max())

    def test_slices_are_gated_played_higher_and_struck_again(self) -> None:
        t = np.arange(4 * RATE) / RATE
        audio = (0.5 * np.sin(2 * np.pi * 441.0 * t)).astype(np.float32)[np.newaxis]
        alone = Place("b", 1.0, level=OFF_DB)

        def heard(place: Place, strikes_at: tuple[Event, ...] = every_quarter()) -> np.ndarray:
            deal = Deal(strikes_at, (place, alone), tempo=TempoMap(((0.0, 120.0),)))
            return render_audio(Mix(RATE, 4.0, (MixSource("s", audio, deal=deal),)), 0, 4 * RATE)[0]

        def level(sound: np.ndarray, begin: float, end: float) -> float:
            part = sound[round(begin * RATE) : round(end * RATE)]
            return float(20 * np.log10(np.sqrt(np.mean(part**2)) + 1e-9))

        whole = level(heard(Place("a", -1.0)), 0.52, 0.72)
        short = heard(Place("a", -1.0, length=0.5))
        self.assertAlmostEqual(level(short, 0.51, 0.61), whole, delta=0.1)
        self.assertLess(level(short, 0.64, 0.74), -100.0)
        faded = heard(Place("a", -1.0, length=0.2, release=0.1))
        self.assertAlmostEqual(level(faded, 0.59, 0.60), whole - 6.0, delta=1.5)
        self.assertLess(level(faded, 0.66, 0.74), -100.0)
        # Drawn out, a slice sounds on under the next place's.
        self.assertAlmostEqual(level(heard(Place("a", -1.0, length=1.8)), 0.78, 0.9), whole, delta=0.1)
        octave = heard(Place("a", -1.0, transpose=12.0))
        inside = octave[round(0.51 * RATE) : round(0.61 * RATE)]
        loudest = np.argmax(np.abs(np.fft.rfft(inside * np.hanning(len(inside)))))
        self.assertAlmostEqual(float(loudest) * RATE / len(inside), 882.0, delta=12.0)
        self.assertLess(level(octave, 0.64, 0.74), -100.0)
        later = heard(Place("a", -1.0, repeats=2, repeat_interval=2.0, length=0.1), (Event(2.0), Event(2.5)))
        self.assertLess(level(later, 1.02, 1.9), -100.0)
        repeated = heard(Place("a", -1.0, repeats=3, repeat_interval=2.0, fade=6.0), (Event(0.0), Event(0.2)))
        again = [level(repeated, at, at + 0.15) for at in (0.02, 1.02, 2.02, 3.02)]
        np.testing.assert_allclose(again[1:3], [again[0] - 6.0, again[0] - 12.0], atol=0.1)
        self.assertLess(again[3], -100.0)

    @examples(25)
    @given(st.integers(1, 4 * RATE - 1), st.sampled_from([-7.0, 0.0, 5.0]), st.sampled_from([0.4, 1.5]))
    def test_any_division_of_slices_gives_the_same_samples(self, cut, transpose, length) -> None:
        changed = places(4, transpose=transpose, length=length, repeats=2, low_pass=2000.0)
        mix = dealt_mix(Deal(every_quarter(), changed))
        whole = render_audio(mix, 0, 4 * RATE)
        parts = np.concatenate([render_audio(mix, 0, cut), render_audio(mix, cut, 4 * RATE)], axis=1)
        np.testing.assert_allclose(parts, whole, atol=1e-5)

    def test_places_are_anywhere_in_a_room(self) -> None:
        around = (Place("front", 0.0, front=1.0), Place("back", 0.0, front=-1.0), Place("own", 0.0))
        audio, room = np.full((1, 4 * RATE), 0.5, np.float32), layout_named("quad")
        source = MixSource("s", audio, deal=Deal(every_quarter(), around), front=0.0)
        mix = Mix(RATE, 4.0, (source,), layout="quad")
        heard = render_audio(mix, 0, 2 * RATE)
        ahead = [abs(speaker.azimuth) < 90.0 for speaker in room.speakers]
        front, back = np.flatnonzero(ahead), np.flatnonzero(np.logical_not(ahead))

        def share(index: int, rows: np.ndarray) -> float:
            here = heard[:, index * BEAT + 500 : (index + 1) * BEAT - 500].astype(float) ** 2
            return float(here[rows].sum() / here.sum())

        self.assertGreater(share(0, front), 0.99)
        self.assertGreater(share(1, back), 0.99)
        self.assertTrue(0.2 < share(2, back) < 0.99, share(2, back))

    def test_what_was_frozen_before_there_were_such_places_stays_frozen(self) -> None:
        self.assertNotIn("release", repr(Place("a")))
        self.assertIn("release=0.5", repr(Place("a", release=0.5)))
        self.assertIn("front=-1.0", repr(Place("a", front=-1.0)))

    def test_level_tone_and_a_dry_centre(self) -> None:
        t = np.arange(2 * RATE) / RATE
        audio = (0.3 * np.sin(2 * np.pi * 200 * t) + 0.3 * np.sin(2 * np.pi * 6000 * t)).astype(np.float32)[
            np.newaxis
        ]
        pair = (Place("a", -1.0, low_pass=800.0), Place("b", 1.0, level=-6.0))
        source = MixSource("s", audio, deal=Deal(every_quarter(8), pair))
        heard = render_audio(Mix(RATE, 2.0, (source,)), 0, 2 * RATE)
        left, right = heard[0, 2000 : BEAT - 500], heard[1, BEAT + 500 : 2 * BEAT - 500]

        def amplitude(sound: np.ndarray, hertz: float) -> float:
            turn = np.exp(-2j * np.pi * hertz * np.arange(len(sound)) / RATE) * np.hanning(len(sound))
            return float(2 * abs((sound * turn).sum()) / np.hanning(len(sound)).sum())

        self.assertAlmostEqual(amplitude(left, 200.0), 0.3, delta=0.01)
        self.assertLess(amplitude(left, 6000.0), 0.3 * db_to_gain(-30.0))
        self.assertAlmostEqual(amplitude(right, 6000.0), 0.3 * float(db_to_gain(-6.0)), delta=0.01)
        dry = replace(source, deal=replace(source.deal, dry=-6.0))
        under = render_audio(Mix(RATE, 2.0, (dry,)), 0, 2 * RATE) - heard
        centre = render_audio(Mix(RATE, 2.0, (replace(source, deal=None),)), 0, 2 * RATE)
        np.testing.assert_allclose(under, centre * float(db_to_gain(-6.0)), atol=1e-5)

    def test_a_place_is_soloed_and_all_places_together_are_the_deal(self) -> None:
        mix = dealt_mix(Deal(every_quarter(), places()), sends={"r": MixSend(-6.0)})
        mix = replace(mix, returns=(MixReturn("r"),))
        whole = render_audio(mix, 0, 2 * RATE)
        each = [Listening(frozenset({f"s.p{i}"})) for i in range(1, 5)]
        np.testing.assert_allclose(sum(render_audio(mix, 0, 2 * RATE, one) for one in each), whole, atol=1e-5)
        first = render_audio(mix, 0, 2 * RATE, each[0])
        self.assertLess(np.abs(first[:, BEAT + 500 : 4 * BEAT - 500]).max(), 1e-6)
        keys = {dependency_key(mix, 0, RATE, one) for one in (*each, Listening())}
        self.assertEqual(len(keys), 5)

    def test_stereo_and_two_sided_sources_keep_their_width(self) -> None:
        audio = np.stack([np.full(RATE, 0.4), np.zeros(RATE)]).astype(np.float32)
        source = MixSource(
            "s", audio, mode="sides", pan_left=-0.3, pan_right=0.3, deal=Deal(every_quarter(4), places())
        )
        heard = render_audio(Mix(RATE, 1.0, (source,)), 0, RATE)
        expected = 0.4 * law_named("constant-power").gains(-0.3333 - 0.3)
        np.testing.assert_allclose(heard[:, BEAT + BEAT // 2], expected, atol=1e-4)

    def test_a_pulse_and_a_level_govern_all_places(self) -> None:
        pump = Pulsing(Pulse(wave="square", period=2.0, offset=0.0))
        lanes = {"level": Lane((Point(0.0, -6.0),))}
        mix = dealt_mix(Deal(every_quarter(), places()), pulse=pump, lanes=lanes)
        plain = dealt_mix(Deal(every_quarter(), places()))
        a, b = (render_audio(one, 0, RATE) for one in (mix, plain))
        np.testing.assert_allclose(a[:, 3000], b[:, 3000] * db_to_gain(-6.0), atol=1e-5)
        self.assertLess(np.abs(a[:, RATE // 2 + 500 : RATE - 500]).max(), 1e-5)

    def test_it_is_heard_without_its_deal_as_loud(self) -> None:
        deal = Deal(every_quarter(), (Place("a", -0.5, level=-9.0), Place("b", 0.5, level=-9.0)))
        audio = tone(500, 4.0, amplitude=0.5)
        mix = Mix(RATE, 4.0, (MixSource("s", audio, deal=deal),))
        plain = without(mix, "s", "deal", spectrum_of([audio], 1, RATE), 2.0)
        loud = [float((render_audio(one, 0, 4 * RATE) ** 2).sum()) for one in (mix, plain)]
        self.assertAlmostEqual(10 * np.log10(loud[0] / loud[1]), 0.0, delta=0.2)


class Voices(SimpleTestCase):
    def test_a_note_has_its_pitch_decays_and_is_always_the_same(self) -> None:
        for name in TIMBRES:
            sound = note(name, 69.0, 0.5, RATE)
            np.testing.assert_array_equal(sound, note(name, 69.0, 0.5, RATE))
            self.assertLess(np.abs(sound).max(), 0.8)
            self.assertLess(np.abs(sound[-RATE // 200 :]).max(), 2e-3, name)
            spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), 4 * RATE))
            near = spectrum[4 * 435 : 4 * 446].max()
            self.assertGreater(near, 0.3 * spectrum.max(), name)
        with self.assertRaisesRegex(NeedleError, "glass"):
            note("brass", 60.0, 1.0, RATE)

    def test_tails_stay_where_they_began(self) -> None:
        long = (Event(0.0, 2.0, 60.0), Event(0.5, 2.0, 67.0))
        mix = dealt_mix(Deal(long, (Place("a", -1.0), Place("b", 1.0)), sound="voice"), 2.0)
        heard = render_audio(mix, 0, 2 * RATE)
        first = note("glass", 60.0, 2.0, RATE)[: 2 * RATE] * np.float32(0.8**1.6)
        np.testing.assert_allclose(heard[0, : len(first)], first, atol=1e-6)
        self.assertLess(np.abs(heard[1, : RATE // 2]).max(), 1e-6)

    def test_places_change_their_notes(self) -> None:
        one = (Event(0.0, 0.3, 60.0, 1.0),)
        place = Place("a", -1.0, transpose=12.0, length=2.0, repeats=3, repeat_interval=0.5, fade=6.0)
        deal = Deal(one, (place, Place("b", 1.0)), sound="voice", timbre="wood")
        heard = render_audio(dealt_mix(deal, 2.0), 0, 2 * RATE)[0]
        struck = note("wood", 72.0, 0.6, RATE)
        expected = np.zeros(2 * RATE, np.float32)
        for index in range(3):
            first = index * RATE // 4
            expected[first : first + len(struck)] += struck[: 2 * RATE - first] * np.float32(db_to_gain(-6.0 * index))
        np.testing.assert_allclose(heard, expected, atol=1e-5)

    def test_values_out_of_reach_are_refused(self) -> None:
        for wrong in ({"pan": 2.0}, {"low_pass": 20.0}, {"repeats": 40}, {"transpose": float("nan")}):
            with self.assertRaises(NeedleError):
                Place("a", **wrong)


class Freezing(SimpleTestCase):
    def mix(self, **values) -> Mix:
        deal = Deal(every_quarter(), places(), sound="voice")
        pulse = Pulsing(Pulse(wave="triangle", depth=0.7))
        source = MixSource(
            "s", tone(300, 4.0), deal=deal, pulse=pulse, level=-5.0,
            lanes={"trim": Lane((Point(0, 0.0), Point(4, -8.0)))},
            sends={"r": MixSend(-9.0)}, **values,
        )  # fmt: skip
        return Mix(RATE, 4.0, (source, MixSource("t", tone(500, 4.0), pan=0.4)), returns=(MixReturn("r"),))

    def frozen(self, mix: Mix) -> dict:
        sound = np.concatenate([audio for _, audio in frozen_sound(mix, "s")], axis=1)
        return {"s": (sound, key_of(mix, mix.sources[0]))}

    def test_frozen_and_thawed_sound_the_same(self) -> None:
        mix = self.mix(gain=3.0)
        frozen = as_frozen(mix, self.frozen(mix))
        self.assertIsNotNone(frozen.sources[0].frozen)
        before, after = (render_audio(one, 0, 5 * RATE) for one in (mix, frozen))
        # The trim moves: its product with the rest is linear within each block either way.
        np.testing.assert_allclose(after, before, atol=2e-4)
        self.assertNotEqual(dependency_key(mix, 0, RATE), dependency_key(frozen, 0, RATE))

    def test_level_and_trim_can_still_be_set(self) -> None:
        mix = self.mix()
        kept = self.frozen(mix)
        louder = replace(mix, sources=(replace(mix.sources[0], level=1.0), mix.sources[1]))
        frozen = as_frozen(louder, kept)
        self.assertIsNotNone(frozen.sources[0].frozen)
        np.testing.assert_allclose(render_audio(frozen, 0, RATE), render_audio(louder, 0, RATE), atol=4e-4)

    def test_what_has_changed_since_sounds_as_it_is(self) -> None:
        mix = self.mix()
        kept = self.frozen(mix)
        for change in ({"shift": 0.2}, {"width": 0.5}, {"deal": None}, {"pulse": None}, {"gain": 1.0}):
            changed = replace(mix, sources=(replace(mix.sources[0], **change), mix.sources[1]))
            self.assertIsNone(as_frozen(changed, kept).sources[0].frozen, change)
        self.assertIsNone(as_frozen(replace(mix, law="compromise"), kept).sources[0].frozen)

    def test_a_place_of_a_frozen_source_is_still_heard_alone(self) -> None:
        mix = self.mix()
        frozen = as_frozen(mix, self.frozen(mix))
        alone = Listening(frozenset({"s.p2"}))
        np.testing.assert_array_equal(render_audio(frozen, 0, RATE, alone), render_audio(mix, 0, RATE, alone))


def midi_file(folder: Path, notes: list[tuple[float, float, int, int]], name: str = "Glass") -> Path:
    """A Standard MIDI File of (beat, length, pitch, velocity)."""
    found = [(start, 1, pitch, velocity) for start, _, pitch, velocity in notes]
    found += [(start + length, 0, pitch, 0) for start, length, pitch, _ in notes]
    track = mido.MidiTrack([mido.MetaMessage("track_name", name=name), mido.MetaMessage("set_tempo", tempo=666_667)])
    last = 0
    for beat, on, pitch, velocity in sorted(found, key=lambda one: (one[0], one[1])):
        tick = round(beat * 480)
        kind = "note_on" if on else "note_off"
        track.append(mido.Message(kind, note=pitch, velocity=velocity, time=tick - last))
        last = tick
    path = folder / "part.mid"
    mido.MidiFile(tracks=[track], ticks_per_beat=480).save(path)
    return path


class MidiFiles(SimpleTestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_notes_are_read(self) -> None:
        found = midi_notes(midi_file(self.folder, [(0.0, 1.0, 60, 127), (0.5, 0.25, 64, 64)]))
        self.assertEqual(found.name, "Glass")
        self.assertEqual([n[:3] for n in found.notes], [(0.0, 1.0, 60.0), (0.5, 0.25, 64.0)])
        self.assertAlmostEqual(found.notes[1][3], 64 / 127)

    def test_what_is_no_file_of_notes_is_told(self) -> None:
        with self.assertRaisesRegex(NeedleError, "holds no notes"):
            midi_notes(midi_file(self.folder, []))
        broken = self.folder / "broken.mid"
        broken.write_bytes(b"MThd nothing")
        with self.assertRaisesRegex(NeedleError, "not a Standard MIDI File"):
            midi_notes(broken)

    def run_main(self, *arguments: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            code = main(list(arguments))
        return code, out.getvalue(), err.getvalue()

    def test_the_command_line_deals(self) -> None:
        path = midi_file(self.folder, [(i * 1.0, 0.5, 60 + i, 100) for i in range(4)])
        code, out, _ = self.run_main("deal", str(path), "--places", "3", "--json")
        found = json.loads(out)
        self.assertEqual((code, [n["place"] for n in found["notes"]]), (0, [1, 2, 3, 1]))
        self.assertEqual(found["places"], [-1.0, 0.0, 1.0])
        self.assertAlmostEqual(found["notes"][3]["time"], 2.0, places=3)
        self.assertEqual(self.run_main("deal", str(path), "--places", "1")[0], 2)

    def test_the_command_line_reads_a_pulse(self) -> None:
        # A quarter of a cycle ahead a sine is at its top on the beat, and at its bottom half a beat later.
        arguments = ("pulse", "--period", "1", "--start-phase", "0.25")
        code, out, _ = self.run_main(*arguments, "--bpm", "120", "--beats", "4", "--json")
        found = json.loads(out)
        self.assertEqual(code, 0)
        self.assertEqual(
            found["silent_beats"], {"left": [1.5, 2.5, 3.5, 4.5], "right": [1.0, 2.0, 3.0, 4.0], "both": []}
        )
        np.testing.assert_allclose(np.add(found["left"], found["right"]), 1.0, atol=1e-9)
        flipped = json.loads(self.run_main(*arguments, "--flip", "--json")[1])
        self.assertEqual(flipped["silent_beats"]["left"], [1.0, 2.0, 3.0, 4.0])
        self.assertIn("Left falls silent", self.run_main(*arguments)[1])
        # As it is, it is half-way down on every beat: nothing falls silent.
        halfway = json.loads(self.run_main("pulse", "--period", "1", "--json")[1])
        self.assertEqual(halfway["silent_beats"], {"left": [], "right": [], "both": []})
        self.assertEqual(self.run_main("pulse", "--depth", "3")[0], 2)
        self.assertEqual(self.run_main("pulse", "--hertz", "2", "--bpm", "90", "--beats", "3")[0], 0)
