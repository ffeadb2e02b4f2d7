"""Segments and lean through the API."""

import io
import json
import struct
import zlib
from itertools import pairwise
from unittest import mock

import numpy as np
import soundfile
from django.http import HttpResponse
from django.test import Client

from needle.layouts import LAYOUTS
from needle.metering.frames import COLUMNS
from needle.render.segments import METER_FRAMES
from server.media import segments
from tests.server.sessions import LENGTH, RATE, SessionCase

SEGMENTS = round(LENGTH * 2)


def unpacked(body: bytes) -> tuple[dict, np.ndarray, list[bytes]]:
    """Head and meter readings of a segment, and its blocks of sound."""
    (size,) = struct.unpack_from("<I", body)
    side = zlib.decompress(body[4 : 4 + size])
    (length,) = struct.unpack_from("<I", side)
    head = json.loads(side[4 : 4 + length])
    shape = head["meters"], len(head["columns"])
    steps = np.frombuffer(side, "<i2", shape[0] * shape[1], 4 + length).reshape(shape)
    counted = np.cumsum(steps, axis=0, dtype=np.int16)
    meters = np.where(counted == -(1 << 15), np.nan, counted / 256)
    ends = np.cumsum([4 + size, *head["blocks"]])
    return head, meters, [body[first:last] for first, last in pairwise(ends)]


def decode(body: bytes) -> tuple[dict, np.ndarray, np.ndarray, np.ndarray]:
    """Head, audio, meter readings, and the held source of a segment, in whatever form it is."""
    head, meters, blocks = unpacked(body)
    if head["form"] == "float":
        around = np.array([np.frombuffer(block, "<f4") for block in blocks])
    else:
        files = [soundfile.read(io.BytesIO(block), dtype="float32", always_2d=True)[0].T for block in blocks]
        around = np.concatenate(files) * np.float32(head["gain"])
    audio = around[:, head["lead"] : around.shape[1] - head["tail"]]
    return head, audio[: head["channels"]], meters, audio[head["channels"] :]


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
        self.assertEqual((before.shape, none.shape), ((1, RATE // 2), (0, RATE // 2)))
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

    def test_what_an_edit_leaves_alone_is_not_sent_again(self) -> None:
        client = self.as_("lisa")

        def ask(index: int, known: HttpResponse | None = None, **query: str) -> HttpResponse:
            headers = {"If-None-Match": known.headers["ETag"]} if known else {}
            query = {"revision": self.revision(), **query}
            return client.get(self.url(f"/segments/{index}"), query, headers=headers)

        first = ask(4)
        self.assertEqual(ask(4, first).status_code, 304)
        self.operate(self.as_("emil"), {"kind": "rename-source", "source": "low", "name": "Lowest"})
        unchanged = ask(4, first)
        self.assertEqual((unchanged.status_code, unchanged.content), (304, b""))
        self.operate(self.as_("emil"), {"kind": "set-level", "source": "low", "level": -40.0})
        louder = ask(4, first)
        self.assertEqual(louder.status_code, 200)
        # Its sound is there, but what sounded before it is not what it would be now: readings alone.
        key = unpacked(louder.content)[0]["key"]
        past = ",".join(unpacked(first.content)[0]["key"] for _ in range(1))
        beside = ask(4, louder, past=past, has=key)
        head, meters, blocks = unpacked(beside.content)
        self.assertEqual((beside.status_code, blocks, head["channels"]), (200, [], 0))
        self.assertEqual(meters.shape[0], METER_FRAMES)
        self.assertLess(len(beside.content), len(louder.content) / 20)

    def test_unmeasured_it_sounds_the_same(self) -> None:
        client = self.as_("emil")
        for index, listening in enumerate(({}, {"monitor": "headphones"}, {"click": "true"})):
            with self.subTest(listening):
                bare = self.hear(client, index, held="low.pan=0.25", unmeasured="true", **listening)
                whole = self.hear(client, index, held="low.pan=0.25", **listening)
                np.testing.assert_allclose(bare[1], whole[1], atol=1e-6)
                self.assertEqual([bare[0]["key"], bare[0]["meters"], bare[0]["spectra"]], [whole[0]["key"], 0, 0])
                self.assertEqual(whole[0]["meters"], 25)

    def test_what_is_held_is_sent_whole(self) -> None:
        client = self.as_("lisa")
        query = {"revision": self.revision(), "hand": "low"}
        first = client.get(self.url("/segments/4"), query)
        again = client.get(self.url("/segments/4"), {**query, "has": unpacked(first.content)[0]["key"]})
        self.assertEqual(len(unpacked(again.content)[2]), 3)

    def test_a_segment_ends_in_what_the_next_one_begins_with(self) -> None:
        client = self.as_("lisa")
        bodies = [client.get(self.url(f"/segments/{i}"), {"revision": self.revision()}).content for i in (3, 4)]
        (head, _, blocks), (_, _, after) = map(unpacked, bodies)
        tail = head["tail"]
        self.assertEqual(tail, RATE // 100)
        for block, next_block in zip(blocks, after, strict=True):
            np.testing.assert_array_equal(
                np.frombuffer(block, "<f4")[-tail:], np.frombuffer(next_block, "<f4")[:tail]
            )

    def test_flac_is_what_float_is(self) -> None:
        client = self.as_("lisa")
        for level in (0.0, 12.0):
            self.operate(self.as_("emil"), {"kind": "set-level", "source": "low", "level": level})
            plain, flac = (self.hear(client, 3, form=form)[1] for form in ("float", "flac"))
            np.testing.assert_allclose(flac, plain, atol=2.0 * max(np.abs(plain).max(), 1.0) / 2**23)

    def test_opus_is_as_long_and_as_loud_and_nowhere_late(self) -> None:
        client = self.as_("lisa")
        sizes = []
        for form in ("opus-256", "opus-160", "opus-96"):
            answer = client.get(self.url("/segments/3"), {"revision": self.revision(), "form": form})
            sizes.append(len(answer.content))
            audio, plain = decode(answer.content)[1], self.hear(client, 3)[1]
            self.assertEqual(audio.shape, plain.shape)
            off = np.sqrt(np.mean((audio - plain) ** 2)) / np.sqrt(np.mean(plain**2))
            self.assertLess(off, 0.1, form)
        self.assertEqual(sizes, sorted(sizes, reverse=True))
        self.assertLess(sizes[-1] * 8 / 0.5, 220_000)
        refused = client.get(self.url("/segments/3"), {"revision": self.revision(), "form": "opus-1"})
        self.assertEqual(refused.status_code, 422)

    def test_loudspeakers_each_get_their_channel(self) -> None:
        self.operate(self.as_("olga"), {"kind": "set-session", "layout": "4+7+0"})
        client = self.as_("lisa")
        channels = LAYOUTS["4+7+0"].channels
        head, audio, meters, _ = self.hear(client, 3, monitor="loudspeakers")
        self.assertEqual((head["channels"], audio.shape[0]), (len(channels), len(channels)))
        self.assertEqual(meters.shape[1], len(head["columns"]))
        for place, channel in enumerate(channels):
            alone = self.hear(client, 3, monitor=f"speaker:{channel.name}")[1]
            np.testing.assert_allclose(audio[place] / np.sqrt(2.0), alone[0], atol=1e-6)
        answer = client.get(
            self.url("/segments/3"), {"revision": self.revision(), "monitor": "loudspeakers", "form": "flac"}
        )
        self.assertEqual(len(unpacked(answer.content)[2]), 2)
        np.testing.assert_allclose(decode(answer.content)[1], audio, atol=1e-6)

    def test_a_loudspeaker_is_told_by_a_burst(self) -> None:
        self.operate(self.as_("olga"), {"kind": "set-session", "layout": "0+5+0"})
        client = self.as_("lisa")
        answer = client.get(self.url("/loudspeakers/M+030/burst"))
        audio, rate = soundfile.read(io.BytesIO(answer.content))
        self.assertEqual((answer.status_code, rate), (200, RATE))
        self.assertGreater(np.abs(audio).max(), 0.1)
        low = client.get(self.url("/loudspeakers/LFE1/burst"))
        self.assertNotEqual(low.content, answer.content)
        self.assertEqual(client.get(self.url("/loudspeakers/U+045/burst")).status_code, 404)
