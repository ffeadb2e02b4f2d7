"""Every compiled loop beside its twin in NumPy, and whole mixes on the twins."""

import importlib
import pkgutil
import subprocess
import sys

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.automation.curve import RAMP_SECONDS, Lane
from needle.dsp import kernels
from needle.dsp.fractional_delay import delay_channel
from needle.dsp.kernels import (
    envelope_nodes,
    lane_values,
    mixing,
    numpy_twins,
    products,
    quantization,
    room_directions,
    true_peak,
)
from needle.dsp.point_source_panner import point_panner
from needle.dsp.true_peak import PHASES
from needle.mix.model import Mix
from needle.render.engine import render_audio
from tests import examples
from tests.core.rooms import FRAMES, room_mixes
from tests.core.strategies import RATE, lanes, mixes, pans

SECONDS = 0.5
BLOCK = 64


def both(kernel: kernels.Kernel, *arguments: object) -> tuple[np.ndarray, np.ndarray]:
    """What the loop and its twin make of the same arguments, the last of which is filled."""
    *inputs, out = arguments
    assert isinstance(out, np.ndarray)
    compiled, plain = out.copy(), out.copy()
    kernel(*inputs, compiled)
    kernel.twin(*inputs, plain)
    return compiled, plain


def numbers(seed: int, *shape: int) -> np.ndarray:
    return np.random.default_rng(seed).uniform(-1.0, 1.0, shape).astype(np.float32)


class Twins(SimpleTestCase):
    def test_every_kernel_is_held_to_its_twin(self) -> None:
        for module in pkgutil.iter_modules(kernels.__path__):
            if module.name != "__main__":
                importlib.import_module(f"{kernels.__name__}.{module.name}")
        compared = {name.removeprefix("test_") for name in dir(Twins)} | {
            "mark_rough", "fill_between", "mark_bends", "add_scaled", "add_ramped",
        }  # fmt: skip
        self.assertLessEqual({kernel.name for kernel in kernels.REGISTERED}, compared)

    @examples(60)
    @given(st.lists(lanes(pans, SECONDS), min_size=1, max_size=4), st.integers(0, 2**31))
    def test_lane_values(self, given_lanes: list[Lane], seed: int) -> None:
        corners = np.concatenate([lane.corners for lane in given_lanes])
        times = np.concatenate([corners, corners + RAMP_SECONDS / 3, np.linspace(-0.1, 0.7, 99)])
        of = np.random.default_rng(seed).integers(0, len(given_lanes), len(times))
        with numpy_twins():
            plain = np.array([given_lanes[lane].evaluate(t) for lane, t in zip(of, times, strict=True)])
        compiled = np.array([given_lanes[lane].evaluate(t) for lane, t in zip(of, times, strict=True)])
        np.testing.assert_allclose(compiled, plain, atol=1e-9)

    @examples(40)
    @given(st.lists(st.lists(st.floats(0.0, 1.0), max_size=8), min_size=1, max_size=3), st.integers(-3, 400))
    def test_cornered_blocks(self, corners: list[list[float]], first: int) -> None:
        starts = np.cumsum([0, *map(len, corners)])
        at = np.array([t for row in corners for t in sorted(row)])
        members = np.arange(len(corners))
        out = np.zeros((len(corners), 120), dtype=bool)
        np.testing.assert_array_equal(*both(lane_values.cornered_blocks, starts, at, members, first, 750.0, out))

    @examples(30)
    @given(st.integers(0, 2**31), st.integers(1, 12), st.integers(1, 9), st.integers(0, 3))
    def test_mixing(self, seed: int, outputs: int, blocks: int, first: int) -> None:
        rng = np.random.default_rng(seed)
        sound, out = numbers(seed, blocks * BLOCK), numbers(seed + 1, outputs, first + blocks + 1, BLOCK)
        gains = numbers(seed + 2, outputs, blocks) * (rng.random((outputs, blocks)) > 0.3)
        rise = numbers(seed + 3, outputs, blocks) * (rng.random((outputs, blocks)) > 0.3)
        exact_of = np.where(rng.random(blocks) > 0.7, rng.integers(0, 2, blocks), -1)
        exact = numbers(seed + 4, outputs, 2, BLOCK)
        pair = both(mixing.add_ramped, sound, gains, rise, exact_of, exact, first, out)
        np.testing.assert_allclose(*pair, atol=1e-6)
        np.testing.assert_allclose(*both(mixing.add_scaled, sound, gains[:, 0], first, out), atol=1e-6)

    @examples(10)
    @given(st.integers(0, 2**31), st.integers(1, 99))
    def test_add_product(self, seed: int, bins: int) -> None:
        one, other, out = numbers(seed, 3, 2 * bins).view(np.complex64)
        pair = both(mixing.add_product, one, other, out)
        np.testing.assert_allclose(*pair, atol=1e-6)

    @examples(20)
    @given(st.floats(0.0, 300.0), st.floats(0.0, 100.0), st.integers(-400, 400))
    def test_read_delayed(self, middle: float, depth: float, first: int) -> None:
        sound = numbers(1, 4000)
        delays = np.maximum(middle + depth * np.sin(np.arange(1500) / 90.0), 0.0)
        compiled = delay_channel(sound, 0, delays, first)
        with numpy_twins():
            np.testing.assert_allclose(compiled, delay_channel(sound, 0, delays, first), atol=2e-6)

    @examples(30)
    @given(st.integers(0, 2**31), st.integers(1, 5), st.integers(5, 20))
    def test_envelope_nodes(self, seed: int, members: int, moments: int) -> None:
        coarse = np.cumsum(numbers(seed, 4, members, moments) * 1e-4, axis=2).astype(np.float64)
        rough = np.zeros((members, moments - 3), dtype=bool)
        np.testing.assert_array_equal(*both(envelope_nodes.mark_rough, coarse, 1e-4, rough))
        nodes = np.zeros((4, members, (moments - 3) * 4 + 1), np.float32)
        filled = both(envelope_nodes.fill_between, coarse, 4, nodes)
        np.testing.assert_allclose(*filled, atol=1e-6)
        may_bend = np.random.default_rng(seed).random((members, nodes.shape[2] - 3)) > 0.5
        # What lies as near to the limit as rounding reaches may fall to either side.
        nodes = np.round(numbers(seed, *nodes.shape), 1)
        pair = both(envelope_nodes.mark_bends, nodes, may_bend, 0.25, np.zeros_like(may_bend))
        np.testing.assert_array_equal(*pair)

    @examples(20)
    @given(st.integers(0, 2**31), st.sampled_from([40, 64, 441, 960]), st.integers(1, 4))
    def test_highest_between(self, seed: int, hop: int, hops: int) -> None:
        audio = numbers(seed, 2, 11 + hop * hops)
        phases = np.ascontiguousarray(PHASES, dtype=np.float32)
        out = np.zeros((2, hops), np.float32)
        np.testing.assert_allclose(*both(true_peak.highest_between, audio, phases, hop, out), rtol=1e-6)

    @examples(10)
    @given(st.integers(0, 2**31), st.integers(1, 12), st.integers(0, 300))
    def test_side_products(self, seed: int, channels: int, frames: int) -> None:
        audio, fold = (
            numbers(seed + k, *shape).astype(float) for k, shape in enumerate(((channels, frames), (2, channels)))
        )
        np.testing.assert_allclose(*both(products.side_products, audio, fold, np.zeros(3)), atol=1e-9)

    @examples(20)
    @given(st.integers(0, 2**31))
    def test_room_to_polar(self, seed: int) -> None:
        places = np.random.default_rng(seed).uniform(-1.0, 1.0, (3, 200))
        # The middle, the edges between sectors, and what stands straight above or beside.
        places[:, :90] = np.round(places[:, :90])
        pair = both(room_directions.room_to_polar, *places, np.zeros((3, 200)))
        np.testing.assert_allclose(*pair, atol=1e-9)

    @examples(10)
    @given(st.integers(0, 2**31))
    def test_unit_vectors(self, seed: int) -> None:
        azimuth, elevation = np.random.default_rng(seed).uniform(-400.0, 400.0, (2, 100))
        pair = both(room_directions.unit_vectors, azimuth, elevation, np.zeros((3, 100)))
        np.testing.assert_allclose(*pair, atol=1e-9)

    @examples(20)
    @given(st.integers(0, 2**31), st.sampled_from(["0+5+0", "2+5+0", "4+7+0", "quad"]))
    def test_point_gains(self, seed: int, layout: str) -> None:
        vectors = np.random.default_rng(seed).standard_normal((3, 200))
        vectors[:, :7] = np.eye(3, 7) - np.eye(3, 7, 3)
        vectors[:, 6] = 1.0
        vectors /= np.linalg.norm(vectors, axis=0)
        compiled = point_panner(layout).gains_of(vectors)
        with numpy_twins():
            np.testing.assert_allclose(compiled, point_panner(layout).gains_of(vectors), atol=1e-9)

    @examples(20)
    @given(st.integers(0, 2**31), st.sampled_from([2.0**-15, 2.0**-23]), st.booleans(), st.integers(0, 2**40))
    def test_quantize(self, seed: int, step: float, dither: bool, first: int) -> None:
        audio, out = 1.2 * numbers(seed, 2, 300), np.zeros((2, 300), np.int32)
        seeds = np.random.default_rng(seed).integers(0, 2**64, 2, dtype=np.uint64)
        whole = both(quantization.quantize, audio, seeds, first, step, dither, out)
        np.testing.assert_array_equal(*whole)
        part = np.zeros((2, 100), np.int32)
        quantization.quantize(audio[:, 200:].copy(), seeds, first + 200, step, dither, part)
        np.testing.assert_array_equal(part, whole[0][:, 200:])


class Switch(SimpleTestCase):
    @examples(8)
    @given(mixes(SECONDS))
    def test_a_mix_on_the_twins_is_the_mix(self, mix: Mix) -> None:
        compiled = render_audio(mix, 0, round(SECONDS * RATE))
        with numpy_twins():
            plain = render_audio(mix, 0, round(SECONDS * RATE))
        np.testing.assert_allclose(compiled, plain, atol=1e-5)

    @examples(8)
    @given(room_mixes())
    def test_so_is_one_in_a_room(self, mix: Mix) -> None:
        compiled = render_audio(mix, 0, FRAMES)
        with numpy_twins():
            plain = render_audio(mix, 0, FRAMES)
        np.testing.assert_allclose(compiled, plain, atol=1e-5)

    def test_the_environment_runs_everything_without_numba(self) -> None:
        code = (
            "import sys; sys.modules['numba'] = None; import numpy as np;"
            "from needle.automation.curve import Lane, Point; from needle.mix.model import Mix, MixSource;"
            "from needle.render.engine import render_audio;"
            "lanes = {'pan': Lane((Point(0.0, -1.0), Point(1.0, 1.0)))};"
            "source = MixSource('a', np.ones((1, 48000), np.float32), lanes=lanes);"
            "print((render_audio(Mix(48000, 1.0, (source,)), 0, 48000)[:, ::24000] * 1000).round().tolist())"
        )
        done = subprocess.run(
            [sys.executable, "-c", code], env={"NEEDLE_KERNELS": "numpy"}, capture_output=True, text=True, check=True
        )
        self.assertEqual(done.stdout.strip(), "[[1000.0, 707.0], [0.0, 707.0]]")
