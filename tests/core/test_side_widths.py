"""The width of each side: power kept, mirrored, as wide as it says, and the sound itself where there is none."""

from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.automation.curve import Lane, Point
from needle.dsp.band_split import BANDS, PLACES, band_filters, half_length, place_of
from needle.dsp.pan_laws import LAWS
from needle.io.adm.from_mix import mix_to_adm
from needle.messages import Message
from needle.metering.spectra import spectrum_of
from needle.mix.listening import Listening
from needle.mix.model import Mix, MixReturn, MixSend, MixSource
from needle.render.engine import render_audio, render_before_placement
from needle.render.fingerprints import dependency_key
from needle.render.freezing import bare, frozen_sound, key_of
from needle.render.placement_analysis import mode_choices, mono_loss, response
from needle.render.preview_tables import hand_reading
from needle.render.trajectories import channel_gains
from tests import examples
from tests.core.rooms import ROOMS, noise
from tests.core.strategies import RATE, pans, tone

FRAMES = 2 * RATE
laws = st.sampled_from(sorted(LAWS))
widths = st.floats(0.0, 1.0)


def source(**more) -> MixSource:
    """Two unrelated noises, the right one silent unless something else is said."""
    audio = more.pop("audio", noise(1, 2) * np.array([[1.0], [0.0]], np.float32))
    return MixSource("s", audio, mode="sides", **more)


def mix(made: MixSource, **more) -> Mix:
    return Mix(RATE, 2.0, (made,), **more)


def rendered(made: MixSource, **more) -> np.ndarray:
    return render_audio(mix(made, **more), 0, FRAMES).astype(float)


def decibels(audio: np.ndarray) -> float:
    return float(10.0 * np.log10((audio**2).sum() + 1e-20))


class Bands(SimpleTestCase):
    def test_they_add_up_to_the_sound(self) -> None:
        for rate in (22050, 44100, 48000, 96000):
            together = band_filters(rate).astype(float).sum(axis=0)
            together[half_length(rate)] -= 1.0
            self.assertLess(np.abs(together).max(), 1e-6)

    def test_every_four_critical_bands_come_from_everywhere(self) -> None:
        frequencies = np.geomspace(200.0, 16000.0, 4000)
        bands = 21.4 * np.log10(1.0 + 0.00437 * frequencies)
        for low in np.arange(bands[0], bands[-1] - 4.0):
            places = place_of(frequencies[(bands >= low) & (bands < low + 4.0)])
            share = np.histogram(places, 4, (-1.0, 1.0))[0] / len(places)
            np.testing.assert_allclose(share, 0.25, atol=0.08)

    def test_a_blow_stays_one(self) -> None:
        """With the greatest width, 30 dB less comes more than 5 ms beside it."""
        responses = LAWS["constant-power"].gains(PLACES) @ band_filters(48000).astype(float)
        beside = np.abs(np.arange(responses.shape[1]) - half_length(48000)) > 240
        self.assertLess(decibels(responses[:, beside]) - decibels(responses), -30.0)


class InStereo(SimpleTestCase):
    @examples(30)
    @given(laws, st.booleans(), pans, widths)
    def test_the_power_of_every_frequency_is_kept(
        self, law: str, centre_zero: bool, pan: float, width: float
    ) -> None:
        click = np.zeros((2, RATE), np.float32)
        click[0, RATE // 2] = 1.0
        settings = {"law": law, "centre_zero": centre_zero}
        spectrum = np.fft.rfft(rendered(source(audio=click, pan_left=pan, width_left=width), **settings)[:, :RATE])
        wanted = LAWS[law].strength(pan, centre_zero)
        audible = slice(50, round(0.45 * RATE))
        level = 10.0 * np.log10((np.abs(spectrum) ** 2).sum(axis=0)[audible] / wanted**2)
        # Between two bands, the sum of two places next to each other.
        self.assertLess(np.abs(level).max(), 0.4 if law == "balance" else 0.25)

    @examples(20)
    @given(laws, pans, pans, widths, widths)
    def test_exchanged_sides_are_the_mirror_image(self, law: str, left: float, right: float, one, other) -> None:
        here = source(audio=noise(2, 2), pan_left=left, pan_right=right, width_left=one, width_right=other)
        there = replace(here, pan_left=-right, pan_right=-left, width_left=other, width_right=one, swap_channels=True)
        np.testing.assert_allclose(rendered(here, law=law)[::-1], rendered(there, law=law), atol=2e-6)

    def test_it_sounds_like_as_many_sounds_side_by_side(self) -> None:
        """Powers and correlation of independent sounds all over the part (constant power: ∫cos², ∫sin·cos)."""
        for pan, width in ((0.0, 1.0), (-1.0, 1.0), (-1.0, 0.5), (0.2, 0.3)):
            left, right = rendered(source(pan_left=pan, width_left=width))
            middle = min(max(pan, width - 1.0), 1.0 - width)
            places = np.linspace(middle - width, middle + width, 2001)
            gains = LAWS["constant-power"].gains(places)
            powers = (gains**2).mean(axis=1)
            wanted = (gains[0] * gains[1]).mean() / np.sqrt(powers.prod())
            correlation = (left * right).sum() / np.sqrt((left**2).sum() * (right**2).sum())
            self.assertAlmostEqual(correlation, wanted, delta=0.03)
            lean = 10.0 * np.log10((right**2).sum() / (left**2).sum())
            self.assertAlmostEqual(lean, 10.0 * np.log10(powers[1] / powers[0]), delta=0.6)

    def test_without_a_width_it_is_the_sound_at_its_place(self) -> None:
        still = source(audio=noise(3, 2), pan_left=-0.7, pan_right=0.2)
        closing = replace(still, lanes={"width_left": Lane((Point(0.0, 1.0), Point(0.5, 0.0)))})
        output, wanted = rendered(closing), rendered(still)
        after = slice(round(0.5 * RATE) + 64, FRAMES)
        self.assertLess(np.abs(output - wanted)[:, after].max(), 1e-6)
        self.assertGreater(np.abs(output - wanted)[:, : RATE // 4].max(), 0.02)

    def test_what_stands_still_sounds_as_if_it_moved(self) -> None:
        fading = {"level": Lane((Point(0.0, -96.0), Point(1.0, 0.0)))}
        for layout in ("0+2+0", "4+7+0"):
            still = source(audio=noise(7, 2), pan_left=-0.3, width_left=0.4, width_right=1.0, lanes=fading)
            moving = replace(still, lanes={**fading, "pan_left": Lane((Point(0.0, -0.3),))})
            output, wanted = (rendered(one, layout=layout) for one in (still, moving))
            np.testing.assert_allclose(output, wanted, atol=1e-6)
            self.assertGreater(np.abs(wanted).max(), 0.05)

    def test_nothing_of_it_cancels_in_mono(self) -> None:
        wide = source(pan_left=0.0, width_left=1.0)
        spectrum = spectrum_of([wide.audio], 2, RATE)
        predicted = mono_loss(spectrum, response(mix(wide), wide, 0.0, spectrum.frequencies))
        self.assertGreater(predicted, -1.0)
        left, right = rendered(wide)
        measured = decibels((left + right) / np.sqrt(2.0)) - decibels(np.array([left, right]))
        self.assertAlmostEqual(measured, predicted, delta=0.1)

    def test_a_hand_hears_it(self) -> None:
        wide = source(audio=noise(4, 2), pan_left=-0.8, pan_right=0.3, width_left=0.5, width_right=0.9)
        reading = hand_reading(mix(wide), wide, 0.0)
        rows = render_before_placement(mix(wide), "s", 0, FRAMES, for_hand=True)
        self.assertEqual(len(rows), len(reading["rows"]))
        output = np.zeros((2, FRAMES))
        for row, sound in zip(reading["rows"], rows, strict=True):
            place = np.clip((-0.8, 0.3)[row["channel"]], -row["most"], row["most"])
            for tap in row["taps"]:
                gains = LAWS["constant-power"].gains(place + tap["offset"]) * tap["gain"]
                output += gains[:, np.newaxis] * reading["weights"][row["channel"]] * sound
        np.testing.assert_allclose(output, rendered(wide), atol=1e-6)

    def test_another_way_of_panning_brings_none_along(self) -> None:
        wide = replace(source(width_left=0.5), mode="span")
        spectrum = spectrum_of([wide.audio], 2, RATE)
        (sides,) = (one for one in mode_choices(mix(wide), wide, spectrum, 0.0) if one["name"] == "sides")
        self.assertEqual((sides["values"]["width_left"], sides["values"]["width_right"]), (0.0, 0.0))


class Everywhere(SimpleTestCase):
    @examples(10)
    @given(st.sampled_from(ROOMS), pans, widths, pans)
    def test_in_a_room_its_power_is_kept_and_told(self, layout: str, pan: float, width: float, front: float) -> None:
        wide = source(pan_left=pan, width_left=width, front_left=front)
        output = rendered(wide, layout=layout)
        narrow = rendered(replace(wide, width_left=0.0), layout=layout)
        self.assertAlmostEqual(decibels(output), decibels(narrow), delta=0.3)
        predicted = channel_gains(mix(wide, layout=layout), wide, np.zeros(1))[:, 0] ** 2
        shares = (output**2).sum(axis=1) / (output**2).sum()
        # The right side, silent here, stands in front on the right, and is told too.
        right = (
            channel_gains(
                mix(wide, layout=layout), replace(wide, pan_left=1.0, width_left=0.0, front_left=1.0), np.zeros(1)
            )[:, 0]
            ** 2
            / 2.0
        )
        np.testing.assert_allclose(shares, predicted - right, atol=0.12)

    def test_it_comes_from_the_loudspeakers_that_lie_within(self) -> None:
        wide = source(pan_left=-1.0, width_left=0.5, front_left=-1.0)
        output = rendered(wide, layout="4+7+0")
        labels = [channel.label for channel in mix(wide, layout="4+7+0").room.channels]
        share = dict(zip(labels, (output**2).sum(axis=1) / (output**2).sum(), strict=True))
        self.assertGreater(share["Lb"], 0.3)
        self.assertGreater(share["Lb"] + share["Rb"] + share["Lss"], 0.95)

    def test_timing_doubles_sends_and_the_lfe_have_it_too(self) -> None:
        plain = source(audio=noise(5, 2), pan_left=-0.5, pan_right=0.4)
        for more in (
            {"delay_panning": "symmetric"},
            {"double": True, "double_ms": 12.0},
            {"sends": {"r": MixSend(0.0)}},
        ):
            wide = replace(plain, width_left=0.8, **more)
            hull = MixReturn("r") if "sends" in more else None
            returns = {"returns": (hull,)} if hull else {}
            levels = [decibels(rendered(one, **returns)) for one in (replace(wide, width_left=0.0), wide)]
            self.assertAlmostEqual(*levels, delta=1.0, msg=str(more))
            if hull:
                only = Listening(without_direct=frozenset({"s"}))
                through = render_audio(mix(wide, **returns), 0, FRAMES, only)
                np.testing.assert_allclose(through, rendered(wide), atol=1e-5)
        low = source(audio=tone(60.0, 2.0, 2), lfe=0.0)
        for layout in ("0+5+0", "4+7+0"):
            made = mix(low, layout=layout)
            lfe = made.room.lfe
            wide = mix(replace(low, width_left=1.0), layout=layout)
            np.testing.assert_allclose(render_audio(wide, 0, RATE)[lfe], render_audio(made, 0, RATE)[lfe], atol=2e-4)

    def test_the_file_of_objects_says_that_it_is_a_bed(self) -> None:
        wide_mix = mix(source(width_right=0.4), layout="4+7+0")
        export = mix_to_adm(wide_mix, "Night Ferry", {"s": "Gulls"})
        self.assertEqual(export.programme.notes[0].parameters["reason"], Message("adm.side_width"))

    def test_frozen_it_sounds_on_to_its_last_ripple(self) -> None:
        wide = source(audio=noise(6, 2, 0.5), width_left=1.0)
        made = mix(wide)
        frozen = np.concatenate([audio for _, audio in frozen_sound(made, "s")], axis=1)
        self.assertEqual(frozen.shape[1], round(0.5 * RATE) + half_length(RATE))
        np.testing.assert_allclose(frozen, rendered(bare(wide))[:, : frozen.shape[1]], atol=1e-6)

    def test_what_was_frozen_before_sides_had_a_width_is_what_it_was(self) -> None:
        narrow = source(pan_left=-0.4)
        self.assertNotIn("width_left", narrow.statics)
        self.assertNotEqual(key_of(mix(narrow), narrow), key_of(mix(narrow), replace(narrow, width_left=0.1)))

    def test_a_stretch_hangs_on_the_width_that_it_has(self) -> None:
        still, there = (
            source(lanes={"width_left": Lane((Point(0.0, 0.0), Point(1.3, 0.0), Point(1.9, last)))})
            for last in (0.0, 1.0)
        )
        early, late = (0, RATE), (RATE, FRAMES)
        self.assertEqual(*(dependency_key(mix(one), *early) for one in (still, there)))
        self.assertNotEqual(*(dependency_key(mix(one), *late) for one in (still, there)))

    def test_both_sides_come_apart_into_as_many_bands(self) -> None:
        made = source(width_left=0.1).in_bands(RATE)
        self.assertEqual(made.channels, 2 * BANDS)
        self.assertIs(made.in_bands(RATE), made)
