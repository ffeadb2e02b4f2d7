"""Heads: the sphere as published, measured ones with their delays and between their directions, as loud as stereo."""

import itertools
import tempfile
from functools import cache
from pathlib import Path

import h5py
import numpy as np
from django.test import SimpleTestCase
from hypothesis import example, given
from hypothesis import strategies as st

from needle.dsp.spherical_head import interpolated, shade, sphere_responses, surrounding
from needle.errors import NeedleError
from needle.io.sofa import Head, read_head
from needle.layouts import LAYOUTS, fold
from needle.metering.measure import measure
from needle.mix.model import Mix, MixSource
from needle.mix.monitors import DOWNMIXES, fold_gain_db, to_ears
from needle.render.engine import render_audio
from needle.room_coordinates import unit_vectors
from tests.core.strategies import RATE


class Sphere(SimpleTestCase):
    def test_its_shade_is_that_of_brown_and_duda(self) -> None:
        """The filter of figure 4 and equation 2: the darkest at 150° from the ear, and a bright spot behind."""
        published = {0.0: 2.0, 30.0: 1.8186, 60.0: 1.3436, 90.0: 0.7564, 120.0: 0.2814, 150.0: 0.1, 180.0: 0.2814}
        for angle, alpha in published.items():
            # As seen from the right ear, at 90° to the right.
            magnitude = abs(shade([1e6], -90.0 + angle, 0.0)[1, 0])
            self.assertAlmostEqual(magnitude, alpha, delta=2e-3, msg=str(angle))

    def test_the_bright_spot(self) -> None:
        """At 16 kHz straight opposite the ear: -10.7 dB, not the -18 dB of a head that only darkens."""
        self.assertAlmostEqual(20 * np.log10(abs(shade([16000.0], 90.0, 0.0)[1, 0])), -10.7, delta=0.05)

    def test_low_down_it_is_no_obstacle(self) -> None:
        for azimuth in (0.0, 45.0, 90.0, 180.0):
            np.testing.assert_allclose(np.abs(shade([5.0], azimuth, 0.0)), 1.0, atol=2e-3)


def sphere(directions: np.ndarray, rate: int = RATE) -> Head:
    """A head that was measured on the sphere, so that what lies between is known."""
    angles = tuple(map(tuple, directions.T))
    responses = np.ascontiguousarray(sphere_responses(rate, angles).transpose(1, 0, 2))
    return Head(unit_vectors(*directions), responses, rate)


@cache
def densely() -> Head:
    return sphere(all_round(10.0))


def all_round(step: float) -> np.ndarray:
    """Azimuths and elevations all round, (2, n)."""
    rings = [(a, e) for e in np.arange(-75.0, 76.0, step) for a in np.arange(-180.0, 180.0, step)]
    return np.array([*rings, (0.0, 90.0), (0.0, -90.0)]).T


class Measured(SimpleTestCase):
    @given(st.floats(-180.0, 180.0), st.floats(-85.0, 85.0))
    @example(90.0, 0.0)
    @example(-84.0, 0.0)
    def test_between_directions_both_delay_and_strength_are_between(self, azimuth: float, elevation: float) -> None:
        head = densely()
        found = interpolated(head.directions, head.responses, unit_vectors([azimuth], [elevation]))[0].astype(float)
        wanted = sphere_responses(RATE, ((azimuth, elevation),))[:, 0].astype(float)
        spectra = [np.fft.rfft(one, 2048) for one in (found, wanted)]
        frequencies = np.fft.rfftfreq(2048, 1.0 / RATE)
        heard = (frequencies > 100.0) & (frequencies < 12000.0)
        level = 20 * np.log10(np.abs(spectra[0]) / np.abs(spectra[1]))[:, heard]
        # Opposite an ear lies its bright spot, finer than the directions that were measured are apart.
        from_axis = np.degrees(np.arccos(abs(np.cos(np.radians(elevation)) * np.sin(np.radians(azimuth)))))
        self.assertLess(np.abs(level).max(), 2.0 if from_axis < 6.0 else 1.0)
        low = (frequencies > 100.0) & (frequencies < 1500.0)
        for ear in (0, 1):
            turned = np.unwrap(np.angle(spectra[0][ear] / spectra[1][ear]))[low]
            late = np.polyfit(2 * np.pi * frequencies[low], turned, 1)[0]
            self.assertLess(abs(late), 25e-6)

    def test_a_measured_direction_comes_as_it_was(self) -> None:
        head = sphere(all_round(15.0))
        for index in (0, 100, 200):
            found = interpolated(head.directions, head.responses, head.directions[:, [index]])[0]
            np.testing.assert_allclose(found, head.responses[index], atol=1e-6)

    @given(st.floats(-180.0, 180.0), st.floats(-89.0, 89.0))
    def test_weights_are_those_of_the_triangle_round_it(self, azimuth: float, elevation: float) -> None:
        directions = unit_vectors(*all_round(30.0))
        wanted = unit_vectors([azimuth], [elevation])
        corners, weights = surrounding(directions, wanted)
        self.assertAlmostEqual(float(weights.sum()), 1.0)
        self.assertGreaterEqual(weights.min(), 0.0)
        pointed = (directions[:, corners[0]] * weights[0]).sum(axis=1)
        np.testing.assert_allclose(pointed / np.linalg.norm(pointed), wanted[:, 0], atol=1e-3)

    def test_a_ring_and_a_lonely_direction_will_do(self) -> None:
        ring = np.array([np.arange(0.0, 360.0, 10.0), np.zeros(36)])
        corners, weights = surrounding(unit_vectors(*ring), unit_vectors([4.0, 357.5], [0.0, 0.0]))
        for (first, second, _), shares, told in zip(corners, weights, ((0, 1, 0.4), (0, 35, 0.25)), strict=True):
            by_index = dict(zip((first, second), shares[:2], strict=True))
            self.assertAlmostEqual(by_index[told[1]], told[2], places=6)
        corners, weights = surrounding(unit_vectors([0.0], [0.0]), unit_vectors([90.0], [0.0]))
        self.assertEqual((corners[0, 0], weights[0, 0]), (0, 1.0))

    def written(self, **datasets: np.ndarray) -> Path:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / "head.sofa"
        with h5py.File(path, "w") as file:
            file.attrs["SOFAConventions"] = "SimpleFreeFieldHRIR"
            for name, values in datasets.items():
                file[name.replace("_", ".")] = values
            file["SourcePosition"].attrs["Type"] = "spherical"
        return path

    def test_what_the_file_keeps_as_delays_is_heard(self) -> None:
        places = np.array([[0.0, 0.0, 1.2], [90.0, 0.0, 1.2]])
        ir = np.zeros((2, 2, 64))
        ir[..., 3] = 1.0
        late = np.array([[5.0, 5.0], [2.0, 33.5]])
        path = self.written(Data_IR=ir, Data_SamplingRate=np.array([48000.0]), SourcePosition=places, Data_Delay=late)
        head = read_head(path)
        self.assertEqual(int(np.argmax(head.responses[1, 0])), 3)
        frequencies = np.fft.rfftfreq(4096)[1:200]
        turned = [np.unwrap(np.angle(np.fft.rfft(ear, 4096)))[1:200] for ear in head.responses[1]]
        apart = -np.polyfit(2 * np.pi * frequencies, turned[1] - turned[0], 1)[0]
        self.assertAlmostEqual(apart, 31.5, delta=0.01)
        self.assertEqual(int(np.argmax(head.responses[0, 0])), int(np.argmax(head.responses[0, 1])))

    def test_delays_that_cannot_be_are_refused(self) -> None:
        places = np.array([[0.0, 0.0, 1.2], [90.0, 0.0, 1.2]])
        ir = np.ones((2, 2, 16))
        none, early, far = (np.array([[value, 0.0]]) for value in (np.nan, -1.0, 1e9))
        for late, told in (
            (none, "not between"), (early, "not between"), (far, "not between"), (np.ones((3, 2)), "two ears"),
        ):  # fmt: skip
            path = self.written(
                Data_IR=ir, Data_SamplingRate=np.array([48000.0]), SourcePosition=places, Data_Delay=late
            )
            with self.assertRaisesRegex(NeedleError, told):
                read_head(path)


def pink(common: float, seed: int = 3) -> np.ndarray:
    """Pink noise on two sides, of which a share of the power is common to both: float32 (2, frames)."""
    rng = np.random.default_rng(seed)
    frames = 8 * RATE
    spectra = np.fft.rfft(rng.standard_normal((3, frames)))
    spectra[:, 1:] /= np.sqrt(np.arange(1, spectra.shape[1]))
    spectra[:, np.fft.rfftfreq(frames, 1.0 / RATE) < 20.0] = 0.0
    both, left, right = np.fft.irfft(spectra, frames)
    sides = np.sqrt(common) * both + np.sqrt(1.0 - common) * np.array([left, right])
    return (0.1 * sides / np.abs(sides).max()).astype(np.float32)


class FoldGains(SimpleTestCase):
    def test_between_centre_and_side_two_speakers_add_up(self) -> None:
        """The mean over the front by hand: L and C, and C and R, each pair by sine and cosine."""
        angle = (np.arange(200_000) + 0.5) / 200_000 * np.pi / 2.0
        side, centre = np.cos(angle), np.sin(angle)
        near, far = side + centre * 0.5**0.5, centre * 0.5**0.5
        self.assertAlmostEqual(10.0 * np.log10((near**2 + far**2).mean()), 1.61, delta=0.03)
        for name in ("0+5+0", "0+7+0", "4+7+0"):
            self.assertAlmostEqual(fold_gain_db(LAYOUTS[name], "stereo"), 1.61, delta=0.03)
        for name in ("0+2+0", "quad"):
            self.assertAlmostEqual(fold_gain_db(LAYOUTS[name], "stereo"), 0.0, places=6)

    def test_it_is_what_is_measured_of_many_parts_across_the_front(self) -> None:
        rng = np.random.default_rng(4)
        pans = np.linspace(-1.0, 1.0, 21)
        sounds = (0.02 * rng.standard_normal((21, 1, 3 * RATE))).astype(np.float32)
        parts = tuple(
            MixSource(f"s{i}", sound, pan=pan) for i, (sound, pan) in enumerate(zip(sounds, pans, strict=True))
        )
        loudness = {}
        for name, monitor in itertools.product(("0+2+0", "4+7+0"), DOWNMIXES):
            mix = Mix(RATE, 3.0, parts, layout=name)
            ears = to_ears(mix.room, monitor, RATE, render_audio(mix, 0, mix.frames), 0)
            loudness[name, monitor] = float(measure([ears], RATE, 2)["integrated_lufs"])
        for monitor in DOWNMIXES:
            louder = loudness["4+7+0", monitor] - loudness["0+2+0", monitor]
            self.assertAlmostEqual(louder, fold_gain_db(LAYOUTS["4+7+0"], monitor), delta=0.2, msg=monitor)


class AsLoud(SimpleTestCase):
    """Headphones, fold and stereo of the same stereo session, within 0.5 LU."""

    def loudness(self, audio: np.ndarray) -> float:
        return float(measure([audio], RATE, 2)["integrated_lufs"])

    def test_on_headphones_a_stereo_session_is_as_loud_as_in_stereo(self) -> None:
        measured = sphere(all_round(15.0))

        def heads(name: str, rate: int, layout) -> np.ndarray:
            # Whatever level it was measured at.
            return 0.05 * measured.at_speakers(rate, layout)

        for common in (0.0, 0.5, 1.0):
            sound = pink(common)
            stereo = self.loudness(sound)
            for name, how in (("headphones", None), ("head:mine", heads)):
                heard = to_ears(LAYOUTS["0+2+0"], name, RATE, sound, 0, how)
                self.assertAlmostEqual(self.loudness(heard), stereo, delta=0.5, msg=f"{name} {common}")

    def test_a_stereo_session_in_a_room_is_as_loud_on_headphones_and_folded(self) -> None:
        layout = LAYOUTS["0+5+0"]
        sound = np.zeros((len(layout.channels), 8 * RATE), np.float32)
        names = [channel.name for channel in layout.channels]
        sound[[names.index("M+030"), names.index("M-030")]] = pink(0.5)
        stereo = self.loudness(pink(0.5))
        self.assertAlmostEqual(self.loudness(fold(layout).astype(np.float32) @ sound), stereo, delta=0.01)
        self.assertAlmostEqual(self.loudness(to_ears(layout, "headphones", RATE, sound, 0)), stereo, delta=0.5)
