"""The room through the API: layouts, routes, layers, whereabouts, paths, measured heads, and what is delivered."""

import io
from pathlib import Path
from typing import Any

import h5py
import numpy as np
import soundfile
from django.core.files.uploadedfile import SimpleUploadedFile

from needle.balance.causes import causes, shares
from needle.balance.lean_model import Adjustable, model_of
from needle.balance.measuring import measured
from needle.balance.trial import Change, tried
from needle.export.report import file_report
from needle.io.containers import channel_mask
from needle.io.sofa import read_head
from needle.layouts import LAYOUTS
from needle.metering.overview import Overview
from needle.room_coordinates import unit_vectors
from server.delivery.models import Delivery
from server.editing.services import replayed
from server.media.mixes import mix_at
from server.mixsessions.state import stored_document
from tests.server.test_sound import Heard

FIVE = ["L", "R", "C", "LFE", "Ls", "Rs"]


def db(audio: np.ndarray) -> np.ndarray:
    return 10.0 * np.log10((audio.astype(np.float64) ** 2).mean(axis=-1) + 1e-14)


class RoomCase(Heard):
    def setUp(self) -> None:
        super().setUp()
        self.emil = self.as_("emil")
        self.make("set-session", layout="0+5+0")

    def make(self, kind: str, status: int = 200, **fields: Any) -> Any:
        answer = self.operate(self.emil, {"kind": kind, **fields})
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json()

    def ask(self, path: str, status: int = 200, **query: Any) -> Any:
        answer = self.emil.get(self.url(path), {"revision": self.revision(), **query})
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json()

    def asked(self, path: str, status: int = 200, **body: Any) -> Any:
        answer = self.post(self.emil, path, {"revision": self.revision(), **body})
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json()

    def meters(self, index: int = 2, **query: Any) -> dict[str, float]:
        head, _, meters, _ = self.hear(self.emil, index, **query)
        return dict(zip(head["columns"], meters[-1], strict=True))

    def delivered_file(self, **wanted: Any) -> Path:
        made = self.post(
            self.emil, "/deliveries", {"revision": self.revision(), "format": "wav-float", **wanted}
        ).json()
        return Delivery.objects.get(pk=made["id"]).path(0)

    def delivered(self, **wanted: Any) -> tuple[dict[str, float], int]:
        """The level of every channel of an exported file, and its channel mask."""
        path = self.delivered_file(**wanted)
        audio, _ = soundfile.read(path, dtype="float32")
        layout = LAYOUTS[self.state()["session"]["layout"]]
        labels = [layout.channels[i].label for i in layout.file_order]
        return dict(zip(labels, db(audio.T), strict=True)), channel_mask(path)


class Operations(RoomCase):
    def test_a_layout_is_chosen_and_taken_back(self) -> None:
        self.assertEqual(self.state()["session"]["layout"], "0+5+0")
        self.make("set-session", 422, layout="9+9+9")
        self.turn(self.emil, "undo")
        self.assertEqual(self.state()["session"]["layout"], "0+2+0")

    def test_ways_by_passage_and_back(self) -> None:
        self.make("set-route", source="low", off=["M+000"])
        self.make("set-route", source="low", passage="first", off=["M+030", "M-030"], levels={"sides": -3.0})
        routes = self.state()["speaker_routing"]["low"]["routes"]
        self.assertEqual(routes[""]["off"], ["M+000"])
        self.assertEqual(routes["first"]["levels"], {"sides": -3.0})
        self.make("restore-route", source="low", passage="first")
        self.assertEqual(set(self.state()["speaker_routing"]["low"]["routes"]), {""})
        self.turn(self.emil, "undo")
        self.assertEqual(self.state()["speaker_routing"]["low"]["routes"], routes)
        for wrong in ({"levels": {"attic": 0.0}}, {"passage": "gone"}, {"direct": 99.0}):
            self.make("set-route", 422, source="low", **wrong)

    def test_layers_come_and_go_with_their_moves(self) -> None:
        layer = {"id": "thick", "source": "low", "name": "thickened", "effects": [{"id": "e", "kind": "chorus"}]}
        self.make("add-layer", layer=layer)
        self.make("set-layer", layer="thick", front=-1.0, level=-6.0)
        point = {"t": 0.0, "value": -0.5}
        self.make("write-points", owner="layer:thick", parameter="front", start=0.0, end=0.0, points=[point])
        before = self.state()
        self.make("remove-layer", source="low", layer="thick")
        self.assertEqual((self.state()["layers"], self.state()["lanes"]), ({}, {}))
        self.turn(self.emil, "undo")
        self.assertEqual(self.state(), before)
        self.make("remove-source", source="low")
        self.assertEqual(self.state()["layers"], {})
        self.turn(self.emil, "undo")
        self.assertEqual(self.state(), before)
        self.make("set-layer", 422, layer="thick", effects=[{"id": "e", "kind": "kazoo"}])

    def test_the_log_replays_to_the_same_room(self) -> None:
        self.make("set-room", rotation=45.0)
        self.make("set-route", source="wide", off=["M+110"])
        self.make("add-layer", layer={"id": "x", "source": "high", "name": "x"})
        self.make("place-source", source="high", front=-0.5, spread=30.0, snap=True)
        self.session.refresh_from_db()
        self.assertEqual(replayed(self.session), stored_document(self.session))


class Sound(RoomCase):
    def test_meters_show_the_channels(self) -> None:
        self.make("place-source", source="low", pan=-1.0, front=-1.0)
        now = self.meters(solo="low")
        self.assertAlmostEqual(now["rms:M+110"], -15.05, delta=0.2)
        self.assertLess(now["rms:M+030"], -100.0)
        self.assertAlmostEqual(now["energy_azimuth"], 110.0, delta=1.0)
        self.assertLess(now["depth_short"], -20.0)
        self.assertLess(now["lean_short"], -20.0)

    def test_ears_of_ones_own(self) -> None:
        self.make("place-source", source="low", pan=-1.0, front=-1.0)
        levels = {
            name: db(self.hear(self.emil, 2, solo="low", monitor=name)[1])
            for name in ("stereo", "headphones", "speaker:M+110", "speaker:M+000", "mono")
        }
        self.assertAlmostEqual(levels["stereo"][0], -18.06, delta=0.1)
        self.assertLess(levels["stereo"][1], -100.0)
        # A low tone goes round the head: the far ear has it half a decibel softer.
        self.assertAlmostEqual(levels["headphones"][0] - levels["headphones"][1], 0.51, delta=0.05)
        self.assertLess(levels["speaker:M+000"].max(), -100.0)
        np.testing.assert_allclose(levels["speaker:M+110"], [-18.06, -18.06], atol=0.1)
        answer = self.emil.get(self.url("/segments/0"), {"revision": self.revision(), "monitor": "moon"})
        self.assertEqual(answer.status_code, 422)

    def test_a_hand_reads_the_room(self) -> None:
        head, _, _, before = self.hear(self.emil, 2, hand="low")
        room = head["reading"]["room"]
        self.assertEqual(len(room["tables"][0]), room["steps"] ** 2 * 2 * room["versions"])
        self.assertEqual(before.shape[0], 1)

    def test_a_passage_without_the_front(self) -> None:
        self.make("set-passage", id="first", start=4.0, end=6.0)
        self.make("set-route", source="low", passage="first", off=["M+030", "M-030", "M+000"])
        outside, inside = (self.meters(index, solo="low") for index in (2, 5))
        self.assertAlmostEqual(outside["rms:M+000"], -15.05, delta=0.2)
        self.assertLess(inside["rms:M+000"], -100.0)
        self.assertAlmostEqual(inside["rms:M+110"], -18.06, delta=0.2)

    def test_what_is_delivered_is_the_room(self) -> None:
        self.make("place-source", source="low", pan=1.0, front=-1.0)
        self.make("mute-source", source="high", muted=True)
        self.make("mute-source", source="wide", muted=True)
        levels, mask = self.delivered()
        self.assertEqual(mask, 0x60F)
        self.assertEqual(list(levels), FIVE)
        self.assertAlmostEqual(levels["Rs"], -15.05, delta=0.3)
        self.assertLess(max(level for name, level in levels.items() if name != "Rs"), -100.0)
        self.make("set-session", layout="4+7+0")
        refused = self.post(self.emil, "/deliveries", {"revision": self.revision(), "format": "flac-24"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("FLAC cannot hold", refused.json()["detail"])

    def test_layers_are_found_in_their_channels(self) -> None:
        for key, front in (("near", 0.0), ("far", -1.0)):
            layer = {"id": key, "source": "low", "name": key, "front": front, "level": -6.0}
            self.make("add-layer", layer=layer)
        self.assertLess(self.meters(solo="low.direct")["rms:M+110"], -100.0)
        self.assertGreater(self.meters(solo="low.far")["rms:M+110"], -30.0)
        self.assertLess(self.meters(solo="low.far")["rms:M+000"], -60.0)


class Readings(RoomCase):
    def test_whereabouts(self) -> None:
        points = [{"t": 0.0, "value": 0.0}, {"t": 4.0, "value": 360.0}]
        self.make("write-points", owner="low", parameter="rotation", start=0.0, end=4.0, points=points)
        answer = self.ask("/room/trajectories", seconds=4.0, gains="low")
        trajectories = {trajectory["id"]: trajectory for trajectory in answer["trajectories"]}
        self.assertEqual(len(trajectories["high"]["ends"][0][0]), 1)
        (x, y, _) = (np.array(row) for row in trajectories["low"]["ends"][0])
        self.assertAlmostEqual(x[20], -1.0, delta=0.01)
        self.assertAlmostEqual(y[40], -1.0, delta=0.01)
        gains = np.array(answer["gains"])
        np.testing.assert_allclose((gains**2).sum(axis=0), 1.0, atol=0.01)
        self.assertAlmostEqual(answer["polar"][0][20], 90.0, delta=0.5)

    def test_a_place_by_hand_in_both_coordinates(self) -> None:
        found = self.asked("/room/place", source="low", values={"pan": -1.0, "front": 1.0})
        self.assertAlmostEqual(found["azimuth"], 30.0, places=4)
        np.testing.assert_allclose(found["gains"], [1, 0, 0, 0, 0, 0], atol=1e-3)
        self.make("place-source", source="low", rotation=20.0)
        polar = self.asked("/room/place", source="low", polar=[110.0, 0.0, 1.0])
        self.assertAlmostEqual(polar["azimuth"], 110.0, places=4)
        self.asked("/room/place", 422, source="low", values={"mood": 1.0})

    def test_a_typed_place_is_heard_there_though_its_group_shifts_it(self) -> None:
        self.make("add-group", group={"id": "all", "name": "All"}, members=["low"])
        self.make("set-group", group="all", shift=-0.3)
        typed = self.asked("/room/place", source="low", polar=[30.0, 0.0, 1.0])
        self.assertAlmostEqual(typed["azimuth"], 30.0, places=4)
        np.testing.assert_allclose(typed["gains"], [1, 0, 0, 0, 0, 0], atol=1e-3)

    def test_what_another_layout_moves(self) -> None:
        self.make("place-source", source="low", front=-1.0, pan=0.5)
        moved = {one["source"]: one for one in self.ask("/room/layout", layout="0+2+0")}
        self.assertTrue(moved["low"]["folded"])
        self.assertGreater(moved["low"]["degrees"], 60.0)
        self.assertLess(abs(moved["high"]["louder"]), 0.05)
        self.ask("/room/layout", 422, layout="moon")

    def test_a_path_is_looked_at_heard_and_taken(self) -> None:
        draft = self.asked("/room/path", source="low", start=0.0, end=4.0, kind="circle", turns=1.0)
        names = {write["parameter"] for write in draft["writes"]}
        self.assertEqual(names, {"pan", "front"})
        heard = self.meters(4, solo="low", moves=f"draft={draft['id']}")
        self.assertGreater(heard["rms:M-110"], -22.0)
        self.assertLess(self.meters(4, solo="low")["rms:M-110"], -100.0)
        writes = [{"kind": "write-points", **write} for write in draft["writes"]]
        self.make("batch", summary="circle", operations=writes)
        self.assertGreater(self.meters(4, solo="low")["rms:M-110"], -22.0)
        for wrong in ({"end": 0.0}, {"kind": "knot"}, {"kind": "drawn"}):
            body = {"source": "low", "start": 0.0, "end": 4.0, "kind": "circle", **wrong}
            self.asked("/room/path", 422, **body)

    def test_a_pulse_turns_and_is_written_out_as_a_turn(self) -> None:
        self.make("set-pulse", owner="low", form="turn", wave="rising", period=4.0)
        groove = self.asked("/pulse/reading", owner="low", bar=1, accents="high")
        self.assertGreater(max(map(max, groove["places"])), 0.9)
        answer = self.ask("/room/trajectories", seconds=2.0, gains="low")
        azimuths = np.array(answer["polar"][0])
        self.assertGreater(np.abs(azimuths).max(), 150.0)
        answer = self.ask("/pulse/as-points", owner="low")
        self.make("batch", summary="written", operations=answer["operation"]["operations"])
        after = np.array(self.ask("/room/trajectories", seconds=2.0, gains="low")["polar"][0])
        apart = np.abs((after - azimuths + 180.0) % 360.0 - 180.0)
        self.assertLess(np.median(apart), 2.0)


class Balance(RoomCase):
    def test_the_lean_and_its_causes_are_the_rooms(self) -> None:
        self.make("place-source", source="low", pan=1.0, front=-1.0)
        mix = mix_at(self.session, self.revision())
        frames = finished(measured(mix))
        self.assertGreater(Overview(frames).figures()["lean_db"], 1.0)
        found = {cause.id: cause for cause in causes(finished(shares(mix, 0, 20)))}
        self.assertGreater(found["low"].adds, 1.0)
        self.assertLess(abs(found["high"].lean), 0.1)

    def test_a_counterweight_evens_the_room(self) -> None:
        self.make("place-source", source="low", pan=0.6, front=-0.5)
        mix = mix_at(self.session, self.revision())
        givers = [Adjustable("low", 3.0, 0.25), Adjustable("high", 3.0, 0.25)]
        model = finished(model_of(mix, givers, 40))
        before = np.nanmax(np.abs(model.lean(np.zeros(4))[0]))
        x = np.array([-1.0, 0.0, 0.0, 0.0])
        answer = model.lean(x)[0]
        changed = tried(mix, [Change("low", -3.0, 0.0)])
        real = finished(model_of(changed, givers, 40)).lean(np.zeros(4))[0]
        np.testing.assert_allclose(answer[2:6], real[2:6], atol=0.1)
        self.assertLess(np.nanmax(np.abs(answer)), before)

    def test_a_delivered_file_is_reported(self) -> None:
        self.make("place-source", source="low", pan=1.0, front=-1.0)
        report = finished(file_report(self.delivered_file()))
        self.assertEqual(report["channels"], 6)
        self.assertGreater(report["figures"]["lean_db"], 1.0)
        mine = Overview(finished(measured(mix_at(self.session, self.revision())))).figures()
        self.assertAlmostEqual(report["figures"]["integrated_lufs"], mine["integrated_lufs"], delta=0.05)


def finished(steps: Any) -> Any:
    """What work in steps comes to."""
    try:
        while True:
            next(steps)
    except StopIteration as end:
        return end.value


def sofa(**changes: Any) -> bytes:
    """A head whose left ear hears the left louder, as a SOFA file."""
    azimuth = np.arange(0.0, 360.0, 15.0)
    responses = np.zeros((len(azimuth), 2, 64))
    responses[:, 0, 4] = 0.6 + 0.4 * np.sin(np.radians(azimuth))
    responses[:, 1, 4] = 0.6 - 0.4 * np.sin(np.radians(azimuth))
    values = {"convention": "SimpleFreeFieldHRIR", "ir": responses, "rate": 44100.0, **changes}
    into = io.BytesIO()
    with h5py.File(into, "w") as file:
        file.attrs["SOFAConventions"] = values["convention"]
        file["Data.IR"] = values["ir"]
        file["Data.SamplingRate"] = np.array([values["rate"]])
        places = np.stack([azimuth, 0.0 * azimuth, 0.0 * azimuth + 1.2], axis=1)
        file["SourcePosition"] = values.get("places", places)
        file["SourcePosition"].attrs["Type"] = values.get("type", "spherical")
    return into.getvalue()


class Heads(RoomCase):
    def bring(self, content: bytes, status: int = 200, name: str = "my head.sofa") -> Any:
        answer = self.emil.post("/api/heads", {"file": SimpleUploadedFile(name, content)})
        self.assertEqual(answer.status_code, status, answer.content[:300])
        return answer.json()

    def test_a_head_is_brought_in_heard_and_taken_away(self) -> None:
        self.make("place-source", source="low", pan=-1.0, front=-1.0)
        head = self.bring(sofa())
        self.assertEqual((head["name"], head["measured"]), ("my head", 24))
        left, right = db(self.hear(self.emil, 2, solo="low", monitor=head["monitor"])[1])
        self.assertAlmostEqual(left - right, 20.0 * np.log10(0.976 / 0.224), delta=1.0)
        query = {"revision": self.revision(), "monitor": head["monitor"], "solo": "low"}
        # Not even what has been rendered for its owner already.
        for index in (1, 2):
            self.assertEqual(self.as_("lisa").get(self.url(f"/segments/{index}"), query).status_code, 404)
        self.assertEqual(self.as_("lisa").get("/api/heads").json(), [])
        self.assertEqual(self.as_("lisa").delete(f"/api/heads/{head['id']}").status_code, 404)
        self.assertEqual(self.emil.delete(f"/api/heads/{head['id']}").status_code, 204)
        self.assertEqual(list((self.data / "heads").iterdir()), [])

    def test_what_is_no_head_is_refused_and_leaves_nothing(self) -> None:
        broken = np.full((24, 2, 64), np.nan)
        for content, word in (
            (b"no such thing", "not a SOFA file"),
            (sofa(convention="SingleRoomDRIR"), "SingleRoomDRIR"),
            (sofa(ir=broken), "not numbers"),
            (sofa(ir=np.zeros((24, 2, 64))), "silence"),
            (sofa(ir=np.ones((24, 3, 64))), "two ears"),
            (sofa(rate=10.0), "sampling rate"),
            (sofa(places=np.zeros((24, 2))), "where its responses"),
            (sofa()[:600], "not a SOFA file"),
        ):
            self.assertIn(word, self.bring(content, 422)["detail"])
        self.assertEqual(list((self.data / "heads").iterdir()), [])

    def test_a_file_that_points_elsewhere_is_refused_unread(self) -> None:
        secret = self.data / "secret of the server"
        secret.write_bytes(np.full(24 * 2 * 64, 0.123).tobytes())
        elsewhere = self.data / "elsewhere.h5"
        with h5py.File(elsewhere, "w") as file:
            file["ir"] = np.full((24, 2, 64), 0.123)
        layout = h5py.VirtualLayout((24, 2, 64), "f8")
        layout[:] = h5py.VirtualSource(str(elsewhere), "ir", (24, 2, 64))
        space = [(str(secret), 0, secret.stat().st_size)]
        for what, answer, point in (
            ("storage", "outside of itself", lambda f, n: f.create_dataset(n, (24, 2, 64), "f8", external=space)),
            ("virtual", "outside of itself", lambda f, n: f.create_virtual_dataset(n, layout)),
            ("link", "outside of itself", lambda f, n: f.__setitem__(n, h5py.ExternalLink(str(elsewhere), "ir"))),
            ("soft link", "outside of itself", lambda f, n: f.__setitem__(n, h5py.SoftLink("/SourcePosition"))),
            ("group", "table of numbers", lambda f, n: f.create_group(n)),
            ("texts", "table of numbers", lambda f, n: f.create_dataset(n, (24, 2, 64), h5py.string_dtype())),
            ("references", "table of numbers", lambda f, n: f.create_dataset(n, (24, 2, 64), h5py.ref_dtype)),
        ):
            for name in ("Data.IR", "SourcePosition", "Data.SamplingRate"):
                with self.subTest(what, name=name):
                    path = self.data / "pointing.sofa"
                    path.write_bytes(sofa())
                    with h5py.File(path, "r+") as file:
                        del file[name]
                        point(file, name)
                    self.assertIn(answer, self.bring(path.read_bytes(), 422)["detail"])
        self.assertEqual(list((self.data / "heads").iterdir()), [])

    def test_directions_are_ours(self) -> None:
        path = self.data / "a.sofa"
        path.write_bytes(sofa())
        head = read_head(path)
        np.testing.assert_allclose(head.directions[:, 6], unit_vectors(90.0, 0.0), atol=1e-9)
        azimuth = np.radians(np.arange(0.0, 360.0, 15.0))
        flat = np.stack([np.cos(azimuth), np.sin(azimuth), 0.0 * azimuth], axis=1)
        path.write_bytes(sofa(places=flat, type="cartesian"))
        np.testing.assert_allclose(read_head(path).directions, head.directions, atol=1e-9)
