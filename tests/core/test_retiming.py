"""Another tempo: what keeps with the sound sounds when it did, what keeps with the bars stands where it did."""

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.session.document import tempo_map
from needle.session.retiming import BARS, KINDS, SOUND, retimed
from needle.session.validation import Document
from tests import examples
from tests.core.sessions import documents

tempos = st.lists(st.floats(40, 240), min_size=1, max_size=3).map(
    lambda values: [[4.0 * number, bpm] for number, bpm in enumerate(values)]
)


def times(document: Document) -> dict[str, list[float]]:
    """When things of each kind are, as they are stored."""
    notes = [item for one in document["events"].values() if one["kind"] == "notes" for item in one["items"]]
    passages = document["passages"].values()
    return {
        "automation": [point["t"] for lane in document["lanes"].values() for point in lane["points"]],
        "passages": [edge for passage in passages for edge in (passage["start"], passage["end"])],
        "pulses": [pulse["origin"] for pulse in document["pulses"].values()],
        "notes": [edge for at, length, *_ in notes for edge in (at, at + length)],
    }


class Retiming(SimpleTestCase):
    @examples(40)
    @given(documents(), tempos, st.sampled_from([SOUND, BARS]))
    def test_each_kind_keeps_with_what_it_is_told(self, document: Document, tempos: list, keep: str) -> None:
        metres = document["session"]["metres"]
        result = retimed(document, tempos, metres, dict.fromkeys(KINDS, keep))
        before, after = tempo_map(document), tempo_map(result)
        for kind, was in times(document).items():
            now = times(result)[kind]
            in_beats = kind != "automation"
            pairs = zip(was, now, strict=True)
            if keep == SOUND and in_beats:
                pairs = [(before.seconds_at(a), after.seconds_at(b)) for a, b in pairs]
            elif keep == BARS and not in_beats:
                pairs = [(before.beat_at(a), after.beat_at(b)) for a, b in pairs]
            for a, b in pairs:
                self.assertAlmostEqual(a, b, places=6, msg=kind)

    @examples(20)
    @given(documents(), tempos)
    def test_what_is_not_told_stays_as_it_is_stored(self, document: Document, tempos: list) -> None:
        result = retimed(document, tempos, document["session"]["metres"], {})
        self.assertEqual({**result, "session": document["session"]}, document)

    @examples(20)
    @given(documents(), tempos)
    def test_values_and_shapes_stay(self, document: Document, tempos: list) -> None:
        result = retimed(document, tempos, document["session"]["metres"], dict.fromkeys(KINDS, BARS))
        for key, lane in document["lanes"].items():
            self.assertEqual(
                [{**point, "t": 0.0} for point in lane["points"]],
                [{**point, "t": 0.0} for point in result["lanes"][key]["points"]],
            )
