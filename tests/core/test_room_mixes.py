"""Mixes in a room: the same in every division, stereo kept, ways, layers, stems, returns, frozen sources."""

import itertools
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from scipy.signal import butter, sosfilt

from needle.automation.curve import Lane, Point
from needle.dsp.direct_ambient import decorrelator
from needle.dsp.point_source_panner import point_source_gains
from needle.effects.chain import effect_named
from needle.effects.room import diffuse_responses, response_settings
from needle.layouts import LAYOUTS, fold
from needle.mix.listening import Listening
from needle.mix.model import Mix, MixLayer, MixReturn, MixSend, MixSource
from needle.mix.speaker_routing import SpeakerRoute, SpeakerRouting
from needle.render.engine import render_audio
from needle.render.fingerprints import dependency_key
from needle.render.freezing import as_frozen, frozen_sound, key_of
from needle.render.trajectories import layout_changes
from tests import examples
from tests.core.rooms import FRAMES, RESPONSES, ROOMS, channel_levels, db, effects, mix, noise, room_mixes
from tests.core.strategies import RATE, tone


class Rendering(SimpleTestCase):
    @examples(24)
    @given(room_mixes(), st.lists(st.integers(1, FRAMES - 1), max_size=3))
    def test_every_division_gives_the_same_samples(self, mix: Mix, cuts: list[int]) -> None:
        expected = render_audio(mix, 0, FRAMES, cache=RESPONSES)
        edges = [0, *sorted(set(cuts)), FRAMES]
        parts = [render_audio(mix, a, b, cache=RESPONSES) for a, b in itertools.pairwise(edges)]
        np.testing.assert_allclose(np.concatenate(parts, axis=1), expected, atol=1e-5)

    def test_a_move_is_that_of_every_sample(self) -> None:
        """Within -80 dB of gains worked out at every sample, through every speaker's region and height."""
        turning = Lane((Point(0.0, 0.0), Point(2.0, 720.0)))
        rising = Lane((Point(0.0, 0.0, "ease"), Point(1.0, 1.0, "ease"), Point(2.0, 0.0)))
        audio = tone(997.0, 2.0)
        for height in ({}, {"height": rising}):
            source = MixSource("a", audio, lanes={"rotation": turning, **height})
            room_mix = mix(source, layout="4+7+0")
            result = render_audio(room_mix, 0, 2 * RATE)
            times = np.arange(2 * RATE) / RATE
            z = rising.evaluate(times) if height else np.zeros_like(times)
            elevation = np.where(z > 1.0 - 1e-12, 30.0, 30.0 * np.degrees(np.arctan(z)) / 45.0)
            gains = point_source_gains(LAYOUTS["4+7+0"], 360.0 * times, elevation)
            error = result[room_mix.room.standing] - gains * audio
            self.assertLess(np.abs(error).max(), 1e-4)

    def test_what_stands_still_may_grow_wide_and_turn(self) -> None:
        """Each of a place's values may move by itself: it comes to what all of them come to standing there."""
        moving = {
            "spread": (0.0, 120.0), "centre_level": (1.0, 0.0), "rotation": (0.0, 90.0), "pan": (-1.0, 1.0),
            "front": (1.0, -1.0), "height": (0.0, 1.0),
        }  # fmt: skip
        still = {"pan": 0.3, "front": 0.4, "height": 0.2, "spread": 30.0, "centre_level": 0.5, "rotation": 20.0}
        sound = noise(5)
        for name, (low, high) in moving.items():
            lane = Lane((Point(0.0, low), Point(0.4, high), Point(2.0, high)))
            for layout in ROOMS:
                plain = MixSource("one", sound, **{**still, name: high})
                moved = replace(plain, lanes={name: lane})
                heard, wanted = (
                    render_audio(Mix(RATE, 2.0, (one,), layout=layout), RATE // 2, RATE) for one in (moved, plain)
                )
                np.testing.assert_allclose(heard, wanted, atol=2e-5, err_msg=f"{name} in {layout}")

    def test_what_a_key_says(self) -> None:
        plain = MixSource("a", noise(1))
        room_mix = mix(plain)
        for other in (
            replace(room_mix, layout="0+7+0"),
            mix(replace(plain, front=0.0)),
            mix(replace(plain, lfe=-10.0)),
            mix(replace(plain, speaker_routing=SpeakerRouting(SpeakerRoute(("M+000",))))),
            mix(replace(plain, layers=(MixLayer("x", effects("echo")),))),
            mix(replace(plain, direct_muted=True, layers=(MixLayer("x", effects("echo")),))),
        ):
            self.assertNotEqual(dependency_key(room_mix, 0, RATE), dependency_key(other, 0, RATE))
        later = mix(
            replace(plain, speaker_routing=SpeakerRouting(SpeakerRoute(), ((60.0, 70.0, SpeakerRoute(("M+000",))),)))
        )
        other = mix(
            replace(plain, speaker_routing=SpeakerRouting(SpeakerRoute(), ((60.0, 80.0, SpeakerRoute(("M+000",))),)))
        )
        self.assertEqual(dependency_key(later, 0, RATE), dependency_key(other, 0, RATE))


class FromStereo(SimpleTestCase):
    def test_a_stereo_session_keeps_its_ends_and_levels(self) -> None:
        """Hard sides and stereo sources are the same samples; elsewhere the power is the law's."""
        for law in ("constant-power", "constant-gain", "compromise"):
            for pan in (-1.0, -0.4, 0.0, 0.7, 1.0):
                stereo = mix(MixSource("a", noise(1), pan=pan), layout="0+2+0", law=law)
                power, room = (
                    (render_audio(one, 0, FRAMES).astype(float) ** 2).sum()
                    for one in (stereo, replace(stereo, layout="0+5+0"))
                )
                self.assertAlmostEqual(float(room / power), 1.0, places=3)
        wide = MixSource("b", noise(2, 2), mode="balance", pan=0.3)
        stereo, room = (render_audio(mix(wide, layout=name), 0, FRAMES) for name in ("0+2+0", "0+5+0"))
        np.testing.assert_allclose(room[:2], stereo, atol=1e-6)
        self.assertLess(np.abs(room[2:]).max(), 1e-9)

    def test_folded_back_it_is_as_strong(self) -> None:
        for pan in (-1.0, -0.5, 0.0, 0.5, 1.0):
            source = MixSource("a", noise(3), pan=pan)
            stereo = render_audio(mix(source, layout="0+2+0"), 0, FRAMES)
            folded = fold(LAYOUTS["0+5+0"]) @ render_audio(mix(source), 0, FRAMES)
            whole = [float((one.astype(float) ** 2).sum()) for one in (stereo, folded)]
            # Between two speakers of the front the fold adds what comes from both: the layout's own doing.
            limit = 0.1 if pan in (-1.0, 0.0, 1.0) else 2.5
            self.assertLess(abs(10.0 * np.log10(whole[1] / whole[0])), limit)

    def test_timing_and_doubles_come_from_both_sides(self) -> None:
        source = MixSource("a", noise(4), delay_panning="symmetric", delay_panning_ms=1.0, pan=0.8)
        stereo, room = (render_audio(mix(source, layout=name), 0, FRAMES) for name in ("0+2+0", "0+5+0"))
        np.testing.assert_allclose(room[:2], stereo, atol=1e-5)
        double = MixSource("a", noise(4), pan=-1.0, front=-1.0, double=True, double_ms=12.0)
        levels = channel_levels(mix(double))
        self.assertAlmostEqual(levels["Ls"], levels["Rs"], delta=0.2)
        self.assertLess(levels["L"], -100.0)

    def test_what_another_layout_moves_is_told(self) -> None:
        room_mix = mix(MixSource("front", noise(1)), MixSource("back", noise(2), front=-1.0, pan=0.5))
        changes = {change.source: change for change in layout_changes(room_mix, "0+2+0", 0.0)}
        self.assertLess(changes["front"].degrees, 1.0)
        self.assertGreater(changes["back"].degrees, 60.0)
        self.assertTrue(changes["back"].folded)
        self.assertFalse(changes["front"].folded)


class WaysThrough(SimpleTestCase):
    def test_a_passage_forbids_the_front(self) -> None:
        forbidden = SpeakerRouting(SpeakerRoute(), ((1.0, 1.5, SpeakerRoute(("M+000", "M+030", "M-030"))),))
        room_mix = mix(MixSource("a", noise(5), speaker_routing=forbidden))
        before, during, after = (channel_levels(room_mix, *span) for span in ((0.4, 0.9), (1.1, 1.4), (1.6, 1.9)))
        for levels in (before, after):
            self.assertAlmostEqual(levels["C"], -20.0, delta=0.5)
            self.assertLess(levels["Ls"], -100.0)
        self.assertLess(during["C"], -100.0)
        self.assertAlmostEqual(during["Ls"], -23.0, delta=0.5)
        self.assertAlmostEqual(during["Rs"], -23.0, delta=0.5)

    def test_groups_have_levels(self) -> None:
        louder = mix(
            MixSource("a", noise(5), pan=-1.0, speaker_routing=SpeakerRouting(SpeakerRoute((), (("front", -12.0),))))
        )
        self.assertAlmostEqual(channel_levels(louder)["L"], -32.0, delta=0.2)

    def test_a_way_is_stored_as_it_sounds(self) -> None:
        """A group at 0 dB is as if nothing was said; the LFE at 0 dB is full, and off only at the bottom."""
        plain = {"off": [], "direct": 0.0, "ambient": 0.0}
        self.assertEqual(SpeakerRoute.of({**plain, "levels": {"front": 0.0, "lfe": -96.0}}), SpeakerRoute())
        full = SpeakerRoute.of({**plain, "levels": {"lfe": 0.0}})
        self.assertTrue(SpeakerRouting(full).to_lfe)
        levels = channel_levels(
            mix(MixSource("a", tone(40.0, 2.0, amplitude=0.5), speaker_routing=SpeakerRouting(full)))
        )
        self.assertAlmostEqual(levels["LFE"], levels["C"], delta=0.5)

    def test_the_lfe_has_its_own_level_and_filter(self) -> None:
        low, high = (MixSource("a", tone(hertz, 2.0, amplitude=0.5), lfe=-6.0) for hertz in (40.0, 1000.0))
        self.assertAlmostEqual(channel_levels(mix(low))["LFE"] - channel_levels(mix(low))["C"], -6.1, delta=0.5)
        self.assertLess(channel_levels(mix(high))["LFE"], -70.0)
        corner = MixSource("a", tone(120.0, 2.0, amplitude=0.5), lfe=0.0)
        self.assertAlmostEqual(channel_levels(mix(corner))["LFE"] - channel_levels(mix(corner))["C"], -6.0, delta=0.2)


class Layers(SimpleTestCase):
    def stack(self, **more) -> MixSource:
        layers = (
            MixLayer("thick", effects("chorus"), front=0.0, level=-6.0),
            MixLayer("echo", effects("echo"), front=-1.0, level=-9.0),
        )
        return MixSource("a", noise(6), layers=layers, **more)

    def test_each_layer_is_in_its_own_channels(self) -> None:
        room_mix = mix(self.stack(), layout="0+7+0")
        dry = channel_levels(room_mix, listening=Listening(solo=frozenset({"a.direct"})))
        thick = channel_levels(room_mix, listening=Listening(solo=frozenset({"a.thick"})))
        echo = channel_levels(room_mix, listening=Listening(solo=frozenset({"a.echo"})))
        self.assertEqual({name for name, level in dry.items() if level > -60}, {"C"})
        self.assertEqual(max(thick, key=thick.get)[1:], "ss")
        self.assertEqual({name for name, level in echo.items() if level > -60} - {"Lss", "Rss"}, {"Lb", "Rb"})
        together = sum(10.0 ** (level / 10.0) for part in (dry, thick, echo) for level in part.values())
        total = sum(10.0 ** (level / 10.0) for level in channel_levels(room_mix).values())
        self.assertAlmostEqual(10.0 * np.log10(total / together), 0.0, delta=1.0)

    def test_one_level_governs_all(self) -> None:
        before = MixLayer("x", effects("echo"), pre=True, front=-1.0)
        for layer in (before, replace(before, pre=False)):
            loud, soft = (
                channel_levels(mix(MixSource("a", noise(6), level=level, direct_muted=True, layers=(layer,))))
                for level in (0.0, -20.0)
            )
            self.assertAlmostEqual(loud["Ls"] - soft["Ls"], 20.0, delta=0.1)

    def test_a_layer_may_take_the_one_before(self) -> None:
        first = MixLayer("x", effects("low-pass"), front=1.0, level=-96.0)
        second = MixLayer("y", input="previous", pre=True, front=-1.0)
        one = mix(MixSource("a", noise(6), direct_muted=True, layers=(first, second)))
        after = mix(MixSource("a", noise(6), direct_muted=True, layers=(first, replace(second, pre=False))))
        self.assertGreater(channel_levels(one)["Ls"], -45.0)
        self.assertLess(channel_levels(after)["Ls"], -100.0)


class Stems(SimpleTestCase):
    def test_what_decorrelates_is_as_strong_at_every_frequency(self) -> None:
        """Not only at those that a transform of its own length would show."""
        found = [decorrelator(number).astype(float) for number in range(11)]
        for one in found:
            gain = 20.0 * np.log10(np.abs(np.fft.rfft(one, 1 << 17)))
            self.assertLess(np.abs(gain).max(), 0.05)
        alike = np.corrcoef(np.stack(found)) - np.eye(11)
        self.assertLess(np.abs(alike).max(), 0.25)

    def test_a_dry_centred_stem_is_in_the_centre_alone(self) -> None:
        stem = MixSource("a", np.repeat(noise(7), 2, axis=0), mode="stem")
        for layout in ("0+5+0", "4+7+0"):
            levels = channel_levels(mix(stem, layout=layout))
            others = max(level for name, level in levels.items() if name != "C")
            self.assertGreater(levels["C"] - others, 30.0)

    def test_folded_back_it_is_the_stem(self) -> None:
        dry, wet = noise(8), noise(9, 2)
        for audio in (wet, np.concatenate([dry, 0.5 * dry]) + 0.4 * wet, np.concatenate([dry, 0 * dry]) + 0.2 * wet):
            stem = MixSource("a", audio.astype(np.float32), mode="stem")
            for layout in ("0+5+0", "0+7+0", "4+7+0"):
                folded = fold(LAYOUTS[layout]) @ render_audio(mix(stem, layout=layout), FRAMES, 3 * FRAMES)
                there = audio[:, FRAMES : 3 * FRAMES]
                whole = [10.0 * np.log10((one.astype(float) ** 2).sum()) for one in (folded, there)]
                self.assertLess(abs(whole[0] - whole[1]), 0.5)

    def test_by_passage_to_the_centre_and_everywhere_but_there(self) -> None:
        others = tuple(s.name for s in LAYOUTS["0+5+0"].speakers if s.name != "M+000")
        routing = SpeakerRouting(SpeakerRoute(others), ((1.0, 2.0, SpeakerRoute(("M+000",))),))
        dry = noise(8)
        stem = MixSource(
            "a", (np.concatenate([dry, dry]) + noise(9, 2)).astype(np.float32), mode="stem", speaker_routing=routing
        )
        verse, chorus = channel_levels(mix(stem), 0.3, 0.9), channel_levels(mix(stem), 1.1, 1.7)
        self.assertLess(max(verse[name] for name in ("L", "R", "Ls", "Rs")), -100.0)
        self.assertLess(chorus["C"], -100.0)
        self.assertGreater(min(chorus[name] for name in ("L", "R", "Ls", "Rs")), -30.0)
        drier = mix(replace(stem, speaker_routing=SpeakerRouting(SpeakerRoute(direct=0.0, ambient=-96.0))))
        self.assertLess(
            channel_levels(drier)["Ls"],
            channel_levels(mix(replace(stem, speaker_routing=SpeakerRouting())))["Ls"] - 20.0,
        )


class Returns(SimpleTestCase):
    def test_a_return_answers_where_it_is_called(self) -> None:
        source = MixSource("a", noise(10), pan=-1.0, front=-1.0, sends={"hull": MixSend(0.0)})
        room_mix = mix(source, returns=(MixReturn("hull", effects("room"), envelopment=0.0),))
        levels = channel_levels(room_mix, listening=Listening(solo=frozenset({"hull"})))
        self.assertGreater(levels["Ls"], max(levels["L"], levels["C"]) + 20.0)
        opposite = replace(source, sends={"hull": MixSend(0.0, place="opposite")})
        rotated = channel_levels(
            replace(room_mix, sources=(opposite,)), listening=Listening(solo=frozenset({"hull"}))
        )
        self.assertGreater(rotated["Rs"], rotated["Ls"])
        own = replace(source, sends={"hull": MixSend(0.0, place="own", pan=1.0, front=1.0)})
        placed = channel_levels(replace(room_mix, sources=(own,)), listening=Listening(solo=frozenset({"hull"})))
        self.assertEqual(max(placed, key=placed.get), "R")

    def around(self, source: MixSource, layout: str = "4+7+0", **more) -> np.ndarray:
        """What all loudspeakers but the LFE play of a room that a source alone is sent to."""
        room_mix = mix(source, layout=layout, returns=(MixReturn("hull", effects("room"), **more),))
        sound = render_audio(room_mix, 0, 2 * RATE, Listening(solo=frozenset({"hull"})), cache=RESPONSES)
        return sound[room_mix.room.standing]

    def test_a_reverb_surrounds_what_is_sent_from_the_centre(self) -> None:
        voice = MixSource("a", noise(11, seconds=0.5), sends={"hull": MixSend(0.0)})
        played = self.around(voice, envelopment=1.0)
        # The tail: when no more is sent, and the early reflections are over.
        tail = played[:, round(0.65 * RATE) : round(1.3 * RATE)]
        levels = db(tail)
        self.assertLess(np.abs(levels - db(tail.ravel())).max(), 3.0)

    def test_no_two_loudspeakers_play_the_same_tail(self) -> None:
        for length in (0.3, effect_named("room").defaults()["length"], 4.0):
            settings = {**effect_named("room").defaults(), "length": length}
            tails = diffuse_responses(RATE, 11, *response_settings(settings)).astype(np.float64)
            ringing = np.pad(tails, ((0, 0), (0, RATE // 2)))
            for low in 200.0 * 2.0 ** (np.arange(0.0, 16.0, 0.5) / 3.0):
                edges = (low, low * 2.0 ** (1.0 / 3.0))
                alike = np.corrcoef(sosfilt(butter(4, edges, "bandpass", fs=RATE, output="sos"), ringing, axis=1))
                most = np.abs(alike - np.eye(len(alike))).max()
                self.assertLess(most, 0.2, f"from {low:.0f} Hz in a room of {length} s")

    def test_a_reverb_begins_where_it_was_sent(self) -> None:
        click = np.zeros((1, RATE), np.float32)
        click[0, 0] = 1.0
        behind = MixSource("a", click, pan=-1.0, front=-1.0, sends={"hull": MixSend(0.0)})
        for envelopment in (0.7, 1.0):
            played = self.around(behind, layout="0+5+0", envelopment=envelopment)
            first = np.abs(played[:, : round(0.03 * RATE)]).max(axis=1)
            names = [speaker.label for speaker in LAYOUTS["0+5+0"].speakers]
            self.assertEqual(names[int(first.argmax())], "Ls")
            self.assertGreater((first**2)[names.index("Ls")] / (first**2).sum(), 0.8)

    def test_how_much_comes_from_everywhere_keeps_the_power(self) -> None:
        voice = MixSource("a", noise(12), pan=-1.0, front=-1.0, sends={"hull": MixSend(0.0)})
        powers = [(self.around(voice, envelopment=share) ** 2).mean(axis=1) for share in (0.0, 0.3, 0.7, 1.0)]
        whole = 10.0 * np.log10([power.sum() for power in powers])
        self.assertLess(np.ptp(whole), 0.7)
        others = [power.sum() - power.max() for power in powers]
        self.assertEqual(others, sorted(others))

    def test_in_stereo_a_reverb_is_as_it_was(self) -> None:
        voice = MixSource("a", noise(13), pan=-0.5, sends={"hull": MixSend(0.0)})
        first, other = (self.around(voice, layout="0+2+0", envelopment=share) for share in (0.0, 1.0))
        np.testing.assert_array_equal(first, other)

    def test_two_spaces_sweep_in_opposite_directions(self) -> None:
        there, back = (Lane((Point(0.0, a), Point(2.0, -a))) for a in (-1.0, 1.0))
        voice = MixSource("a", noise(14), sends={"hull": MixSend(0.0), "quay": MixSend(0.0)})
        spaces = (
            MixReturn("hull", effects("room"), lanes={"pan": there}),
            MixReturn("quay", effects("room"), lanes={"pan": back}),
        )
        room_mix = mix(voice, returns=spaces)
        for which, (first, last) in {"hull": ("L", "R"), "quay": ("R", "L")}.items():
            only = Listening(solo=frozenset({which}))
            begins, ends = channel_levels(room_mix, 0.05, 0.25, only), channel_levels(room_mix, 1.75, 1.95, only)
            self.assertGreater(begins[first], begins[last] + 10.0)
            self.assertGreater(ends[last], ends[first] + 10.0)

    def test_a_send_may_be_spread(self) -> None:
        own = MixSend(0.0, place="own", pan=0.0, front=1.0)
        only = Listening(solo=frozenset({"hull"}))
        for spread, beside in ((0.0, -60.0), (120.0, -12.0)):
            source = MixSource("a", noise(15), sends={"hull": replace(own, spread=spread)})
            levels = channel_levels(mix(source, layout="4+7+0", returns=(MixReturn("hull"),)), listening=only)
            for name in ("L", "R"):
                (self.assertLess if spread == 0.0 else self.assertGreater)(levels[name] - levels["C"], beside)
            power = sum(10.0 ** (level / 10.0) for level in levels.values())
            self.assertAlmostEqual(10.0 * np.log10(power), -20.0, delta=0.1)
        lane = Lane((Point(0.0, 0.0), Point(2.0, 180.0)))
        source = MixSource("a", noise(15), sends={"hull": replace(own, lanes={"spread": lane})})
        moving = mix(source, layout="4+7+0", returns=(MixReturn("hull"),))
        self.assertGreater(
            channel_levels(moving, 1.8, 2.0, only)["L"], channel_levels(moving, 0.0, 0.2, only)["L"] + 10.0
        )

    def test_returns_sweep_and_turn(self) -> None:
        sweep = Lane((Point(0.0, -1.0), Point(2.0, 1.0)))
        source = MixSource("a", noise(10, 2), mode="balance", sends={"hull": MixSend(0.0)}, level=0.0)
        swept = mix(source, returns=(MixReturn("hull", lanes={"pan": sweep}),))
        only = Listening(solo=frozenset({"hull"}))
        first, last = channel_levels(swept, 0.0, 0.2, only), channel_levels(swept, 1.8, 2.0, only)
        self.assertGreater(first["L"], first["R"] + 15.0)
        self.assertGreater(last["R"], last["L"] + 15.0)
        left = MixSource("a", noise(10), pan=-1.0, sends={"hull": MixSend(0.0)})
        wide = mix(left, returns=(MixReturn("hull", lanes={"spread": Lane((Point(0.0, 0.0), Point(2.0, 180.0)))}),))
        levels = [channel_levels(wide, *span, only) for span in ((0.0, 0.05), (1.8, 2.0))]
        self.assertLess(levels[0]["C"], levels[1]["C"] - 20.0)
        powers = [sum(10.0 ** (level / 10.0) for level in one.values()) for one in levels]
        self.assertAlmostEqual(10.0 * np.log10(powers[1] / powers[0]), 0.0, delta=0.3)
        turned = mix(left, returns=(MixReturn("hull", rotation=80.0),))
        self.assertAlmostEqual(channel_levels(turned, listening=only)["Ls"], -20.0, delta=0.3)


class Frozen(SimpleTestCase):
    def test_a_frozen_source_is_the_same_in_every_channel(self) -> None:
        layer = MixLayer("x", effects("echo"), front=-1.0, level=-6.0)
        lane = Lane((Point(0.0, 0.0), Point(2.0, 360.0)))
        source = MixSource("a", noise(17), lanes={"rotation": lane}, lfe=-6.0, layers=(layer,))
        room_mix = mix(source)
        sound = np.concatenate([audio for _, audio in frozen_sound(room_mix, "a")], axis=1)
        frozen = as_frozen(room_mix, {"a": (sound, key_of(room_mix, source))})
        self.assertIsNotNone(frozen.sources[0].frozen)
        np.testing.assert_allclose(render_audio(frozen, 0, RATE), render_audio(room_mix, 0, RATE), atol=1e-5)
        elsewhere = as_frozen(replace(room_mix, layout="0+7+0"), {"a": (sound, key_of(room_mix, source))})
        self.assertIsNone(elsewhere.sources[0].frozen)
