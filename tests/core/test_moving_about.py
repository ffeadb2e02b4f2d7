"""What moving stands on: grids of bars and beats, what lanes belong to, lanes as files, waveforms to look at."""

import tempfile
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.automation.curve import Lane, Point
from needle.automation.grid import Grid, bars_words, even_beats
from needle.automation.parameters import PARAMETERS, PULSE_PARAMETERS, parameters_of
from needle.errors import NeedleError
from needle.io.lanes import lane_rows, read_lane
from needle.metering.waveform import PER_SECOND, waveform
from needle.session.document import RETURN_DEFAULTS, SEND_DEFAULTS, SOURCE_DEFAULTS, empty_document
from needle.session.owners import (
    check_moves,
    kind_and_id,
    lane_in,
    lane_key,
    named,
    owned_parameter,
    owner_in,
    static_in,
)
from needle.tempo import TempoMap
from tests.core.strategies import RATE, lanes, pans

TEMPO = TempoMap(((0.0, 60.0), (8.0, 120.0)), ((1, 4, 4), (3, 6, 8)))


class Grids(SimpleTestCase):
    def test_lines_follow_tempo_and_metre(self) -> None:
        bars = Grid(TEMPO, 9.0, 0).lines
        np.testing.assert_allclose(bars, [0.0, 4.0, 8.0, 9.5])
        beats = Grid(TEMPO, 9.0, 1).lines
        np.testing.assert_allclose(beats[:5], [0.0, 1.0, 2.0, 3.0, 4.0])
        # From the third bar on a beat is an eighth at 120 bpm.
        np.testing.assert_allclose(beats[8:11], [8.0, 8.25, 8.5])

    def test_triplets_divide_a_beat_in_three(self) -> None:
        np.testing.assert_allclose(Grid(TEMPO, 2.0, 3).lines[:4], [0.0, 1 / 3, 2 / 3, 1.0])

    @given(st.floats(0.0, 20.0), st.floats(0.1, 10.0), st.integers(1, 12))
    def test_even_beats_are_even_in_beats_and_exact_at_both_ends(self, start: float, more: float, count: int) -> None:
        edges = even_beats(TEMPO, start, start + more, count)
        self.assertEqual((edges[0], edges[-1], len(edges)), (start, start + more, count + 1))
        steps = np.diff([TEMPO.beat_at(edge) for edge in edges])
        np.testing.assert_allclose(steps, steps[0], rtol=1e-6, atol=1e-9)

    def test_bars_in_words(self) -> None:
        for start, end, words in ((0.0, 4.0, "bar 1"), (0.0, 4.1, "bars 1–2"), (4.0, 9.5, "bars 2–3")):
            self.assertEqual(bars_words(TEMPO, start, end), words)


class Owners(SimpleTestCase):
    def setUp(self) -> None:
        self.document = empty_document("Owners", RATE, 8.0)
        source = {**SOURCE_DEFAULTS, "id": "oars", "name": "Oars", "mode": "pan", "pan": 0.25}
        self.document["sources"]["oars"] = source
        self.document["returns"]["hull"] = {**RETURN_DEFAULTS, "id": "hull", "name": "Hull", "pan": -0.5}
        send = {**SEND_DEFAULTS, "id": "oars/hull", "source": "oars", "return": "hull", "level": -6.0}
        self.document["sends"]["oars/hull"] = send

    def test_each_kind_is_told_by_its_name(self) -> None:
        self.assertEqual(kind_and_id("oars"), ("source", "oars"))
        self.assertEqual(kind_and_id("send:oars/hull"), ("send", "oars/hull"))
        for wrong in ("source:oars", "rack:oars", ":oars"):
            with self.assertRaises(NeedleError):
                kind_and_id(wrong)

    def test_static_values_and_names(self) -> None:
        wanted = {("oars", "pan"): 0.25, ("return:hull", "pan"): -0.5, ("send:oars/hull", "level"): -6.0}
        for (owner, parameter), value in wanted.items():
            self.assertEqual(static_in(self.document, owner, parameter), value)
        names = [named(self.document, owner) for owner in ("oars", "return:hull", "send:oars/hull")]
        self.assertEqual(names, ["Oars", "Hull", "Oars in Hull"])
        with self.assertRaisesRegex(NeedleError, "may have been removed"):
            owner_in(self.document, "group:gone")

    def test_what_each_kind_lets_move(self) -> None:
        self.assertEqual(set(parameters_of("source")), set(PARAMETERS) - {"envelopment"})
        self.assertEqual(parameters_of("group"), ("level", *PULSE_PARAMETERS))
        self.assertEqual(parameters_of("room"), ("rotation",))
        self.assertNotIn("width", parameters_of("send"))
        self.assertIn("span", parameters_of("layer"))
        self.assertEqual(owned_parameter("return:hull", "width").high, 2.0)
        with self.assertRaisesRegex(NeedleError, "Choose pan, level"):
            owned_parameter("send:oars/hull", "width")

    def test_a_move_must_move_something(self) -> None:
        check_moves(self.document, "oars", "pan")
        check_moves(self.document, "oars", "level")
        with self.assertRaisesRegex(NeedleError, "no pan left to automate"):
            check_moves(self.document, "oars", "pan_left")

    def test_a_lane_is_there_whether_it_is_on_or_off(self) -> None:
        self.assertEqual(lane_in(self.document, "oars", "pan"), Lane())
        key = lane_key("oars", "pan")
        points = [{"t": 1.0, "value": 0.5}]
        self.document["lanes"][key] = {"id": key, "owner": "oars", "parameter": "pan", "points": points, "off": True}
        self.assertEqual(lane_in(self.document, "oars", "pan").points, (Point(1.0, 0.5),))


class Files(SimpleTestCase):
    @given(lanes(pans, most=12))
    def test_a_lane_comes_back_from_its_file(self, lane: Lane) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "lane.csv"
            path.write_text("\n".join(lane_rows(lane.points)))
            back = read_lane(path)
        self.assertEqual([p.shape for p in back.points], [p.shape for p in lane.points])
        np.testing.assert_allclose([p.t for p in back.points], [p.t for p in lane.points], atol=1e-6)
        np.testing.assert_allclose([p.value for p in back.points], [p.value for p in lane.points], atol=1e-6)


class Waveforms(SimpleTestCase):
    @given(st.integers(1, 3000), st.integers(1, 2), st.integers(0, 2**32 - 1))
    def test_no_sample_is_higher_than_it_is_drawn(self, frames: int, channels: int, seed: int) -> None:
        audio = np.random.default_rng(seed).normal(0, 0.3, (channels, frames)).astype(np.float32)
        drawn = waveform(audio, RATE)
        size = RATE // PER_SECOND
        self.assertEqual(drawn.shape, (channels, -(-frames // size)))
        for place in range(drawn.shape[1]):
            peak = np.abs(audio[:, place * size : (place + 1) * size]).max(axis=1)
            np.testing.assert_array_equal(drawn[:, place], peak)

    def test_silence_is_drawn_as_silence(self) -> None:
        self.assertEqual(float(waveform(np.zeros((2, 100), np.float32), RATE).max()), 0.0)
