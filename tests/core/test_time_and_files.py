"""The tempo map, audio files, the session bundle and the command line."""

import contextlib
import io
import json
import tempfile
import zipfile
from pathlib import Path

import numpy as np
import soundfile
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.__main__ import main
from needle.errors import NeedleError
from needle.io.audio import AudioWriter, audio_info, read_audio, read_stretches, write_audio
from needle.io.bundle import Bundle, write_session
from needle.session.document import SOURCE_DEFAULTS, empty_document, lane_key
from needle.session.validation import check_document
from needle.tempo import TempoMap
from needle.units import OFF_DB, db_to_gain
from tests.core.strategies import RATE, tone

steps = st.lists(st.tuples(st.floats(0.5, 64), st.floats(20, 300)), max_size=5)


class Time(SimpleTestCase):
    @given(steps, st.floats(20, 300), st.floats(0, 500))
    def test_beats_and_seconds_are_exact_both_ways(self, changes: list, first: float, beat: float) -> None:
        beats = np.cumsum([width for width, _ in changes]).tolist()
        tempo = TempoMap(((0.0, first), *((b, bpm) for b, (_, bpm) in zip(beats, changes, strict=True))))
        self.assertAlmostEqual(tempo.beat_at(tempo.seconds_at(beat)), beat, places=9)

    def test_bars_through_a_change_of_metre(self) -> None:
        tempo = TempoMap(((0.0, 90.0),), ((1, 4, 4), (3, 6, 8)))
        self.assertEqual([tempo.beat_of_bar(bar) for bar in (1, 2, 3, 4)], [0, 4, 8, 11])
        self.assertEqual(tempo.bar_at(9.5), (3, 4.0))
        self.assertEqual(tempo.metre_of_bar(4), (6, 8))
        self.assertEqual(tempo.bars_until(tempo.seconds_at(11)), [1, 2, 3])
        self.assertAlmostEqual(tempo.seconds_at(4), 8 / 3)

    def test_wrong_maps_are_told(self) -> None:
        for wrong in (
            lambda: TempoMap(((1.0, 90.0),)),
            lambda: TempoMap(((0.0, 5.0),)),
            lambda: TempoMap(((0.0, 90.0), (0.0, 80.0))),
            lambda: TempoMap(metres=((1, 4, 3),)),
        ):
            self.assertRaises(NeedleError, wrong)

    def test_off_is_off(self) -> None:
        np.testing.assert_allclose(db_to_gain([OFF_DB, -np.inf, 0.0, 6.0206]), [0, 0, 1, 2], atol=1e-5)


class InFolder(SimpleTestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class AudioFiles(InFolder):
    def test_every_format_comes_back(self) -> None:
        audio = tone(440.0, 0.3, 2, 0.5)
        for kind, ending, step in (("wav-float", "wav", 0), ("wav-24", "wav", 2**-23), ("flac-24", "flac", 2**-23)):
            path = self.folder / f"{kind}.{ending}"
            write_audio(path, audio, RATE, kind)
            self.assertEqual(audio_info(path).frames, audio.shape[1])
            np.testing.assert_allclose(read_audio(path, RATE), audio, atol=2 * step)

    def test_dither_frees_the_error_from_the_signal(self) -> None:
        quiet = tone(1000.0, 4.0, 1, 0.4 * 2.0**-15)
        path = self.folder / "quiet.wav"
        write_audio(path, quiet, RATE, "wav-16")
        back = read_audio(path, RATE)
        kept = float((back @ quiet.T / (quiet @ quiet.T))[0, 0])
        self.assertAlmostEqual(kept, 1.0, delta=0.05)
        self.assertLess(np.abs(back).max(), 4 * 2.0**-15)

    def test_full_scale_is_counted_and_kept_in_bounds(self) -> None:
        path = self.folder / "loud.wav"
        with AudioWriter(path, RATE, 1, "wav-16") as writer:
            writer.write(np.array([[1.5, -1.5, 0.25]], np.float32))
        self.assertEqual(writer.clipped, 2)
        np.testing.assert_allclose(read_audio(path, RATE), [[1.0, -1.0, 0.25]], atol=1e-4)

    def test_other_rates_are_resampled_once(self) -> None:
        path = self.folder / "cd.wav"
        t = np.arange(44100) / 44100
        soundfile.write(path, 0.5 * np.sin(2 * np.pi * 1000 * t), 44100, subtype="PCM_24")
        back = read_audio(path, RATE)
        self.assertEqual(back.shape, (1, RATE))
        np.testing.assert_allclose(back[0, 2000:-2000], tone(1000.0, 1.0, 1, 0.5)[0, 2000:-2000], atol=1e-3)

    def test_broken_files_are_told(self) -> None:
        text = self.folder / "text.wav"
        text.write_text("not audio")
        short = self.folder / "short.wav"
        write_audio(short, tone(440.0, 1.0), RATE, "wav-24")
        short.write_bytes(short.read_bytes()[:40])
        wild = self.folder / "wild.wav"
        soundfile.write(wild, np.array([0.0, np.nan, 0.5]), RATE, subtype="FLOAT")
        for path, told in ((text, "cannot|can be read"), (wild, "not numbers"), (self.folder / "none.wav", "read")):
            with self.assertRaisesRegex(NeedleError, told):
                list(read_stretches(path))
        with contextlib.suppress(NeedleError):
            self.assertEqual(read_audio(short, RATE).shape[1], 0)


class Bundles(InFolder):
    def setUp(self) -> None:
        super().setUp()
        (self.folder / "assets").mkdir()
        write_audio(self.folder / "assets" / "tone.wav", tone(440.0, 2.0), RATE)
        self.document = empty_document("Small", RATE, 2.0)
        self.document["sources"]["tone"] = {
            "id": "tone", "name": "Tone/../x", "colour": 0, "order": 0, "asset": "tone.wav", "channels": 1,
            **SOURCE_DEFAULTS, "seconds": 2.0, "level": -6.0, "mode": "pan", "pan": 1.0,
        }  # fmt: skip
        self.document["lanes"][lane_key("tone", "pan")] = {
            "id": "tone/pan", "owner": "tone", "parameter": "pan",
            "points": [{"t": 1.0, "value": 1.0, "shape": "hold"}, {"t": 1.5, "value": -1.0}],
        }  # fmt: skip
        write_session(self.folder, self.document)

    def run_command(self, *arguments: object) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main([str(argument) for argument in arguments])
        return code, out.getvalue(), err.getvalue()

    def test_render_from_folder_and_zip(self) -> None:
        packed = self.folder / "small.zip"
        with zipfile.ZipFile(packed, "w") as archive:
            archive.write(self.folder / "session.json", "session.json")
            archive.write(self.folder / "assets" / "tone.wav", "assets/tone.wav")
        for bundle in (self.folder, packed):
            code, out, _ = self.run_command("render", bundle, self.folder / "out.wav", "--json")
            self.assertEqual((code, json.loads(out)["seconds"]), (0, 2.0))
            left, right = read_audio(self.folder / "out.wav", RATE)
            self.assertLess(np.abs(left[: RATE * 3 // 2]).max(), 1e-4)
            self.assertLess(np.abs(right[RATE * 8 // 5 :]).max(), 1e-4)

    def test_stems_passage_and_measure(self) -> None:
        arguments = ("--stems", "--from", "1.3", "--to", "1.4", "--format", "wav-24")
        code, _, _ = self.run_command("render", self.folder, self.folder / "stems", *arguments)
        (stem,) = (self.folder / "stems").iterdir()
        self.assertEqual((code, audio_info(stem).frames), (0, RATE // 2))
        code, out, _ = self.run_command("measure", stem, "--json")
        self.assertEqual((code, json.loads(out)["lean_db"]), (0, 60.0))
        self.assertIn("sample peak", self.run_command("measure", stem)[1])

    def test_render_as_somebody_listens(self) -> None:
        found = {}
        for way in ("stereo", "mono", "swap"):
            path = self.folder / f"{way}.wav"
            code, _, _ = self.run_command("render", self.folder, path, "--listen", way)
            self.assertEqual(code, 0)
            found[way] = read_audio(path, RATE)
        np.testing.assert_allclose(found["mono"], np.tile(found["stereo"].mean(axis=0), (2, 1)), atol=1e-7)
        np.testing.assert_array_equal(found["swap"], found["stereo"][::-1])

    def test_gains(self) -> None:
        code, out, _ = self.run_command("gains", "--law", "constant-gain", "--pan", "-1", "0.5", "--json")
        self.assertEqual((code, json.loads(out)), (0, {"gains": [[1.0, 0.0], [0.25, 0.75]]}))

    def test_thin_keeps_what_the_line_needs(self) -> None:
        path = self.folder / "lane.csv"
        path.write_text("time,value\n0,0\n0.5,0.251\n1,0.5\n2,-0.5,hold\n3,-0.5\n")
        found = json.loads(self.run_command("thin", path, "--json")[1])
        self.assertEqual((found["before"], found["after"]), (5, 4))
        self.assertEqual([p["time"] for p in found["points"]], [0.0, 1.0, 2.0, 3.0])
        self.assertIn("2.000000,-0.500000,hold,0", self.run_command("thin", path)[1])
        for text, word in (("", "no points"), ("0,x\n", "line 1"), ("0,0\n1\n", "line 2"), ("1,0\n0,0\n", "order")):
            path.write_text(text)
            code, out, err = self.run_command("thin", path)
            self.assertEqual((code, out), (2, ""))
            self.assertIn(word, err)

    def test_refusals_name_what_is_wrong(self) -> None:
        damaged = json.loads(json.dumps(self.document))
        damaged["sources"]["tone"]["pan"] = 3.0
        with self.assertRaisesRegex(NeedleError, "pan cannot be 3"):
            check_document(damaged)
        del damaged["sources"]["tone"]["pan"]
        with self.assertRaisesRegex(NeedleError, "pan"):
            check_document(damaged)
        for arguments in (
            ("measure", self.folder / "session.json"),
            ("render", self.folder / "session.json", "x.wav"),
            ("render", self.folder, self.folder / "o.wav", "--from", "late"),
            ("render", self.folder, self.folder / "o.wav", "--from", "2", "--to", "1"),
            ("gains", "--pan", "2"),
        ):
            code, out, err = self.run_command(*arguments)
            self.assertEqual((code, out), (2, ""), arguments)
            self.assertTrue(err.startswith("needle: "))

    def test_a_bundle_reaches_nothing_outside_itself(self) -> None:
        with Bundle(self.folder) as bundle, self.assertRaises(NeedleError):
            bundle.asset_path("../session.json")
