"""What is measured and heard of mixes in a room, and the files they become."""

import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np
import soundfile
from django.test import SimpleTestCase

from needle.errors import NeedleError
from needle.io.audio import AudioWriter
from needle.io.containers import channel_mask
from needle.layouts import LAYOUTS
from needle.metering.frames import measure_frames, warm_up_frames
from needle.metering.measure import measure
from needle.metering.overview import Overview
from needle.metering.room import room_columns, room_readings
from needle.mix.listening import Listening
from needle.mix.model import MixSource
from needle.mix.monitors import PAST, to_ears
from needle.render.engine import render_audio
from needle.render.preview_tables import room_table
from tests.core.rooms import db, mix, noise
from tests.core.strategies import RATE


class Meters(SimpleTestCase):
    def test_depth_and_the_energy_vector(self) -> None:
        made = mix(MixSource("a", noise(11), pan=1.0, front=-1.0))
        past = warm_up_frames(RATE)
        audio = render_audio(made, RATE // 2 - past, RATE + RATE // 2)
        frames = measure_frames(audio, RATE, past, made.room)
        columns = room_columns(made.room)
        now = dict(zip(columns, room_readings(made.room, frames, 25)[-1], strict=True))
        self.assertAlmostEqual(now["rms:M-110"], -20.0, delta=1.5)
        self.assertAlmostEqual(now["energy_azimuth"], -110.0, delta=0.5)
        self.assertAlmostEqual(now["energy_length"], 1.0, delta=0.01)
        self.assertLess(now["depth_short"], -20.0)

    def test_loudness_weighs_the_sides_of_a_room(self) -> None:
        front, beside = (
            Overview(measure_frames(render_audio(mix(one), 0, 2 * RATE), RATE, 0, LAYOUTS["0+5+0"])).figures()
            for one in (MixSource("a", noise(12), pan=-1.0), MixSource("a", noise(12), pan=-1.0, front=-1.0))
        )
        self.assertAlmostEqual(beside["integrated_lufs"] - front["integrated_lufs"], 1.5, delta=0.01)
        self.assertLess(front["lean_db"], -20.0)

    def test_frames_and_files_measure_alike(self) -> None:
        made = mix(MixSource("a", noise(13), pan=0.4, front=-0.3), MixSource("b", noise(14, 2), mode="span"))
        audio = render_audio(made, 0, 2 * RATE)
        from_file = measure([audio], RATE, len(audio), made.room)
        figures = Overview(measure_frames(audio, RATE, 0, made.room)).figures()
        for name in ("integrated_lufs", "lean_db", "true_peak_dbtp", "correlation", "mono_loss_db"):
            self.assertAlmostEqual(from_file[name], figures[name], delta=0.05, msg=name)


class Listeners(SimpleTestCase):
    def test_headphones_hear_sides_and_speakers_alone(self) -> None:
        made = mix(MixSource("a", noise(15), pan=-1.0, front=-1.0))
        audio = render_audio(made, RATE - PAST, 2 * RATE - PAST)
        left, right = db(to_ears(made.room, "headphones", RATE, audio, PAST))
        self.assertGreater(left, right + 3.0)
        self.assertLess(db(to_ears(made.room, "speaker:M+000", RATE, audio, PAST)).max(), -100.0)
        self.assertAlmostEqual(db(to_ears(made.room, "speaker:M+110", RATE, audio, PAST))[0], -23.0, delta=0.3)
        folded = db(to_ears(made.room, "stereo", RATE, audio, PAST))
        self.assertAlmostEqual(folded[0], -23.0, delta=0.3)

    def test_cut_anywhere_headphones_hear_the_same(self) -> None:
        made = mix(MixSource("a", noise(15), pan=-0.3, front=-1.0))
        audio = render_audio(made, 0, RATE)
        whole = to_ears(made.room, "headphones", RATE, audio, PAST)
        cut = 20_000
        later = to_ears(made.room, "headphones", RATE, audio[:, cut - PAST :], PAST)
        np.testing.assert_allclose(later, whole[:, cut - PAST :], atol=1e-6)

    def test_the_hands_table_is_the_render(self) -> None:
        """What the page looks up at a place is what reaches the ears of the rendered source."""
        source = MixSource("a", noise(16), height=0.3, spread=20.0, rotation=15.0)
        made = mix(source, layout="4+5+0")
        for monitor in ("stereo", "mono", "speaker:U+030"):
            table = room_table(made, source, 0.0, Listening(monitor=monitor))
            steps = table["steps"]
            flat = np.array(table["tables"][0]).reshape(steps, steps, 2)
            for row, column in ((0, 0), (5, 20), (steps - 1, 3)):
                x, y = (2.0 * index / (steps - 1) - 1.0 for index in (column, row))
                audio = render_audio(mix(replace(source, pan=x, front=y), layout="4+5+0"), RATE - PAST, RATE)
                ears = to_ears(made.room, monitor, RATE, audio, 0)
                dry = source.audio[:, RATE - PAST : RATE]
                np.testing.assert_allclose(ears, flat[row, column][:, np.newaxis] * dry, atol=1e-5)


class Files(SimpleTestCase):
    def test_a_wav_tells_its_channels(self) -> None:
        for name in ("0+5+0", "0+7+0", "4+7+0", "quad"):
            layout = LAYOUTS[name]
            audio = (np.arange(1, len(layout.channels) + 1, dtype=np.float32) / 32.0)[:, np.newaxis].repeat(480, 1)
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "mix.wav"
                with AudioWriter(path, RATE, layout, "wav-float", 480) as writer:
                    writer.write(audio)
                self.assertEqual(channel_mask(path), layout.mask)
                found, rate = soundfile.read(path, dtype="float32")
            self.assertEqual(rate, RATE)
            # As the mask has it: every sign bit's channel in the order of the bits.
            np.testing.assert_allclose(found[0], audio[layout.file_order, 0])

    def test_flac_says_what_it_cannot_hold(self) -> None:
        with tempfile.TemporaryDirectory() as folder, self.assertRaisesMessage(NeedleError, "FLAC cannot hold"):
            AudioWriter(Path(folder) / "mix.flac", RATE, LAYOUTS["4+7+0"], "flac-24", 480)
