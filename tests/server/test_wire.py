"""How sound is packed for a line: what comes out of a browser's decoder is what went in."""

import io

import numpy as np
import soundfile
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from needle.render.segments import lead_frames, segment_frames, tail_frames
from server.media import wire


def around(rate: int, channels: int) -> np.ndarray:
    """Tones of their own for every channel, as long as a segment with what is around it."""
    frames = lead_frames(rate) + segment_frames(rate) + tail_frames(rate)
    time = np.arange(frames) / rate
    return np.array([0.3 * np.sin(2 * np.pi * (200 + 90 * i) * time) for i in range(channels)], np.float32)


def unpacked(form: str, blocks: list[bytes]) -> np.ndarray:
    if form == "float":
        return np.array([np.frombuffer(block, "<f4") for block in blocks])
    files = [soundfile.read(io.BytesIO(block), dtype="float32", always_2d=True)[0].T for block in blocks]
    return np.concatenate(files)


class Forms(SimpleTestCase):
    def test_groups_of_channels_come_in_order(self) -> None:
        audio = around(48_000, 12)
        for form, blocks_expected in (("float", 12), ("flac", 2), ("opus-256", 6)):
            gain, blocks = wire.pack_audio(form, audio, 48_000)
            self.assertEqual((gain, len(blocks)), (1.0, blocks_expected))
            expected = audio[:, lead_frames(48_000) - wire.lead_of(form, 48_000) :]
            decoded = unpacked(form, blocks)
            self.assertEqual(decoded.shape, expected.shape, form)
            level = np.sqrt(np.mean((decoded - expected) ** 2, axis=1)) / np.sqrt(np.mean(expected**2, axis=1))
            self.assertLess(level.max(), 0.06 if form.startswith("opus") else 1e-6, form)

    def test_other_rates_come_in_opus_as_long_as_they_are(self) -> None:
        for rate in (44_100, 88_200, 96_000):
            audio = around(rate, 2)
            (block,) = wire.pack_audio("opus-256", audio, rate)[1]
            samples, coded = soundfile.read(io.BytesIO(block))
            self.assertEqual(coded, 48_000)
            self.assertAlmostEqual(len(samples) / coded, audio.shape[1] / rate, delta=1.5 / coded)

    def test_what_goes_beyond_full_scale_is_not_cut(self) -> None:
        audio = 9.0 * around(48_000, 2)
        for form in ("flac", "opus-256"):
            gain, blocks = wire.pack_audio(form, audio, 48_000)
            self.assertEqual(gain, 4.0)
            self.assertAlmostEqual(float(np.abs(unpacked(form, blocks)).max() * gain), 2.7, delta=0.1)
        self.assertEqual(wire.pack_audio("flac", np.zeros_like(audio), 48_000)[0], 1.0)


class Readings(SimpleTestCase):
    @given(arrays(np.float64, st.tuples(st.integers(1, 6), st.integers(1, 5)), elements=st.floats(-127, 127)))
    def test_rows_come_out_within_half_a_step(self, rows: np.ndarray) -> None:
        rows[0, 0] = np.nan
        steps = np.frombuffer(wire.pack_rows(rows), "<i2").reshape(rows.shape)
        counted = np.cumsum(steps, axis=0, dtype=np.int16)
        decoded = np.where(counted == wire.UNKNOWN, np.nan, counted * wire.STEP)
        np.testing.assert_allclose(decoded, rows, atol=wire.STEP / 2)

    def test_what_is_beyond_all_readings_stays_at_the_end(self) -> None:
        packed = wire.pack_rows(np.array([[-np.inf, np.inf, 500.0, -500.0]]))
        decoded = np.frombuffer(packed, "<i2") * wire.STEP
        np.testing.assert_allclose(decoded, [-128, 128, 128, -128], atol=0.01)

    @given(arrays(np.float32, (3, 2), elements=st.floats(-1, 1, width=32)))
    def test_points_come_out_near_where_they_were(self, points: np.ndarray) -> None:
        decoded = np.frombuffer(wire.pack_points(points), np.int8).reshape(points.shape) / 127
        np.testing.assert_allclose(decoded, points, atol=0.5 / 127 + 1e-6)
