"""Session bundles: every random session comes back bit by bit, every version opens, a broken one leaves nothing."""

import json
import stat
import tempfile
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import mock

import jsonschema
import numpy as np
from django.test import SimpleTestCase
from hypothesis import given

from needle.automation.curve import Lane, stored
from needle.errors import NeedleError
from needle.io.audio import Audio, write_audio
from needle.io.bundle import ASSETS, SESSION_FILE, VERSION, Bundle, assets_of, write_bundle, write_session
from needle.render.engine import render_audio
from needle.render.freezing import frozen_sound, key_of
from needle.session.document import SOURCE_DEFAULTS, empty_document, mix_of, upgraded
from needle.session.validation import check_document
from tests import examples
from tests.core.sessions import AUDIO, audio, documents
from tests.core.strategies import RATE, tone

DATA = Path(__file__).parent / "data"
SCHEMA = json.loads((Path(__file__).parents[2] / "docs/schemas/session-bundle.schema.json").read_text("utf-8"))


def one_source(**values: object) -> dict:
    document = empty_document("Small", RATE, 1.0)
    document["sources"]["s0"] = {
        **SOURCE_DEFAULTS, "id": "s0", "name": "One", "colour": 0, "order": 0, "asset": "a1.wav", "channels": 1,
        "seconds": 1.0, "mode": "pan", **values,
    }  # fmt: skip
    return document


class Folder(SimpleTestCase):
    def folder(self) -> Path:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        return Path(made.name)

    def packed(self, document: dict, audio=audio) -> Path:
        path = self.folder() / "small.zip"
        list(write_bundle(path, document, audio))
        return path


class RoundTrip(Folder):
    @examples(20)
    @given(documents())
    def test_state_and_sound_are_bit_equal(self, document: dict) -> None:
        path = self.packed(document)
        with Bundle(path) as bundle:
            named = {**bundle.document["sources"]}
            for key, row in document["sources"].items():
                named[key] = {**named[key], "asset": row["asset"]}
            self.assertEqual({**bundle.document, "sources": named}, json.loads(json.dumps(document)))
            before = render_audio(mix_of(document, audio), 0, RATE)
            np.testing.assert_array_equal(render_audio(bundle.mix(), 0, RATE), before)
            # Once more comes to the very same.
            again = self.packed(bundle.document, bundle.audio)
            with zipfile.ZipFile(path) as one, zipfile.ZipFile(again) as other:
                self.assertEqual(one.read(SESSION_FILE), other.read(SESSION_FILE))
                jsonschema.validate(json.loads(one.read(SESSION_FILE)), SCHEMA)

    def test_24_bits_are_kept_as_flac(self) -> None:
        whole = (np.round(AUDIO["a1.wav"] * 2.0**23) / 2.0**23).astype(np.float32)
        for sound, ending in ((whole, ".flac"), (AUDIO["a1.wav"], ".wav"), (np.full((1, RATE), 1.5, "f4"), ".wav")):
            with Bundle(self.packed(one_source(), lambda _, sound=sound: sound)) as bundle:
                (name,) = assets_of(bundle.document)
                self.assertTrue(name.endswith(ending))
                np.testing.assert_array_equal(bundle.audio(name), sound)

    def test_what_is_frozen_stays_so(self) -> None:
        document = one_source(pan=0.5)
        mix = mix_of(document, audio)
        frozen = np.concatenate([part for _, part in frozen_sound(mix, "s0")], axis=1)
        document["sources"]["s0"] |= {"frozen_asset": "frozen", "frozen_fingerprint": key_of(mix, mix.sources[0])}
        sounds = {"a1.wav": audio("a1.wav"), "frozen": frozen}
        with Bundle(self.packed(document, sounds.__getitem__)) as bundle:
            self.assertIsNotNone(bundle.mix().sources[0].frozen)
        document["sources"]["s0"]["pan"] = 0.4
        with Bundle(self.packed(document, sounds.__getitem__)) as bundle:
            self.assertEqual(bundle.document["sources"]["s0"]["frozen_asset"], "")


def silence(asset: str) -> Audio:
    """Audio of as many channels as the asset's hash says: what is frozen goes by hashes, not by what is in them."""
    return np.zeros((int(asset, 16), RATE // 2), np.float32)


class Versions(Folder):
    def test_every_version_that_was_ever_written_opens(self) -> None:
        kept = sorted(DATA.glob("bundle-v*.zip"))
        self.assertEqual([path.name for path in kept], [f"bundle-v{n}.zip" for n in range(1, VERSION + 1)])
        told = json.loads((DATA / "bundles.json").read_text("utf-8"))
        for path in kept:
            with Bundle(path) as bundle:
                sound = render_audio(bundle.mix(), 0, RATE // 2)
                found = [float(np.abs(row).sum()) for row in sound]
            np.testing.assert_allclose(found, told[path.name], rtol=1e-4, err_msg=path.name)

    def test_a_room_from_before_reverbs_surrounded_sounds_as_it_did(self) -> None:
        with zipfile.ZipFile(DATA / "bundle-v6.zip") as packed:
            files = {name: packed.read(name) for name in packed.namelist()}
        stored = json.loads(files[SESSION_FILE])
        stored["version"] = 5
        (of_before,) = stored["document"]["returns"].values()
        del of_before["envelop"]
        path = self.folder() / "before.zip"
        with zipfile.ZipFile(path, "w") as packed:
            for name, content in (files | {SESSION_FILE: json.dumps(stored)}).items():
                packed.writestr(name, content)
        with Bundle(path) as before, Bundle(DATA / "bundle-v6.zip") as today:
            self.assertEqual([row["envelopment"] for row in before.document["returns"].values()], [0.0])
            mix = today.mix()
            as_it_was = replace(mix, returns=tuple(replace(row, envelopment=0.0) for row in mix.returns))
            output = render_audio(before.mix(), 0, RATE // 2)
            np.testing.assert_array_equal(output, render_audio(as_it_was, 0, RATE // 2))
            self.assertGreater(np.abs(output - render_audio(mix, 0, RATE // 2)).max(), 1e-3)

    def test_sides_and_returns_from_before_stay_narrow(self) -> None:
        with zipfile.ZipFile(DATA / "bundle-v7.zip") as packed:
            files = {name: packed.read(name) for name in packed.namelist()}
        stored = json.loads(files[SESSION_FILE])
        stored["version"] = 6
        for source in stored["document"]["sources"].values():
            del source["width_left"], source["width_right"]
        for one in stored["document"]["returns"].values():
            del one["spread"]
        del stored["document"]["lanes"]["gulls/width_right"]
        path = self.folder() / "before.zip"
        with zipfile.ZipFile(path, "w") as packed:
            for name, content in (files | {SESSION_FILE: json.dumps(stored)}).items():
                packed.writestr(name, content)
        with Bundle(path) as before:
            gulls = before.document["sources"]["gulls"]
            self.assertEqual((gulls["width_left"], gulls["width_right"]), (0.0, 0.0))
            self.assertFalse(before.mix().sources[1].has_side_width)
            self.assertEqual([one["spread"] for one in before.document["returns"].values()], [0.0])

    def test_points_that_leave_out_what_is_usual_become_whole(self) -> None:
        document = one_source()
        lane = {"id": "s0/pan", "owner": "s0", "parameter": "pan"}
        document["lanes"] = {"s0/pan": {**lane, "points": [{"t": 0.0, "value": 0.5}]}}
        (point,) = upgraded(document)["lanes"]["s0/pan"]["points"]
        self.assertEqual([point], stored(Lane.of([point]).points))
        del document["lanes"]["s0/pan"]["points"]
        with self.assertRaisesRegex(NeedleError, "lacks 'points'"):
            check_document(upgraded(document))

    def test_one_from_before_its_names_changed_is_the_same_session(self) -> None:
        with Bundle(DATA / "bundle-v7.zip") as before, Bundle(DATA / "bundle-v8.zip") as today:
            expected = json.loads(json.dumps(today.document))
            for source in expected["sources"].values():
                # A bundle that is written anew names its audio by what it holds.
                source["asset"] = before.document["sources"][source["id"]]["asset"]
            self.assertEqual(before.document, expected)

    def test_what_was_frozen_before_names_changed_stays_so(self) -> None:
        for case in json.loads((DATA / "fingerprints-v7.json").read_text("utf-8")):
            mix = mix_of(check_document(upgraded(case["document"], 7)), silence)
            self.assertEqual({source.id: key_of(mix, source) for source in mix.sources}, case["fingerprints"])

    def test_a_later_one_is_refused(self) -> None:
        folder = self.folder()
        (folder / SESSION_FILE).write_text(json.dumps({"version": VERSION + 1, "document": {}}))
        with self.assertRaisesRegex(NeedleError, f"version {VERSION + 1}; this reads 1 to {VERSION}"):
            Bundle(folder)


class Broken(Folder):
    def refused(self, path: Path, words: str) -> None:
        under = self.folder()
        with self.assertRaisesRegex(NeedleError, words):
            Bundle(path, under)
        self.assertEqual(list(under.iterdir()), [])

    def repacked(self, **changed: bytes | None) -> Path:
        """The small bundle with some of its files changed, or left out."""
        path = self.folder() / "changed.zip"
        with zipfile.ZipFile(self.packed(one_source())) as old, zipfile.ZipFile(path, "w") as new:
            for info in old.infolist():
                short = "session" if info.filename == SESSION_FILE else "asset"
                content = changed.get(short, old.read(info))
                if content is not None:
                    new.writestr(info.filename, content)
        return path

    def test_each_is_refused_with_its_reason(self) -> None:
        self.refused(self.repacked(session=None), "has no session.json")
        self.refused(self.repacked(session=b"{"), "damaged")
        self.refused(self.repacked(session=b"[]"), "holds no session")
        self.refused(self.repacked(asset=None), "lacks the audio")
        self.refused(self.repacked(asset=b"RIFF"), "is damaged")
        session = json.loads(zipfile.ZipFile(self.packed(one_source())).read(SESSION_FILE))
        session["document"]["sources"]["s0"]["pan"] = float("nan")
        self.refused(self.repacked(session=json.dumps(session).encode()), "NaN is not a number")
        session["document"]["sources"]["s0"]["pan"] = [1]
        self.refused(self.repacked(session=json.dumps(session).encode()), "right kind")
        whole = self.packed(one_source())
        short = self.folder() / "short.zip"
        short.write_bytes(whole.read_bytes()[: whole.stat().st_size // 2])
        self.refused(short, "neither a folder nor a zip")

    def test_nothing_outside_of_it_is_written_or_read(self) -> None:
        path = self.folder() / "outside.zip"
        with zipfile.ZipFile(self.packed(one_source())) as old, zipfile.ZipFile(path, "w") as new:
            for info in old.infolist():
                new.writestr(info.filename, old.read(info))
            for name in (
                "../evil.wav",
                "/evil.wav",
                "assets/../../evil.wav",
                "assets/a/b.wav",
                "assets/..",
                "note.txt",
            ):
                new.writestr(name, b"evil")
        under = self.folder()
        with Bundle(path, under) as bundle:
            found = sorted(one.name for one in under.rglob("*") if one.is_file())
            self.assertEqual(found, sorted([SESSION_FILE, *assets_of(bundle.document)]))
        self.assertEqual(list(under.iterdir()), [])

    def test_links_in_it_are_none(self) -> None:
        path, under = self.folder() / "links.zip", self.folder()
        outside = self.folder() / "secret"
        outside.write_text("a secret")
        with zipfile.ZipFile(self.packed(one_source())) as old, zipfile.ZipFile(path, "w") as new:
            for info in old.infolist():
                link = zipfile.ZipInfo(info.filename)
                link.external_attr = (stat.S_IFLNK | 0o777) << 16
                new.writestr(link, str(outside) if info.filename != SESSION_FILE else old.read(info))
        with self.assertRaises(NeedleError), Bundle(path, under) as bundle:
            bundle.mix()
        self.assertEqual(list(under.iterdir()), [])

    def test_what_has_no_room_is_refused_before_it_is_unpacked(self) -> None:
        path = self.folder() / "large.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr(SESSION_FILE, "{}")
            archive.writestr(f"{ASSETS}/zeros.wav", bytes(1 << 20))
        with mock.patch("needle.io.bundle.shutil.disk_usage", return_value=mock.Mock(free=1 << 20)):
            self.refused(path, "no room")
        with mock.patch("needle.io.bundle.MOST_BYTES", 1 << 19):
            self.refused(path, "more than a session can")
        # A megabyte of nothing takes a thousandth of that in a zip that is packed.
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr(SESSION_FILE, "{}")
            archive.writestr(f"{ASSETS}/zeros.wav", bytes(1 << 20))
        with mock.patch("needle.io.bundle._ANYWAY", 0):
            self.refused(path, "more than a session can")

    def test_a_folder_says_what_it_holds(self) -> None:
        folder = self.folder()
        (folder / ASSETS).mkdir()
        write_audio(folder / ASSETS / "a1.wav", tone(440.0, 1.0), RATE)
        write_session(folder, one_source())
        told = json.loads((folder / SESSION_FILE).read_text("utf-8"))["assets"]["a1.wav"]
        self.assertEqual((told["channels"], told["frames"], told["rate"]), (1, RATE, RATE))
        write_audio(folder / ASSETS / "a1.wav", tone(441.0, 1.0), RATE)
        self.refused(folder, "is damaged")
