"""Groups, sends and returns in the render: where things land, what a tail does, and what caches depend on."""

import dataclasses
import itertools

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.automation.curve import Lane, Point
from needle.effects.chain import EFFECTS, Chain
from needle.errors import NeedleError
from needle.mix.listening import Listening
from needle.mix.model import Mix, MixReturn, MixSend, MixSource
from needle.render.engine import render_audio, render_before_placement
from needle.render.fingerprints import dependency_key
from needle.render.segments import render_segments, segment_key
from needle.render.source_gains import placement, values_at
from needle.session.document import (
    GROUP_DEFAULTS,
    RETURN_DEFAULTS,
    SEND_DEFAULTS,
    SOURCE_DEFAULTS,
    empty_document,
    mix_of,
    piece_length,
    send_key,
    upgraded,
)
from needle.session.validation import check_document
from tests import examples
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


def moves(draw, **limits: tuple[float, float]) -> dict[str, Lane]:
    """Lanes for some of the parameters, each within its limits."""
    wanted = [name for name in limits if draw(st.booleans()) and draw(st.booleans())]
    return {name: draw(lanes(st.floats(*limits[name]), SECONDS, 4)) for name in wanted}


@st.composite
def whole_mixes(draw) -> Mix:
    """Sources of every kind of placement, some moving, sent to two returns with any effects."""
    sources = []
    for number in range(draw(st.integers(1, 3))):
        channels = draw(st.sampled_from([1, 2, 3]))
        modes = {1: ["pan"], 2: ["balance", "sides", "span", "mono"], 3: ["span", "mono"]}[channels]
        field, loud = (-1.0, 1.0), (-30.0, 0.0)
        moving = moves(
            draw, pan=field, pan_left=field, span=field, width=(0.0, 2.0), level=loud, trim=loud, group_level=loud
        )
        sends = {
            key: MixSend(
                draw(st.floats(-20.0, 0.0)),
                draw(st.booleans()),
                place,
                moves(draw, level=loud, pan=field),
                pan=draw(pans),
            )
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
                swap_channels=draw(st.booleans()),
                invert_left=draw(st.booleans()),
                delay_panning=draw(st.sampled_from(["off", "symmetric", "far-side"])),
                delay_panning_ms=draw(st.floats(0.1, 10.0)),
                level_share=draw(st.floats(0.0, 1.0)),
                double=draw(st.booleans()),
                double_ms=draw(st.sampled_from([0.0, 7.3])),
                shift=draw(st.sampled_from([0.0, 0.4])),
                lanes=moving,
                sends=sends,
            )
        )
    kinds = draw(st.lists(st.sampled_from(["echo", "chorus", "drive", "low-pass"]), max_size=2))
    returns = (
        MixReturn(
            "one",
            chain("room", length=0.3),
            pan=draw(pans),
            width=draw(st.floats(0.0, 2.0)),
            lanes=moves(draw, pan=field, width=(0.0, 2.0), level=loud),
        ),
        MixReturn("two", chain(*kinds), level=-3.0, muted=draw(st.booleans())),
    )
    return Mix(RATE, SECONDS, tuple(sources), returns=returns)


class Exactness(SimpleTestCase):
    @examples(40)
    @given(whole_mixes(), st.lists(st.integers(1, FRAMES - 1), max_size=4, unique=True))
    def test_any_division_renders_the_same(self, mix: Mix, cuts: list[int]) -> None:
        whole = render_audio(mix, 0, FRAMES)
        edges = [0, *sorted(cuts), FRAMES]
        parts = np.concatenate([render_audio(mix, a, b) for a, b in itertools.pairwise(edges)], axis=1)
        self.assertTrue(np.isfinite(whole).all())
        self.assertLess(np.abs(parts - whole).max(), 1e-5)

    @examples(30)
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

    @examples(30)
    @given(whole_mixes())
    def test_a_hand_hears_the_mix_with_its_sends(self, mix: Mix) -> None:
        still = {k: v for k, v in mix.sources[0].lanes.items() if k not in ("pan", "pan_left", "span")}
        changed = dataclasses.replace(mix.sources[0], delay_panning="off", double=False, lanes=still)
        mix = dataclasses.replace(mix, sources=(changed, *mix.sources[1:]))
        without = render_audio(mix, 0, FRAMES, Listening(without_direct=frozenset({changed.id})))
        before = render_before_placement(mix, changed.id, 0, FRAMES)
        place = placement(mix, changed, values_at(changed, np.zeros(1)), np.zeros(1))[:, :, 0]
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
        source = MixSource(
            "one", burst(2), pan=where, level=-96.0, sends={"room": MixSend(0.0, True, place, pan=own)}
        )
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


class Moving(SimpleTestCase):
    """What follows a line other than a source's own place."""

    STEP = Lane((Point(0.0, -96.0, "hold"), Point(0.25, 0.0)))

    def test_a_send_opens_where_its_line_does(self) -> None:
        source = MixSource("hit", burst(1), pan=-1.0, sends={"hall": MixSend(-96.0, lanes={"level": self.STEP})})
        mix = Mix(RATE, SECONDS, (source,), returns=(MixReturn("hall"),))
        dry = render_audio(dataclasses.replace(mix, returns=()), 0, FRAMES)
        wet = render_audio(mix, 0, FRAMES) - dry
        middle = round(0.25 * RATE)
        self.assertEqual(float(np.abs(wet[:, :middle]).max()), 0.0)
        self.assertGreater(float(power(wet[:, middle + 480 :])[0]), 1e-4)

    def test_a_send_travels_in_its_room_and_the_source_stays(self) -> None:
        across = Lane((Point(0.1, -1.0), Point(0.3, 1.0)))
        send = MixSend(0.0, place="own", lanes={"pan": across})
        source = MixSource("hit", burst(2), pan=0.0, sends={"hall": send})
        mix = Mix(RATE, SECONDS, (source,), returns=(MixReturn("hall"),))
        wet = render_audio(mix, 0, FRAMES) - render_audio(dataclasses.replace(mix, returns=()), 0, FRAMES)
        early, late = wet[:, : round(0.09 * RATE)], wet[:, round(0.31 * RATE) : round(0.39 * RATE)]
        self.assertLess(float(power(early)[1]), 1e-9)
        self.assertLess(float(power(late)[0]), 1e-9)

    def test_a_return_turns_with_its_balance_and_narrows(self) -> None:
        audio = np.concatenate([burst(3), burst(4)])
        source = MixSource("pair", audio, mode="sides", level=-96.0, sends={"hall": MixSend(0.0, pre=True)})
        to = MixReturn("hall", lanes={"pan": Lane((Point(0.0, -1.0, "hold"), Point(0.2, 1.0)))})
        heard = render_audio(Mix(RATE, SECONDS, (source,), returns=(to,)), 0, FRAMES)
        first, second = heard[:, : round(0.19 * RATE)], heard[:, round(0.21 * RATE) : round(0.39 * RATE)]
        self.assertLess(float(power(first)[1]), 1e-9)
        self.assertLess(float(power(second)[0]), 1e-9)
        narrow = MixReturn("hall", lanes={"width": Lane((Point(0.0, 0.0),))})
        both = render_audio(Mix(RATE, SECONDS, (source,), returns=(narrow,)), 0, FRAMES)
        np.testing.assert_allclose(both[0], both[1], atol=1e-7)

    def test_level_trim_and_group_add_up(self) -> None:
        down = Lane((Point(0.0, -6.0),))
        plain = MixSource("hit", burst(5))
        for names in (("level",), ("trim",), ("group_level",), ("level", "trim", "group_level")):
            moved = dataclasses.replace(plain, lanes=dict.fromkeys(names, down))
            heard = render_audio(Mix(RATE, SECONDS, (moved,)), 0, FRAMES)
            wanted = render_audio(Mix(RATE, SECONDS, (plain,)), 0, FRAMES) * 10 ** (-6.0 * len(names) / 20.0)
            np.testing.assert_allclose(heard, wanted, atol=1e-6)

    @examples(25)
    @given(whole_mixes(), st.sampled_from(["level", "pan", "width"]), st.floats(0.3, 0.45))
    def test_what_a_line_does_later_leaves_earlier_caches(self, mix: Mix, name: str, at: float) -> None:
        """A point put behind everything that sounds so far changes no key and no sample before it."""

        def later(lanes_of: dict[str, Lane]) -> dict[str, Lane]:
            static = Point(0.0, 0.5, "hold")
            return {**lanes_of, name: Lane((static, Point(at, 0.5, "hold"), Point(SECONDS, 0.25)))}

        def before(lanes_of: dict[str, Lane]) -> dict[str, Lane]:
            return {**lanes_of, name: Lane((Point(0.0, 0.5, "hold"), Point(at, 0.5, "hold")))}

        for change in ("source", "return"):
            mixes_of = []
            for make in (before, later):
                if change == "source":
                    moved = dataclasses.replace(mix.sources[0], lanes=make(mix.sources[0].lanes))
                    mixes_of.append(dataclasses.replace(mix, sources=(moved, *mix.sources[1:])))
                else:
                    moved = dataclasses.replace(mix.returns[0], lanes=make(mix.returns[0].lanes))
                    mixes_of.append(dataclasses.replace(mix, returns=(moved, *mix.returns[1:])))
            one, other = mixes_of
            stop = round((at - 0.25) * RATE)
            self.assertEqual(dependency_key(one, 0, stop), dependency_key(other, 0, stop))
            np.testing.assert_allclose(render_audio(one, 0, stop), render_audio(other, 0, stop), atol=1e-6)


class Documents(SimpleTestCase):
    def document(self) -> dict:
        result = empty_document("Flow", RATE, 0.0)
        for number, key in enumerate(("low", "high")):
            result["sources"][key] = {
                **SOURCE_DEFAULTS, "id": key, "name": key, "colour": 0, "order": number, "asset": key, "channels": 1,
                "seconds": 1.0, "start": 0.5 * number, "mode": "pan", "pan": 0.1, "group": "both",
            }  # fmt: skip
        result["groups"]["both"] = {**GROUP_DEFAULTS, "id": "both", "name": "Both", "shift": 0.5, "level": -6.0}
        return result

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
        document["lanes"]["low/pan"] = {"id": "low/pan", "owner": "low", "parameter": "pan", "points": points}
        source = self.mix(document).sources[0]
        at = np.array([0.0, 0.5, 1.0])
        np.testing.assert_allclose(values_at(source, at)["pan"], [-0.5, 0.1, 0.7])
        self.assertEqual(source.lanes["pan"], Lane((Point(0.0, -1.0), Point(1.0, 0.2))))

    def test_length_follows_sources_and_the_tails_they_feed(self) -> None:
        document = self.document()
        self.assertEqual(piece_length(document), 1.5)
        effects = [{"id": "r", "kind": "room", "on": True, "settings": EFFECTS["room"].checked({"length": 2.0})}]
        document["returns"]["hall"] = {**RETURN_DEFAULTS, "id": "hall", "name": "Hall", "effects": effects}
        self.assertEqual(piece_length(document), 1.5)
        key = send_key("high", "hall")
        document["sends"][key] = {**SEND_DEFAULTS, "id": key, "source": "high", "return": "hall", "level": -6.0}
        self.assertAlmostEqual(piece_length(document), 1.5 + 2.012, places=3)
        document["session"]["length"] = 0.7
        self.assertEqual(piece_length(document), 0.7)
        self.assertGreater(piece_length(empty_document("None", RATE, 0.0)), 1.0)

    def sent(self) -> dict:
        """The document with a return, and a send to it."""
        result = self.document()
        result["returns"]["hall"] = {**RETURN_DEFAULTS, "id": "hall", "name": "Hall"}
        key = send_key("low", "hall")
        result["sends"][key] = {**SEND_DEFAULTS, "id": key, "source": "low", "return": "hall"}
        return result

    def test_lanes_of_groups_returns_and_sends_reach_the_mix_unless_they_are_off(self) -> None:
        document = self.sent()
        points = [{"t": 0.0, "value": -6.0}]
        for owner in ("low", "send:low/hall", "return:hall", "group:both"):
            key = f"{owner}/level"
            document["lanes"][key] = {"id": key, "owner": owner, "parameter": "level", "points": points}
        check_document(document)
        mix = self.mix(document)
        one = next(source for source in mix.sources if source.id == "low")
        self.assertEqual(sorted(one.lanes), ["group_level", "level"])
        self.assertEqual((sorted(one.sends["hall"].lanes), sorted(mix.returns[0].lanes)), (["level"], ["level"]))
        for lane in document["lanes"].values():
            lane["off"] = True
        still = self.mix(document)
        one = next(source for source in still.sources if source.id == "low")
        self.assertEqual((dict(one.lanes), dict(still.returns[0].lanes)), ({}, {}))

    def test_lanes_of_nothing_are_told(self) -> None:
        for owner, parameter in (
            ("gone", "pan"), ("send:low/gone", "level"), ("return:gone", "pan"), ("group:gone", "level"),
            ("low", "colour"), ("return:hall", "span"), ("source:low", "pan"), ("rack:low", "pan"),
        ):  # fmt: skip
            document = self.sent()
            key = f"{owner}/{parameter}"
            document["lanes"][key] = {"id": key, "owner": owner, "parameter": parameter, "points": []}
            with self.assertRaises(NeedleError, msg=key):
                check_document(document)

    def test_an_older_document_opens_as_it_was(self) -> None:
        old = empty_document("Old", RATE, 2.0)
        for part in ("groups", "returns", "sends"):
            del old[part]
        old["sources"]["a"] = {
            "id": "a", "name": "A", "colour": 0, "order": 0, "asset": "low", "channels": 1, "start": 0.0, "gain": 0.0,
            "level": -3.0, "muted": False, "mode": "pan", "pan": 0.4,
        }  # fmt: skip
        mix = self.mix(upgraded(old))
        np.testing.assert_allclose(
            render_audio(mix, 0, 4800),
            render_audio(Mix(RATE, 2.0, (MixSource("a", tone(300.0, 1.0), level=-3.0, pan=0.4),)), 0, 4800),
        )


class Keys(SimpleTestCase):
    def test_channels_split_from_one_file_are_told_apart(self) -> None:
        """A mute of the one is not answered with what was kept of the other."""
        audio = np.stack([tone(300.0, SECONDS)[0], tone(500.0, SECONDS)[0]])
        halves = [MixSource(f"s{i}", audio[i : i + 1], asset="ab" * 32, first_channel=i) for i in (0, 1)]
        left, right = (Mix(RATE, SECONDS, (half,)) for half in halves)
        self.assertNotEqual(segment_key(left, 0), segment_key(right, 0))

    def test_ways_of_listening_are_told_apart(self) -> None:
        mix = Mix(RATE, SECONDS, (MixSource("s", burst(1)),))
        ways = [Listening(), Listening(monitor="mono"), Listening(monitor="mono", trim=-1.0), Listening(trim=-1.0)]
        self.assertEqual(len({segment_key(mix, 0, way) for way in ways}), 4)
