"""The engine: against full evaluation, in any division, and what its caches depend on."""

import dataclasses
import itertools

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.automation.curve import Lane, Point
from needle.effects.chain import EFFECTS, Chain
from needle.mix.listening import Listening
from needle.mix.model import Mix, MixReturn, MixSend, MixSource
from needle.mix.partition import parts_of
from needle.render.blocks import run_in_stretches
from needle.render.cache import RenderCache
from needle.render.compile import MIX, compile_mix, compile_parts
from needle.render.engine import render_audio, render_before_placement, run
from needle.render.fingerprints import dependency_key
from needle.render.input_gains import direct_gains
from needle.render.segments import (
    lead_frames,
    render_segments,
    render_unmeasured,
    segment_frames,
    segment_key,
    tail_frames,
)
from needle.render.source_gains import placement, values_at
from needle.session.document import mix_of
from needle.units import db_to_gain
from tests import examples
from tests.core.sessions import audio, documents
from tests.core.strategies import RATE, lanes, levels, mixes, pans, tone

SECONDS = 0.5
FRAMES = round(SECONDS * RATE)


def gains_at(mix: Mix, source: MixSource, times: np.ndarray) -> np.ndarray:
    """The gains of a source without delays, (2, inputs, times)."""
    return direct_gains(mix, source, times)


def decibels(values: np.ndarray) -> float:
    return 20 * np.log10(max(np.abs(values).max(), 1e-30))


class Truth(SimpleTestCase):
    @examples(60)
    @given(st.builds(dict, pan=lanes(pans, SECONDS), level=lanes(levels.filter(lambda v: v <= 0.0), SECONDS)))
    def test_full_scale_sine_within_80_db_of_every_sample_evaluated(self, moving: dict[str, Lane]) -> None:
        source = MixSource("tone", tone(997.0, SECONDS), lanes=moving)
        mix = Mix(RATE, SECONDS, (source,))
        full = np.einsum("oit,it->ot", gains_at(mix, source, np.arange(FRAMES) / RATE), source.audio)
        self.assertLess(decibels(render_audio(mix, 0, FRAMES) - full), -80.0)

    @examples(60)
    @given(mixes(SECONDS), st.lists(st.integers(1, FRAMES - 1), max_size=6, unique=True))
    def test_any_division_renders_the_same(self, mix: Mix, cuts: list[int]) -> None:
        whole = render_audio(mix, 0, FRAMES)
        edges = [0, *sorted(cuts), FRAMES]
        parts = [render_audio(mix, a, b) for a, b in itertools.pairwise(edges)]
        self.assertLess(decibels(np.concatenate(parts, axis=1) - whole), -100.0)

    @examples(40)
    @given(mixes(SECONDS))
    def test_a_hand_hears_the_mix(self, mix: Mix) -> None:
        """The mix without a source, and that source through the gains of its place, are the mix."""
        changed = dataclasses.replace(
            mix.sources[0], muted=False, lanes={k: v for k, v in mix.sources[0].lanes.items() if k == "level"}
        )
        mix = dataclasses.replace(mix, sources=(changed, *mix.sources[1:]))
        without = render_audio(mix, 0, FRAMES, Listening(without_direct=frozenset({changed.id})))
        before = render_before_placement(mix, changed.id, 0, FRAMES)
        place = placement(mix, changed, values_at(changed, np.zeros(1)), np.zeros(1))[:, :, 0]
        self.assertLess(decibels(without + place @ before - render_audio(mix, 0, FRAMES)), -90.0)


class Placement(SimpleTestCase):
    def test_sides_measured(self) -> None:
        for pan, left, right in ((-1.0, 1.0, 0.0), (0.0, 0.5, 0.5), (1.0, 0.0, 1.0), (0.5, 0.14645, 0.85355)):
            mix = Mix(RATE, SECONDS, (MixSource("tone", tone(1000.0, SECONDS), pan=pan),))
            power = (render_audio(mix, 0, FRAMES).astype(float) ** 2).mean(axis=1) * 2
            np.testing.assert_allclose(power, [left, right], atol=1e-4)

    def test_balance_keeps_each_side_on_its_side(self) -> None:
        audio = np.concatenate([tone(500.0, SECONDS), tone(900.0, SECONDS)])
        mix = Mix(RATE, SECONDS, (MixSource("pair", audio, mode="balance", pan=0.5),))
        np.testing.assert_allclose(render_audio(mix, 0, FRAMES), audio * [[0.5], [1.0]], atol=1e-6)

    def test_gain_level_mute_solo_and_start(self) -> None:
        loud = MixSource("loud", tone(440.0, 0.2), offset=4800, gain=6.0, level=-12.0)
        quiet = MixSource("quiet", tone(660.0, 0.2), muted=True)
        mix = Mix(RATE, SECONDS, (loud, quiet))
        out = render_audio(mix, 0, FRAMES)
        self.assertEqual(decibels(out[:, :4800]), decibels(np.zeros(1)))
        self.assertAlmostEqual(float(np.abs(out).max()), float(db_to_gain(-6.0)) * np.sqrt(0.5), places=4)
        soloed = render_audio(mix, 0, FRAMES, Listening(solo=frozenset({"quiet"})))
        self.assertAlmostEqual(float(np.abs(soloed).max()), np.sqrt(0.5), places=4)
        self.assertEqual(float(np.abs(render_audio(mix, -500, 0)).max()), 0.0)
        off = dataclasses.replace(loud, level=-96.0)
        self.assertEqual(float(np.abs(render_audio(Mix(RATE, 1.0, (off,)), 0, FRAMES)).max()), 0.0)

    def test_a_move_arrives_on_time(self) -> None:
        lane = Lane((Point(0.1, -1.0, "straight"), Point(0.3, 1.0)))
        mix = Mix(RATE, SECONDS, (MixSource("steady", np.ones((1, FRAMES), np.float32), lanes={"pan": lane}),))
        left, right = render_audio(mix, 0, FRAMES)
        pan = np.arctan2(right, left) * 4 / np.pi - 1
        at = np.arange(FRAMES) / RATE
        np.testing.assert_allclose(pan, np.interp(at, [0.1, 0.3], [-1, 1]), atol=1e-3)


class Segments(SimpleTestCase):
    @examples(15)
    @given(mixes(1.5))
    def test_segments_are_what_is_delivered(self, mix: Mix) -> None:
        heard = np.concatenate([s.audio for s in render_segments(mix, 0, 3)], axis=1)
        stretches = run_in_stretches(compile_mix(mix), 0, mix.frames)
        delivered = np.concatenate([outputs[MIX] for _, outputs in stretches], axis=1)
        np.testing.assert_array_equal(heard, delivered)
        alone = next(render_segments(mix, 2, 3))
        np.testing.assert_array_equal(alone.audio, heard[:, 2 * segment_frames(RATE) :])

    @examples(12)
    @given(documents(), st.sampled_from(["stereo", "mono", "headphones"]), st.booleans())
    def test_unmeasured_they_sound_the_same(self, document: dict, monitor: str, click: bool) -> None:
        mix = mix_of(document, audio)
        around = {"lead": lead_frames(RATE), "tail": tail_frames(RATE)}
        listening = Listening(monitor=monitor, click=click)
        for index, measured in enumerate(render_segments(mix, 0, 2, listening, **around)):
            bare = render_unmeasured(mix, index, listening, **around)
            self.assertLess(decibels(bare - measured.around), -100.0)

    def test_an_edit_elsewhere_leaves_the_key_alone(self) -> None:
        def keys(value: float, at: float) -> list[str]:
            points = (Point(0.0, 0.0, "hold"), Point(1.0, 0.5, "hold"), Point(at, value, "hold"))
            source = MixSource("tone", tone(440.0, 4.0), lanes={"pan": Lane(points)})
            mix = Mix(RATE, 4.0, (source, MixSource("other", tone(220.0, 4.0), asset="other")))
            return [segment_key(mix, index) for index in range(8)]

        before, after = keys(0.2, 3.2), keys(0.9, 3.2)
        changed = [index for index in range(8) if before[index] != after[index]]
        self.assertEqual([0, 1], [index for index in range(2) if index not in changed])
        self.assertIn(6, changed)
        self.assertTrue(all(index >= 2 for index in changed), changed)

    @examples(30)
    @given(mixes(SECONDS), st.integers(0, 3), st.data())
    def test_same_key_same_samples(self, mix: Mix, which: int, data: st.DataObject) -> None:
        """Change anything of one source; where the key stays, so must the samples."""
        source = mix.sources[which % len(mix.sources)]
        changed = dataclasses.replace(
            source,
            pan=data.draw(pans),
            level=data.draw(st.floats(-20, 0)),
            lanes=data.draw(st.sampled_from([{}, source.lanes, {"pan": data.draw(lanes(pans, SECONDS))}])),
        )
        other = dataclasses.replace(mix, sources=tuple(changed if s is source else s for s in mix.sources))
        for start in range(0, FRAMES, 4800):
            if dependency_key(mix, start, start + 4800) == dependency_key(other, start, start + 4800):
                np.testing.assert_array_equal(
                    render_audio(mix, start, start + 4800), render_audio(other, start, start + 4800)
                )


class Plans(SimpleTestCase):
    @examples(20)
    @given(mixes(SECONDS))
    def test_any_set_of_outputs_and_threads_gives_the_same_samples(self, mix: Mix) -> None:
        parts = parts_of(mix)
        together = run(compile_parts(mix, parts), 0, FRAMES)
        self.assertLess(decibels(together[MIX] - render_audio(mix, 0, FRAMES)), -100.0)
        for part in parts:
            alone = render_audio(part.mix, 0, FRAMES, part.listening)
            np.testing.assert_array_equal(together[part.key], alone)
        plan = compile_mix(mix)
        one, three = (
            np.concatenate(
                [outputs[MIX] for _, outputs in run_in_stretches(plan, 0, 3 * FRAMES, threads=threads)], axis=1
            )
            for threads in (1, 3)
        )
        np.testing.assert_array_equal(one, three)

    @examples(20)
    @given(mixes(SECONDS))
    def test_who_stands_beside_changes_nothing(self, mix: Mix) -> None:
        """Sources are evaluated together; each sounds as it does by itself."""
        direct = dataclasses.replace(mix, returns=())
        alone = [render_audio(dataclasses.replace(direct, sources=(s,)), 0, FRAMES) for s in mix.sources]
        self.assertLess(decibels(sum(alone) - render_audio(direct, 0, FRAMES)), -110.0)

    def test_a_plan_is_flat_and_reads_only_what_comes_before(self) -> None:
        hall = MixReturn(
            "hall",
            Chain(((EFFECTS["high-pass"], {"frequency": 200.0}), (EFFECTS["drive"], EFFECTS["drive"].defaults()))),
        )
        source = MixSource("a", tone(440.0, SECONDS), delay_panning="symmetric", sends={"hall": MixSend(level=-6.0)})
        plan = compile_mix(Mix(RATE, SECONDS, (source,), returns=(hall,)))
        kinds = [type(stage).__name__ for stage in plan.stages]
        self.assertEqual(kinds, ["Bus", "LateStage", "Bus", "DryStage", "ConvolutionStage", "ProcessStage", "Bus"])
        for index, stage in enumerate(plan.stages):
            inputs = [
                getattr(stage, name).index
                for name in ("source", "before")
                if hasattr(getattr(stage, name, None), "index")
            ]
            inputs += [s.index for group in getattr(stage, "groups", ()) for s in group.sounds if hasattr(s, "index")]
            self.assertTrue(all(one < index for one in inputs))

    def test_what_is_kept_is_the_callers(self) -> None:
        hall = MixReturn("hall", Chain(((EFFECTS["room"], EFFECTS["room"].checked({"length": 0.3})),)))
        mix = Mix(
            RATE,
            SECONDS,
            (MixSource("a", tone(440.0, SECONDS), sends={"hall": MixSend(level=0.0)}),),
            returns=(hall,),
        )
        cache = RenderCache(64 << 20)
        self.assertIs(compile_mix(mix, cache=cache), compile_mix(mix, cache=cache))
        first = render_audio(mix, 0, FRAMES, cache=cache)
        louder = dataclasses.replace(mix, returns=(dataclasses.replace(hall, level=-6.0),))
        edited = compile_mix(louder, cache=cache)
        was, now = (
            next(s for s in plan.stages if hasattr(s, "parts")) for plan in (compile_mix(mix, cache=cache), edited)
        )
        self.assertIs(was.parts, now.parts)
        np.testing.assert_array_equal(render_audio(mix, 0, FRAMES, cache=cache), first)
        self.assertLess(decibels(run(edited, 0, FRAMES, cache=cache)[MIX] - render_audio(louder, 0, FRAMES)), -120.0)
