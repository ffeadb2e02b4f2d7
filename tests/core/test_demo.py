"""The demo piece: the same each time, thirteen sources on its grid, and the lean that is there to be found."""

import numpy as np
from django.test import SimpleTestCase

from demo.clock import BEAT, LENGTH, RATE, seconds
from demo.score import SCORE, drum_strokes, mallet_notes
from demo.session import document
from needle.metering.measure import measure
from needle.session.document import mix_of
from needle.session.validation import check_document


class NightFerry(SimpleTestCase):
    def test_the_session_keeps_every_rule(self) -> None:
        found = check_document(document())
        self.assertEqual(list(found["sources"]), list(SCORE))
        self.assertEqual(len(found["sources"]), 13)
        self.assertAlmostEqual(LENGTH, 128.0)
        ends = [(p["start"], p["end"]) for p in found["passages"].values()]
        self.assertEqual([start for start, _ in ends[1:]], [end for _, end in ends[:-1]])
        self.assertEqual(ends[-1][1] * BEAT, LENGTH)

    def test_the_same_samples_each_time(self) -> None:
        for name in ("oars", "gulls", "foghorn", "shaker"):
            one, other = SCORE[name]().at_rms(-18.0), SCORE[name]().at_rms(-18.0)
            np.testing.assert_array_equal(one, other)
            self.assertEqual(one.shape, (2 if name == "gulls" else 1, round(LENGTH * RATE)))
            self.assertLessEqual(np.abs(one).max(), 10 ** (-1 / 20) + 1e-6)

    def test_strokes_and_notes_sound_where_the_score_has_them(self) -> None:
        for name, onsets in (("hand-drum", drum_strokes()), ("glass-mallets", mallet_notes())):
            (audio,) = SCORE[name]().audio
            for at, *_ in onsets[:: max(len(onsets) // 40, 1)]:
                frame = round(at * RATE)
                before = np.abs(np.diff(audio[frame - 480 : frame])).max(initial=1e-9)
                after = np.abs(np.diff(audio[frame : frame + 480])).max()
                self.assertGreater(after, before, f"{name} at {at}")

    def test_the_boat_crosses_and_concertina_two_pulls_to_the_right(self) -> None:
        silence = np.zeros((1, round(LENGTH * RATE)), np.float32)
        found = document()
        mix = mix_of(
            found, lambda asset: np.zeros((found["sources"][asset[:-5]]["channels"], silence.shape[1]), "f4")
        )
        oars = next(s for s in mix.sources if s.id == "oars")
        left, right = oars.lanes["pan"].evaluate([seconds(15), seconds(19, 2)])
        self.assertLess(left, -0.8)
        self.assertGreater(right, 0.9)
        sources = found["sources"]
        pair = [
            SCORE[f"concertina-{i}"]().at_rms(-18.0)[0] * 10 ** (sources[f"concertina-{i}"]["level"] / 20)
            for i in (1, 2)
        ]
        start, stop = round(seconds(17) * RATE), round(seconds(23) * RATE)
        lean = measure([np.stack(pair)[:, start:stop]], RATE, 2)["lean_db"]
        self.assertAlmostEqual(lean, 1.5, delta=0.2)
