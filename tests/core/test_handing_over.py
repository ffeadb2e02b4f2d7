"""Handing over: stems that add up, gain to a target, names, moves in open formats, the chart."""

import csv
import io
import json
import tempfile
from pathlib import Path
from typing import Any

import jsonschema
import mido
import numpy as np
import soundfile
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st
from pypdf import PdfReader

from needle.automation.curve import RAMP_SECONDS, Lane, Point, stored
from needle.balance.progress import finished
from needle.errors import NeedleError
from needle.export.chart import Charted, write_chart
from needle.export.deliverables import Sounds, sounds_of
from needle.export.files import measure_sounds, write_sounds
from needle.export.loudness import levelled
from needle.export.naming import PATTERN, WORDS, Names, safe
from needle.export.passage import passage_of
from needle.io.audio import FORMATS, AudioWriter
from needle.io.containers import append_markers, check_promise
from needle.io.lanes import lanes_json, lanes_table, read_moves
from needle.io.midi_automation import (
    COARSE_STEP,
    FINE_STEP,
    TICKS,
    as_places,
    as_steps,
    read_midi_moves,
    write_midi_moves,
)
from needle.layouts import LAYOUTS
from needle.mix.model import Mix, MixSource
from needle.mix.monitors import to_ears
from needle.render.engine import render_audio
from needle.session.document import mix_of, names_in, tempo_map
from needle.session.owners import lane_key, lane_value, named
from needle.session.validation import check_lane
from needle.tempo import TempoMap
from tests import examples
from tests.core.cues import cue_points
from tests.core.sessions import SECONDS, audio, documents
from tests.core.strategies import RATE, lanes, pans, tone
from tests.core.test_bundles import one_source

MOVES_SCHEMA = json.loads((Path(__file__).parents[2] / "docs/schemas/moves.schema.json").read_text("utf-8"))


class Folder(SimpleTestCase):
    def folder(self) -> Path:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        return Path(made.name)


def rendered_whole(sounds: Sounds, start: int, stop: int, **how: Any) -> list[np.ndarray]:
    """What comes of every sound between two frames."""
    stretches = [audios for _, audios in sounds.stretches(start, stop, **how)]
    return [np.concatenate(parts, axis=1) for parts in zip(*stretches, strict=True)]


class SoundsOfADelivery(Folder):
    @examples(15)
    @given(documents())
    def test_stems_add_up_to_the_mix(self, document: dict) -> None:
        mix = mix_of(document, audio)
        whole = render_audio(mix, 0, mix.frames)
        groups = {key: row["group"] for key, row in document["sources"].items()}
        for by in ("sources", "groups"):
            stems = sounds_of(mix, False, (), by, names_in(document), groups)
            total = sum(rendered_whole(stems, 0, mix.frames), np.zeros_like(whole))
            worst = float(np.abs(total - whole).max())
            self.assertLess(20.0 * np.log10(max(worst, 1e-9)), -90.0)
        kinds = {stem.kind for stem in stems}
        self.assertEqual("group" in kinds, any(groups.values()))

    def test_folds_are_what_one_hears(self) -> None:
        source = MixSource("one", tone(440.0, 1.0), pan=-0.7, front=-1.0)
        mix = Mix(RATE, 1.0, (source,), layout="0+5+0")
        sounds = sounds_of(mix, True, ("stereo", "mono", "headphones"), "", {}, {})
        mixed = render_audio(mix, 0, RATE)
        folds = dict(zip([sound.id for sound in sounds], rendered_whole(sounds, 0, RATE), strict=True))
        for fold in ("stereo", "mono", "headphones"):
            folded = folds[fold]
            expected = to_ears(mix.room, fold, RATE, mixed, 0)
            self.assertEqual(folded.shape[0], 1 if fold == "mono" else 2)
            np.testing.assert_allclose(folded, expected[: len(folded)], atol=1e-5)
        folded = rendered_whole(sounds, 0, RATE, gain=-6.0)[0]
        np.testing.assert_allclose(folded, mixed * 10.0**-0.3, atol=1e-6)
        stereo = Mix(RATE, 1.0, (source,))
        self.assertEqual([s.id for s in sounds_of(stereo, True, ("stereo", "mono"), "", {}, {})], ["mix", "mono"])
        for wrong in ({"folds": ("left",)}, {"stems": "colours"}):
            options = {"with_mix": True, "folds": (), "stems": "", "names": {}, "groups": {}, **wrong}
            self.assertRaises(NeedleError, lambda options=options: sounds_of(mix, **options))

    def test_every_format_by_another_library(self) -> None:
        folder = self.folder()
        sound = np.tile(tone(440.0, 0.1, amplitude=0.5), (6, 1)) * np.arange(1, 7)[:, np.newaxis] / 6
        for kind, (container, subtype, ending) in FORMATS.items():
            layout = LAYOUTS["0+5+0"]
            with AudioWriter(folder / f"{kind}{ending}", RATE, layout, kind, sound.shape[1]) as writer:
                writer.write(sound.astype(np.float32))
            info = soundfile.info(folder / f"{kind}{ending}")
            self.assertEqual(info.subtype, subtype)
            self.assertEqual(info.format, "WAVEX" if container == "WAV" else container)
            back, rate = soundfile.read(folder / f"{kind}{ending}", always_2d=True)
            self.assertEqual((rate, back.shape), (RATE, (sound.shape[1], 6)))
            np.testing.assert_allclose(back.T, sound[layout.file_order], atol=2.0**-14)


class Dither(Folder):
    def quantised(self, seed: str, sound: np.ndarray, cuts: tuple[int, ...] = ()) -> np.ndarray:
        path = self.folder() / "a.wav"
        with AudioWriter(path, RATE, sound.shape[0], "wav-16", sound.shape[1], seed=seed) as writer:
            kept = [writer.write(part) for part in np.split(sound, cuts, axis=1)]
        found = soundfile.read(path, dtype="float32", always_2d=True)[0].T
        np.testing.assert_array_equal(found, np.concatenate(kept, axis=1))
        return found

    def test_every_file_and_channel_has_its_own(self) -> None:
        """Twelve 16-bit stems of two channels: their dither adds up as independent noise does, 10.8 dB."""
        silent = np.zeros((2, 2 * RATE), np.float32)
        noise = [self.quantised(f"source {number}", silent).astype(float) for number in range(12)]
        rows = np.concatenate(noise)
        alike = np.corrcoef(rows) - np.eye(len(rows))
        self.assertLess(np.abs(alike).max(), 0.03)
        one = np.mean([(part**2).mean() for part in noise])
        self.assertAlmostEqual(10 * np.log10((sum(noise) ** 2).mean() / one), 10 * np.log10(12), delta=0.1)

    def test_it_is_the_same_every_time_however_the_file_is_cut(self) -> None:
        sound = np.repeat(tone(441.0, 0.5), 2, axis=0)
        whole = self.quantised("mix", sound)
        np.testing.assert_array_equal(whole, self.quantised("mix", sound, (7, 5000)))
        self.assertFalse(np.array_equal(whole, self.quantised("other", sound)))


class APassage(Folder):
    @examples(20)
    @given(documents(), st.floats(0.0, 0.6), st.floats(0.1, 0.4))
    def test_its_moves_go_as_they_went_there(self, document: dict, start: float, seconds: float) -> None:
        cut = passage_of(document, start, start + seconds)
        times = np.linspace(0.02, seconds - 0.02, 50)
        for key, lane in document["lanes"].items():
            was, now = Lane.of(lane["points"]), Lane.of(cut["lanes"][key]["points"])
            near = [abs(t - jump + start) < 0.011 for t in times for jump in [*was.jumps, start]]
            clear = times[~np.any(np.reshape(near, (len(times), -1)), axis=1)]
            np.testing.assert_allclose(now.evaluate(clear), was.evaluate(clear + start), atol=1e-6)
        tempo, begun = tempo_map(document), tempo_map(cut)
        first = tempo.beat_at(start)
        np.testing.assert_allclose(begun.beats_at(times), tempo.beats_at(times + start) - first, atol=1e-9)

    def test_marks_and_bars_are_those_of_the_passage(self) -> None:
        document = one_source()
        document["session"]["length"] = 32.0
        document["session"]["metres"] = [[1, 4, 4], [9, 3, 4]]
        for key, start, end in (("before", 0.0, 8.0), ("across", 12.0, 24.0), ("in", 20.0, 22.0)):
            document["passages"][key] = {"id": key, "name": key, "start": start, "end": end}
        found = passage_of(document, 8.0, 12.0)
        edges = {key: (one["start"], one["end"]) for key, one in found["passages"].items()}
        self.assertEqual(edges, {"across": (0.0, 8.0), "in": (4.0, 6.0)})
        self.assertEqual(found["session"]["metres"], [[1, 4, 4], [5, 3, 4]])
        self.assertIs(passage_of(document, 0.0, 32.0), document)
        with self.assertRaises(NeedleError):
            passage_of(document, 2.0, 2.0)


names = st.text(st.characters(codec="utf-8", exclude_characters="\0"), max_size=20)


class Markers(Folder):
    @examples(20)
    @given(
        st.sampled_from(["wav-16", "wav-24", "wav-float", "rf64-24"]),
        st.integers(1, 2),
        st.lists(
            st.tuples(st.integers(0, 400), st.text(st.characters(codec="utf-8", exclude_characters="\0"))), max_size=4
        ),
    )
    def test_stand_where_the_format_has_them(self, kind: str, channels: int, markers: list[tuple[int, str]]) -> None:
        path = self.folder() / "marked.wav"
        sound = tone(997.0, 401 / RATE, channels, 0.5)
        with AudioWriter(path, RATE, channels, kind, 401) as writer:
            stored = writer.write(sound)
        append_markers(path, markers)
        self.assertEqual(cue_points(path.read_bytes()), markers)
        back, _ = soundfile.read(path, dtype="float32", always_2d=True)
        np.testing.assert_array_equal(back.T, stored)
        check_promise(path)

    def test_other_files_stay_as_they_are(self) -> None:
        path = self.folder() / "marked.flac"
        with AudioWriter(path, RATE, 1, "flac-24", 401) as writer:
            writer.write(tone(997.0, 401 / RATE))
        before = path.read_bytes()
        append_markers(path, [(7, "Dusk")])
        self.assertEqual(path.read_bytes(), before)


class Loudness(Folder):
    def test_one_gain_and_one_ceiling_for_every_file(self) -> None:
        found = levelled(-20.0, -6.0, -14.0, -1.0, {"Headphones": -3.0, "Mono": -9.0, "Silent": None})
        self.assertEqual((found.gain, found.by), (2.0, "Headphones"))
        self.assertIn("“Headphones”", str(found.notes[1]))
        self.assertEqual(levelled(-20.0, -6.0, -23.0, -1.0, {"Headphones": -3.0}).by, "")

    @given(st.floats(-50, 0), st.floats(-40, 3), st.floats(-40, -5), st.floats(-10, 0))
    def test_a_gain_and_never_over_the_ceiling(self, lufs: float, peak: float, target: float, ceiling: float) -> None:
        found = levelled(lufs, peak, target, ceiling)
        self.assertLessEqual(peak + found.gain, ceiling + 1e-9)
        self.assertLessEqual(lufs + found.gain, target + 1e-9)
        # One of the two is reached, unless it would take more gain than anybody wants.
        near = min(target - lufs - found.gain, ceiling - peak - found.gain)
        self.assertAlmostEqual(near, 0.0, places=6)
        self.assertAlmostEqual(found.held, target - lufs - found.gain, places=6)

    def test_it_measures_what_was_asked_for(self) -> None:
        mix = Mix(RATE, 4.0, (MixSource("one", tone(997.0, 4.0, amplitude=0.1)),))
        sounds = sounds_of(mix, True, (), "", {}, {})
        (before,) = finished(measure_sounds(sounds, 0, mix.frames))
        level = levelled(before["integrated_lufs"], before["true_peak_dbtp"], -16.0, -1.0)
        steps = write_sounds(sounds, [self.folder() / "mix.wav"], 0, mix.frames, "wav-24", gain=level.gain)
        shares = []
        (file,) = finished(steps, shares.append)
        self.assertEqual(shares[-1], 1.0)
        self.assertAlmostEqual(file.measured["integrated_lufs"], -16.0, places=1)
        self.assertIn("louder", str(level.notes[0]))
        self.assertEqual(levelled(None, None, -16.0, -1.0).gain, 0.0)
        self.assertIn("nothing was limited", str(levelled(-30.0, -3.0, -16.0, -1.0).notes[1]))
        self.assertRaises(NeedleError, levelled, -20.0, -3.0, 3.0, -1.0)


class Naming(SimpleTestCase):
    @given(
        st.dictionaries(st.sampled_from(sorted(WORDS)), st.text(max_size=40)),
        st.lists(st.tuples(st.text(max_size=40), st.text(max_size=40)), min_size=1, max_size=8),
    )
    def test_names_differ_and_lead_nowhere(self, common: dict[str, str], told: list[tuple[str, str]]) -> None:
        names = Names("{session}/{kind}/{part}", common)
        given = [names.of(part, kind, ".wav") for part, kind in told]
        self.assertEqual(len({name.lower() for name in given}), len(told))
        for name in given:
            self.assertTrue(name.endswith(".wav"))
            for part in name.split("/"):
                self.assertNotIn(part, ("", ".", ".."))
                self.assertFalse(set(part) & set('\\:*?"<>|\0\n'), name)

    def test_patterns(self) -> None:
        common = {"session": "Night / Ferry", "revision": "3"}
        names = Names("{session}/{part} r{revision}", common)
        self.assertEqual(names.of("con", "Stem", ".wav"), "Night - Ferry/con- r3.wav")
        self.assertEqual(names.of("con", "Stem", ".wav"), "Night - Ferry/con- r3 2.wav")
        numbered = Names(PATTERN, common)
        self.assertEqual(numbered.of("Mix", "Mix", ".wav"), "Night - Ferry/Mix/01 Mix.wav")
        self.assertEqual(numbered.of("Gulls", "Stem", ".flac"), "Night - Ferry/Stem/02 Gulls.flac")
        self.assertEqual(safe("  ..a\t b.. "), "a b")
        for wrong, word in (("{song}", "{song}"), ("{part", "not closed"), (" / ", "what the files are called")):
            with self.assertRaisesRegex(NeedleError, word.replace("{", r"\{")):
                Names(wrong, {})


tempos = st.builds(
    lambda first, second: TempoMap(((0.0, first), (1.0, second)), ((1, 3, 4),)),
    st.floats(40, 240),
    st.floats(40, 240),
)


class Moves(Folder):
    @examples(40)
    @given(documents())
    def test_tables_and_json_come_back_exactly(self, document: dict) -> None:
        folder = self.folder()
        wanted = {
            (lane["owner"], lane["parameter"]): stored(Lane.of(lane["points"]).points)
            for lane in document["lanes"].values()
        }
        if not wanted:
            return
        (folder / "moves.csv").write_text(lanes_table(document, tempo_map(document)), "utf-8")
        (folder / "moves.json").write_text(lanes_json(document), "utf-8")
        jsonschema.validate(json.loads(lanes_json(document)), MOVES_SCHEMA)
        for name in ("moves.csv", "moves.json"):
            lanes_read = read_moves(folder / name)
            back = {(item.owner, item.parameter): stored(item.lane.points) for item in lanes_read}
            for key, points in wanted.items():
                for before, after in zip(points, back[key], strict=True):
                    self.assertEqual({**before, "tension": 0}, {**after, "tension": 0})
                    self.assertAlmostEqual(before["tension"], after["tension"], places=5)
            for item in lanes_read:
                check_lane(item.parameter, item.lane)
                self.assertEqual(item.name.strip(), named(document, item.owner).strip())

    @examples(20)
    @given(documents(), st.sampled_from(";\t"))
    def test_tables_may_have_decimal_commas(self, document: dict, parted_by: str) -> None:
        folder = self.folder()
        table = lanes_table(document, tempo_map(document))
        if table.count("\n") < 2:
            return
        (folder / "points.csv").write_text(table, "utf-8")
        rows = list(csv.reader(io.StringIO(table)))
        numbers = [rows[0].index(name) for name in ("time", "beat", "value", "tension", "shape_start", "shape_end")]
        for row in rows[1:]:
            for column in numbers:
                row[column] = row[column].replace(".", ",")
        with (folder / "commas.csv").open("w", encoding="utf-8", newline="") as file:
            csv.writer(file, delimiter=parted_by).writerows(rows)
        self.assertEqual(read_moves(folder / "commas.csv"), read_moves(folder / "points.csv"))

    def test_a_lane_alone_may_have_decimal_commas(self) -> None:
        path = self.folder() / "lane.csv"
        for text in (
            "0;0,5;ease\n1,25;-1\n",
            "time;value;shape\n0;0,5;ease\n1,25;-1;straight\n",
            "0,0.5,ease\n1.25,-1\n",
        ):
            path.write_text(text, "utf-8")
            (imported,) = read_moves(path)
            self.assertEqual([(p.t, p.value) for p in imported.lane.points], [(0.0, 0.5), (1.25, -1.0)])

    def test_files_from_before_their_names_changed(self) -> None:
        path = self.folder() / "moves"
        expected = Lane((Point(0.0, 0.5, "ease", 0.0, 0.25, 0.75), Point(2.0, 1.0)))
        ease = {"t": 0.0, "value": 0.5, "shape": "ease", "begins": 0.25, "ends": 0.75}
        lane = {"belongs_to": "oars", "name": "Oars", "parameter": "centre", "points": [ease, {"t": 2, "value": 1}]}
        for text in (
            json.dumps({"format": "wandering-needle-moves", "version": 1, "lanes": [lane]}),
            "belongs_to,name,parameter,time,value,shape,begins,ends\n"
            "oars,Oars,centre,0,0.5,ease,0.25,0.75\noars,Oars,centre,2,1,straight,,\n",
        ):
            path.write_text(text, "utf-8")
            (result,) = read_moves(path)
            self.assertEqual((result.owner, result.parameter, result.lane), ("oars", "centre_level", expected))

    def test_tables_from_elsewhere(self) -> None:
        path = self.folder() / "moves.csv"
        path.write_text("value,time,name,parameter\n-1,0.5,Oars,pan\n1,1,Oars,pan\n0,0,Bell,level\n", "utf-8")
        found = {one.name: one for one in read_moves(path)}
        self.assertEqual([p.value for p in found["Oars"].lane.points], [-1.0, 1.0])
        self.assertEqual(found["Bell"].parameter, "level")
        for text, word in (
            ("name,value\nOars,1\n", "no column “time”"),
            ("time,value\n1,0\n0,0\n", "order"),
            ("time,value\nsoon,0\n", "line 2"),
            ('{"format": "other"}', "its “format”"),
            ('{"format": "wandering-needle-moves", "version": 3}', "version 3"),
            ('{"format": "wandering-needle-moves", "version": 1, "lanes": [{"points": 3}]}', "right kind"),
            ("{", "is not JSON"),
        ):
            path.write_text(text, "utf-8")
            with self.assertRaisesRegex(NeedleError, word):
                read_moves(path)
        path.write_bytes(b"\xff\xfe\x00")
        with self.assertRaisesRegex(NeedleError, "neither a CSV"):
            read_moves(path)

    @examples(40)
    @given(lanes(pans), tempos, st.booleans())
    def test_controllers_come_back_within_their_resolution(self, lane: Lane, tempo: TempoMap, fine: bool) -> None:
        document = one_source()
        key = lane_key("s0", "pan")
        document["lanes"][key] = lane_value(key, stored(lane.points))
        path = self.folder() / "moves.mid"
        write_midi_moves(path, document, tempo, SECONDS, fine)
        (found,) = read_midi_moves(path)
        times = np.arange(0.0, SECONDS, 0.01)
        corners = lane.corners
        # A jump takes 5 ms here and a step of the grid there.
        near = np.array([np.abs(corners - t).min(initial=1.0) < 0.021 + RAMP_SECONDS for t in times])
        step = FINE_STEP if fine else COARSE_STEP
        back = found.lane.evaluate(times)
        tick = 60.0 / min(bpm for _, bpm in tempo.tempos) / TICKS
        around = np.array([lane.evaluate(times + tick * share) for share in np.linspace(-1.0, 1.0, 9)])
        off = np.maximum(back - around.max(axis=0), around.min(axis=0) - back)
        # Rounding to a step, a step of thinning, and what is held until the next step; in time, a tick.
        self.assertLess(off[~near].max(initial=0.0), 3.1 * step)

    def test_steps(self) -> None:
        np.testing.assert_array_equal(as_steps(np.array([-1.0, 0.0, 1.0]), False), [1, 64, 127])
        np.testing.assert_array_equal(as_steps(np.array([-1.0, 0.0, 1.0]), True), [1, 8192, 16383])
        np.testing.assert_allclose(as_places(np.array([0, 1, 64, 127]), False), [-1, -1, 0, 1])

    def test_a_sequencer_reads_them(self) -> None:
        document = one_source(name="Oars", pan=-0.5)
        document["sources"]["s1"] = {
            **document["sources"]["s0"], "id": "s1", "name": "Gulls", "mode": "sides", "channels": 2, "order": 1,
        }  # fmt: skip
        document["sources"]["s2"] = {
            **document["sources"]["s1"], "id": "s2", "name": "Pad", "mode": "balance", "order": 2, "pan": 1.0,
        }  # fmt: skip
        document["session"]["tempos"] = [[0.0, 90.0], [4.0, 120.0]]
        path = self.folder() / "moves.mid"
        write_midi_moves(path, document, tempo_map(document), SECONDS)
        file = mido.MidiFile(path)
        self.assertEqual(
            [track.name for track in file.tracks], ["Small", "Oars", "Gulls (left)", "Gulls (right)", "Pad"]
        )
        told = [[(m.control, m.value) for m in track if m.type == "control_change"] for track in file.tracks[1:]]
        self.assertEqual(told, [[(10, 32)], [(10, 1)], [(10, 127)], [(8, 127)]])
        self.assertEqual([round(mido.tempo2bpm(m.tempo)) for m in file.tracks[0] if m.type == "set_tempo"], [90, 120])
        found = [(one.name, one.parameter) for one in read_midi_moves(path)]
        self.assertEqual(found, [("Oars", "pan"), ("Gulls", "pan_left"), ("Gulls", "pan_right"), ("Pad", "pan")])

    def test_a_file_without_controllers_is_told(self) -> None:
        path = self.folder() / "notes.mid"
        mido.MidiFile(tracks=[mido.MidiTrack([mido.Message("note_on", note=60)])]).save(path)
        with self.assertRaisesRegex(NeedleError, "no pan or balance"):
            read_midi_moves(path)


class Chart(Folder):
    def test_it_has_pages_and_names(self) -> None:
        document = one_source(name="Øars & Bélls")
        document["session"]["length"] = 100.0
        document["session"]["layout"] = "0+5+0"
        key = lane_key("s0", "pan")
        document["lanes"][key] = lane_value(key, stored([Point(0.0, -1.0), Point(100.0, 1.0)]))
        document["passages"]["p"] = {"id": "p", "name": "Dusk", "start": 0.0, "end": 8.0}
        mix = mix_of(document, audio)
        path = self.folder() / "chart.pdf"
        charted = Charted(mix, document, 0.0, mix.length, [0.5] * 1000)
        self.assertEqual([round(done, 2) for done in write_chart(path, charted)], [0.33, 0.67, 1.0])
        pages = [page.extract_text() for page in PdfReader(path).pages]
        self.assertEqual(len(pages), 3)
        self.assertIn("Øars & Bélls", pages[0])
        self.assertIn("Dusk", pages[0])
        self.assertIn("bars 25–48", pages[1])
