"""Segments and lean through the API."""

import json
import struct
from unittest import mock

import numpy as np
from django.test import Client

from needle.metering.frames import COLUMNS
from needle.render.segments import METER_FRAMES
from server.media import segments
from tests.server.sessions import LENGTH, RATE, SessionCase

SEGMENTS = round(LENGTH * 2)


def decode(body: bytes) -> tuple[dict, np.ndarray, np.ndarray, np.ndarray]:
    """Header, audio, meter readings, and the held source of a segment."""
    (size,) = struct.unpack_from("<I", body)
    head = json.loads(body[4 : 4 + size])
    floats = np.frombuffer(body, "<f4", offset=4 + size)
    audio, rest = np.split(floats, [head["channels"] * head["frames"]])
    meters, rest = np.split(rest, [head["meters"] * len(head["columns"])])
    picture = head["meters"] * head["pairs"] * 2 + head["spectra"] * 3 * head["bands"]
    hand = rest[picture:]
    return (
        head,
        audio.reshape(head["channels"], -1),
        meters.reshape(head["meters"], -1),
        hand.reshape(head["hand"], -1) if head["hand"] else np.zeros((0, 0)),
    )


class Heard(SessionCase):
    def hear(self, client: Client, index: int, **query: str) -> tuple[dict, np.ndarray, np.ndarray, np.ndarray]:
        answer = client.get(self.url(f"/segments/{index}"), {"revision": self.revision(), **query})
        self.assertEqual(answer.status_code, 200, answer.content[:200])
        return decode(answer.content)

    def whole(self, **query: str) -> np.ndarray:
        client = self.as_("lisa")
        return np.concatenate([self.hear(client, i, **query)[1] for i in range(SEGMENTS)], axis=1)


class Segments(Heard):
    def test_an_edit_is_heard_and_earlier_revisions_still_are(self) -> None:
        before, revision = self.whole(solo="low"), self.revision()
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "low", "pan": -1.0})
        left, right = self.whole(solo="low")
        self.assertAlmostEqual(float(np.abs(left).max()), 0.25, places=3)
        self.assertLess(float(np.abs(right).max()), 1e-6)
        old = self.as_("olga").get(self.url("/segments/0"), {"revision": revision, "solo": "low"})
        np.testing.assert_array_equal(decode(old.content)[1], before[:, : RATE // 2])

    def test_meters_go_on_from_what_sounded_and_an_edit_costs_one_segment(self) -> None:
        client, short = self.as_("lisa"), COLUMNS.index("short_term")
        heads = [self.hear(client, index, solo="low")[0] for index in range(5)]
        loud = self.hear(client, 4, solo="low")[2][:, short]
        self.operate(self.as_("emil"), {"kind": "set-level", "source": "low", "level": -40.0})
        past = ",".join(head["key"] for head in heads[:4])
        with mock.patch.object(segments, "render_segments", wraps=segments.render_segments) as rendered:
            after = self.hear(client, 4, solo="low", past=past)[2][:, short]
        self.assertEqual([call.args[1:3] for call in rendered.call_args_list], [(4, 5)])
        # Two seconds that were loud, and half a second that is not: the mean of both, by power.
        share = 4 / 5 + 10 ** (-40 / 10) / 5
        self.assertAlmostEqual(after[-1] - loud[-1], 10 * np.log10(share), delta=0.05)
        alone = self.hear(client, 4, solo="low")[2][:, short]
        self.assertAlmostEqual(alone[-1] - loud[-1], -40.0, delta=0.05)
        for wrong in ("mix-" + "0" * 28, "0" * 31, ",".join(["0" * 32] * 7)):
            answer = client.get(self.url("/segments/4"), {"revision": self.revision(), "past": wrong})
            self.assertEqual(answer.status_code, 422, wrong)
        unknown = self.hear(client, 4, solo="low", past="0" * 32)[2][:, short]
        np.testing.assert_array_equal(unknown, alone)

    def test_what_sounded_in_another_layout_is_not_measured_on(self) -> None:
        client = self.as_("lisa")
        head, *_ = self.hear(client, 0)
        self.operate(self.as_("olga"), {"kind": "set-session", "layout": "0+5+0"})
        with_past = self.hear(client, 1, past=head["key"])[2]
        np.testing.assert_array_equal(with_past, self.hear(client, 1)[2])

    def test_solo_is_personal_and_mute_is_shared(self) -> None:
        self.operate(self.as_("emil"), {"kind": "mute-source", "source": "low", "muted": True})
        mix = self.whole()
        alone = [self.whole(solo=key) for key in ("high", "wide")]
        np.testing.assert_allclose(mix, sum(alone), atol=1e-6)
        self.assertGreater(np.abs(self.whole(solo="low")).max(), 0.1)

    def test_a_hand_gets_the_source_before_its_place(self) -> None:
        _, rest, _, before = self.hear(self.as_("emil"), 3, hand="low")
        _, mix, _, none = self.hear(self.as_("emil"), 3)
        self.assertEqual((before.shape, none.shape), ((1, RATE // 2), (0, 0)))
        np.testing.assert_allclose(rest + np.sqrt(0.5) * before, mix, atol=1e-6)

    def test_readings_belong_to_the_sound(self) -> None:
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "high", "pan": 0.6})
        head, audio, meters, _ = self.hear(self.as_("lisa"), 7, solo="high")
        shown = dict(zip(head["columns"], meters[-1], strict=True))
        self.assertEqual((tuple(head["columns"]), meters.shape[0]), (COLUMNS, METER_FRAMES))
        rms = 10 * np.log10((audio[:, -960:].astype(float) ** 2).mean(axis=1))
        np.testing.assert_allclose([shown["rms_left"], shown["rms_right"]], rms, atol=0.01)
        self.assertAlmostEqual(shown["lean_long"], rms[1] - rms[0], delta=0.05)

    def test_beyond_the_piece_and_the_present(self) -> None:
        client = self.as_("lisa")
        answers = [
            client.get(self.url(f"/segments/{SEGMENTS}"), {"revision": self.revision()}),
            client.get(self.url("/segments/0"), {"revision": self.revision() + 1}),
            client.get(self.url("/segments/0"), {"revision": self.revision(), "hand": "gone"}),
        ]
        self.assertEqual([a.status_code for a in answers], [404, 409, 404])

    def test_colleagues_share_the_work_and_edits_elsewhere_cost_nothing(self) -> None:
        point = {"t": 3.5, "value": 0.5, "shape": "hold", "tension": 0}
        body = {"kind": "write-points", "owner": "low", "parameter": "pan", "start": 3.5, "end": 3.5}
        first = {"t": 0.0, "value": -0.5, "shape": "hold", "tension": 0}
        self.operate(self.as_("olga"), {**body, "start": 0, "end": 0, "points": [first]})
        self.operate(self.as_("olga"), {**body, "points": [point]})
        self.whole()
        with mock.patch.object(segments, "render_segments", wraps=segments.render_segments) as rendered:
            self.hear(self.as_("emil"), 2)
            self.operate(self.as_("emil"), {**body, "points": [{**point, "value": -1.0}]})
            self.hear(self.as_("olga"), 2)
            self.assertEqual(rendered.call_count, 0)
            self.hear(self.as_("olga"), 7)
            self.assertEqual(rendered.call_count, 1)
