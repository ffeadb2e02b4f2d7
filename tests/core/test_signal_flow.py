"""Groups, sends and returns in the render: where things land, what a tail does, and what caches depend on."""

import dataclasses
import itertools

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from needle.effects.chain import EFFECTS, Chain
from needle.errors import NeedleError
from needle.moving.lane import Lane, Point
from needle.rendering.engine import render_audio, render_before_placement
from needle.rendering.feeds import placement, values_at
from needle.rendering.mix import Listening, Mix, MixReturn, MixSend, MixSource, dependency_key
from needle.rendering.segments import render_segments, segment_key
from needle.session import (
    GROUP_AT_FIRST,
    RETURN_AT_FIRST,
    SEND_AT_FIRST,
    SOURCE_AT_FIRST,
    empty_document,
    mix_of,
    piece_length,
    send_key,
    upgraded,
)
from tests.core.strategies import RATE, lanes, pans, tone

SECONDS = 1.0
FRAMES = round(SECONDS * RATE)


def chain(*kinds: str, **settings_given: float) -> Chain:
    return Chain(tuple((EFFECTS[kind], EFFECTS[kind].checked(settings_given)) for kind in kinds))


def burst(seed: int, channels: int = 1, seconds: float = 0.4) -> np.ndarray:
    rng = np.random.Generator(np.random.PCG64(seed))
    return (0.2 * rng.standard_normal((channels, round(seconds * RATE)))).astype(np.float32)


def power(audio: np.ndarray) -> np.ndarray:
    return (audio.astype(float) ** 2).mean(axis=1)


def lean(audio: np.ndarray) -> float:
    left, right = power(audio)
    return 10 * np.log10(right / left)


@st.composite
def whole_mixes(draw) -> Mix:
    """Sources of every kind of placement, some moving, sent to two returns with any effects."""
    sources = []
    for number in range(draw(st.integers(1, 3))):
        channels = draw(st.sampled_from([1, 2, 3]))
        modes = {1: ["pan"], 2: ["balance", "sides", "span", "mono"], 3: ["span", "mono"]}[channels]
        moving = {}
        for name in ("pan", "pan_left", "span", "width", "level"):
            if draw(st.booleans()) and draw(st.booleans()):
                low, high = {"width": (0.0, 2.0), "level": (-30.0, 0.0)}.get(name, (-1.0, 1.0))
                moving[name] = draw(lanes(st.floats(low, high), SECONDS, 4))
        sends = {
            key: MixSend(draw(st.floats(-20.0, 0.0)), draw(st.booleans()), place, draw(pans))
            for key, place in (("one", "opposite"), ("two", draw(st.sampled_from(["same", "own"]))))
            if draw(st.booleans())
        }
        sources.append(
            MixSource(
                f"s{number}",
                burst(number, channels),
                offset=draw(st.integers(0, FRAMES // 2)),
                mode=draw(st.sampled_from(modes)),
                pan=draw(pans),
                span=draw(pans),
                width=draw(st.floats(0.0, 2.0)),
                exchange=draw(st.booleans()),
                invert_left=draw(st.booleans()),
                timing=draw(st.sampled_from(["off", "symmetric", "far-side"])),
                timing_ms=draw(st.floats(0.1, 10.0)),
                timing_share=draw(st.floats(0.0, 1.0)),
                double=draw(st.booleans()),
                double_ms=draw(st.sampled_from([0.0, 7.3])),
                shift=draw(st.sampled_from([0.0, 0.4])),
                lanes=moving,
                sends=sends,
            )
        )
    kinds = draw(st.lists(st.sampled_from(["echo", "chorus", "drive", "low-pass"]), max_size=2))
    returns = (
        MixReturn("one", chain("room", length=0.3), pan=draw(pans), width=draw(st.floats(0.0, 2.0))),
        MixReturn("two", chain(*kinds), level=-3.0, muted=draw(st.booleans())),
    )
    return Mix(RATE, SECONDS, tuple(sources), returns=returns)


class Exactness(SimpleTestCase):
    @settings(max_examples=40, deadline=None)
    @given(whole_mixes(), st.lists(st.integers(1, FRAMES - 1), max_size=4, unique=True))
    def test_any_division_renders_the_same(self, mix: Mix, cuts: list[int]) -> None:
        whole = render_audio(mix, 0, FRAMES)
        edges = [0, *sorted(cuts), FRAMES]
        parts = np.concatenate([render_audio(mix, a, b) for a, b in itertools.pairwise(edges)], axis=1)
        self.assertTrue(np.isfinite(whole).all())
        self.assertLess(np.abs(parts - whole).max(), 1e-5)

    @settings(max_examples=30, deadline=None)
    @given(whole_mixes(), pans, st.floats(-20.0, 0.0), st.booleans())
    def test_same_key_same_samples(self, mix: Mix, pan: float, level: float, silent: bool) -> None:
        """Change a source; wherever the key stays, so must the samples."""
        one = mix.sources[0]
        changed = dataclasses.replace(one, pan=pan, level=level, sends={} if silent else one.sends)
        other = dataclasses.replace(mix, sources=(changed, *mix.sources[1:]))
        for start in range(0, FRAMES, 4800):
            if dependency_key(mix, start, start + 4800) == dependency_key(other, start, start + 4800):
                np.testing.assert_allclose(
                    render_audio(mix, start, start + 4800), render_audio(other, start, start + 4800), atol=1e-6
                )

    @settings(max_examples=30, deadline=None)
    @given(whole_mixes())
    def test_a_hand_hears_the_mix_with_its_sends(self, mix: Mix) -> None:
        still = {k: v for k, v in mix.sources[0].lanes.items() if k in ("level", "width")}
        held = dataclasses.replace(mix.sources[0], timing="off", double=False, lanes=still)
        mix = dataclasses.replace(mix, sources=(held, *mix.sources[1:]))
        without = render_audio(mix, 0, FRAMES, Listening(held=frozenset({held.id})))
        before = render_before_placement(mix, held.id, 0, FRAMES)
        place = placement(mix, held, values_at(held, np.zeros(1)))[:, :, 0]
        np.testing.assert_allclose(without + place @ before, render_audio(mix, 0, FRAMES), atol=1e-4)

    def test_segments_know_of_a_tail_that_rings_on(self) -> None:
        source = MixSource("hit", burst(1, seconds=0.1), sends={"hall": MixSend(0.0)})
        mix = Mix(RATE, 4.0, (source,), returns=(MixReturn("hall", chain("room", length=2.0)),))
        segments = list(render_segments(mix, 0, 8))
        levels = [float(power(one.audio).sum()) for one in segments]
        self.assertTrue(all(level > 1e-9 for level in levels[:4]), levels)
        self.assertTrue(all(a > b for a, b in itertools.pairwise(levels[:4])), levels)
        louder = dataclasses.replace(mix, sources=(dataclasses.replace(source, level=-6.0),))
        self.assertNotEqual(segment_key(mix, 3), segment_key(louder, 3))
        self.assertEqual(segment_key(mix, 7), segment_key(louder, 7))


class Sends(SimpleTestCase):
    def test_lands_where_it_is_sent(self) -> None:
        wanted = 10 * np.log10(np.tan(0.9 * np.pi / 2) ** 2)
        for place, own, side in (("same", 0.0, 1), ("opposite", 0.0, -1), ("own", -0.8, -1), ("own", 0.8, 1)):
            self.assertAlmostEqual(lean(self.placed(place, own, 0.8)), side * wanted, delta=1.0, msg=place)

    def placed(self, place: str, own: float, where: float) -> np.ndarray:
        source = MixSource("one", burst(2), pan=where, level=-96.0, sends={"room": MixSend(0.0, True, place, own)})
        room = chain("room", length=0.4, crossing=0.0)
        return render_audio(Mix(RATE, SECONDS, (source,), returns=(MixReturn("room", room),)), 0, FRAMES)

    def test_before_and_after_the_level(self) -> None:
        def heard(before: bool, level: float) -> float:
            source = MixSource("one", burst(2), level=level, sends={"line": MixSend(-6.0, before)})
            mix = Mix(RATE, SECONDS, (source,), returns=(MixReturn("line"),))
            direct = dataclasses.replace(mix, returns=())
            return float(power(render_audio(mix, 0, FRAMES) - render_audio(direct, 0, FRAMES)).sum())

        self.assertAlmostEqual(10 * np.log10(heard(True, -20.0) / heard(True, 0.0)), 0.0, places=3)
        self.assertAlmostEqual(10 * np.log10(heard(False, -20.0) / heard(False, 0.0)), -20.0, places=2)

    def test_muting_and_soloing(self) -> None:
        one = MixSource("one", burst(1), pan=-1.0, sends={"line": MixSend(0.0, place="opposite")})
        two = MixSource("two", burst(2), pan=-1.0, sends={"line": MixSend(0.0, place="opposite")})
        mix = Mix(RATE, SECONDS, (one, two), returns=(MixReturn("line"),))
        right = render_audio(mix, 0, FRAMES)[1]
        np.testing.assert_allclose(right[: one.audio.shape[1]], (one.audio + two.audio)[0], atol=1e-6)
        alone = render_audio(mix, 0, FRAMES, Listening(solo=frozenset({"one"})))
        np.testing.assert_allclose(alone[:, : one.audio.shape[1]], [one.audio[0], one.audio[0]], atol=1e-6)
        room = render_audio(mix, 0, FRAMES, Listening(solo=frozenset({"line"})))
        self.assertEqual(float(np.abs(room[0]).max()), 0.0)
        np.testing.assert_allclose(room[1], right, atol=1e-6)
        muted = dataclasses.replace(mix, returns=(MixReturn("line", muted=True),))
        self.assertEqual(float(np.abs(render_audio(muted, 0, FRAMES)[1]).max()), 0.0)
        silent = dataclasses.replace(mix, sources=(dataclasses.replace(one, muted=True), two))
        np.testing.assert_allclose(render_audio(silent, 0, FRAMES)[1, :4800], two.audio[0, :4800], atol=1e-6)

    def test_unknown_places_are_told(self) -> None:
        with self.assertRaisesRegex(NeedleError, "opposite"):
            MixSend(0.0, place="elsewhere")


class Documents(SimpleTestCase):
    def document(self) -> dict:
        found = empty_document("Flow", RATE, 0.0)
        for number, key in enumerate(("low", "high")):
            found["sources"][key] = {
                **SOURCE_AT_FIRST, "id": key, "name": key, "ink": 0, "order": number, "asset": key, "channels": 1,
                "seconds": 1.0, "start": 0.5 * number, "mode": "pan", "pan": 0.1, "group": "both",
            }  # fmt: skip
        found["groups"]["both"] = {**GROUP_AT_FIRST, "id": "both", "name": "Both", "shift": 0.5, "level": -6.0}
        return found

    def mix(self, document: dict) -> Mix:
        return mix_of(document, lambda key: tone(300.0 if key == "low" else 900.0, 1.0))

    def test_a_group_shifts_and_levels_its_members_within_the_field(self) -> None:
        document = self.document()
        document["sources"]["high"]["pan"] = 0.9
        shifted = render_audio(self.mix(document), 0, FRAMES)
        for key, pan in (("low", 0.6), ("high", 1.0)):
            document["sources"][key] |= {"pan": pan, "level": -6.0, "group": ""}
        np.testing.assert_allclose(shifted, render_audio(self.mix(document), 0, FRAMES), atol=1e-6)
        document = self.document()
        document["groups"]["both"]["muted"] = True
        self.assertEqual(float(np.abs(render_audio(self.mix(document), 0, FRAMES)).max()), 0.0)

    def test_a_moving_place_is_shifted_too(self) -> None:
        document = self.document()
        points = [{"t": 0.0, "value": -1.0}, {"t": 1.0, "value": 0.2}]
        document["lanes"]["low/pan"] = {"id": "low/pan", "source": "low", "parameter": "pan", "points": points}
        source = self.mix(document).sources[0]
        at = np.array([0.0, 0.5, 1.0])
        np.testing.assert_allclose(values_at(source, at)["pan"], [-0.5, 0.1, 0.7])
        self.assertEqual(source.lanes["pan"], Lane((Point(0.0, -1.0), Point(1.0, 0.2))))

    def test_length_follows_sources_and_the_tails_they_feed(self) -> None:
        document = self.document()
        self.assertEqual(piece_length(document), 1.5)
        effects = [{"id": "r", "kind": "room", "on": True, "settings": EFFECTS["room"].checked({"length": 2.0})}]
        document["returns"]["hall"] = {**RETURN_AT_FIRST, "id": "hall", "name": "Hall", "effects": effects}
        self.assertEqual(piece_length(document), 1.5)
        key = send_key("high", "hall")
        document["sends"][key] = {**SEND_AT_FIRST, "id": key, "source": "high", "return": "hall", "level": -6.0}
        self.assertAlmostEqual(piece_length(document), 1.5 + 2.012, places=3)
        document["session"]["length"] = 0.7
        self.assertEqual(piece_length(document), 0.7)
        self.assertGreater(piece_length(empty_document("None", RATE, 0.0)), 1.0)

    def test_an_older_document_opens_as_it_was(self) -> None:
        old = empty_document("Old", RATE, 2.0)
        for part in ("groups", "returns", "sends"):
            del old[part]
        old["sources"]["a"] = {
            "id": "a", "name": "A", "ink": 0, "order": 0, "asset": "low", "channels": 1, "start": 0.0, "gain": 0.0,
            "level": -3.0, "muted": False, "mode": "pan", "pan": 0.4,
        }  # fmt: skip
        mix = self.mix(upgraded(old))
        np.testing.assert_allclose(
            render_audio(mix, 0, 4800),
            render_audio(Mix(RATE, 2.0, (MixSource("a", tone(300.0, 1.0), level=-3.0, pan=0.4),)), 0, 4800),
        )
