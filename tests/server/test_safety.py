"""Starting safely, and keeping assets by what they contain."""

import os
import shutil
import stat
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import mock

import numpy as np
import soundfile
from django.conf import settings
from django.core.management import call_command
from django.test import SimpleTestCase

from needle.errors import NeedleError
from needle.io import intake
from needle.io.audio import write_audio
from needle.io.bundle import ASSETS, Bundle, write_session
from server.editing.services import replayed
from server.media import assets
from server.media.models import Asset
from server.mixsessions.models import MixSession
from server.mixsessions.state import stored_document
from server.project.demo import ACCOUNTS, make_session
from tests.server.sessions import RATE, SessionCase, source, tone


class Settings(SimpleTestCase):
    def setUp(self) -> None:
        self.data = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.data)

    def check(self, *arguments: str, **environment: str) -> subprocess.CompletedProcess[str]:
        kept = {name: value for name, value in os.environ.items() if not name.startswith("NEEDLE_")}
        return subprocess.run(
            [sys.executable, "manage.py", "check", *arguments],
            cwd=settings.BASE_DIR,
            env={**kept, "NEEDLE_DATA": str(self.data), **environment},
            capture_output=True,
            text=True,
            check=False,
        )

    def test_without_a_secret_nothing_starts(self) -> None:
        refused = self.check()
        self.assertNotEqual(refused.returncode, 0)
        self.assertIn("NEEDLE_SECRET", refused.stderr)

    def test_with_a_secret_it_is_fit_for_the_world(self) -> None:
        secret = "".join(chr(33 + i * 7 % 90) for i in range(64))
        found = self.check("--deploy", NEEDLE_SECRET=secret, NEEDLE_HOSTS="needle.example")
        self.assertEqual(found.returncode, 0, found.stderr)
        told = [line for line in found.stderr.splitlines() if "(security." in line]
        self.assertEqual(told, [])

    def test_a_local_secret_is_made_once_and_only_for_its_owner(self) -> None:
        self.assertEqual(self.check(NEEDLE_LOCAL="1").returncode, 0)
        kept = self.data / "secret"
        first = kept.read_text()
        self.assertGreaterEqual(len(first), 50)
        self.assertEqual(stat.S_IMODE(kept.stat().st_mode), 0o600)
        self.assertEqual(self.check(NEEDLE_LOCAL="1").returncode, 0)
        self.assertEqual(kept.read_text(), first)


class Assets(SessionCase):
    def test_the_same_content_is_kept_once(self) -> None:
        one, other = self.data / "one.wav", self.data / "other name.wav"
        for path in (one, other):
            write_audio(path, tone(333.0), RATE)
        with mock.patch.object(assets, "run_locked", wraps=assets.run_locked) as locked:
            self.assertEqual(assets.store_asset(one, RATE), assets.store_asset(other, RATE))
            self.assertEqual([call.args[0] for call in locked.call_args_list].count(intake.decode), 1)
        kept = assets.asset_audio(assets.store_asset(one, RATE), RATE)
        np.testing.assert_allclose(kept, tone(333.0), atol=1e-7)
        self.assertIsInstance(kept, np.memmap)

    def test_other_rates_are_resampled_on_arrival(self) -> None:
        path = self.data / "cd.wav"
        soundfile.write(path, np.zeros((44100, 2)), 44100)
        self.assertEqual(assets.asset_audio(assets.store_asset(path, RATE), RATE).shape, (2, RATE))

    def test_a_broken_file_leaves_nothing_behind(self) -> None:
        path = self.data / "broken.wav"
        soundfile.write(path, np.array([0.1, np.inf]), RATE, subtype="FLOAT")
        before = sorted((self.data / "assets").rglob("*")), Asset.objects.count()
        with self.assertRaises(NeedleError):
            assets.store_asset(path, RATE)
        files = [found for found in sorted((self.data / "assets").rglob("*")) if found.is_file()]
        self.assertEqual((files, Asset.objects.count()), ([f for f in before[0] if f.is_file()], before[1]))


class TakingIn(SessionCase):
    def test_a_bundle_becomes_a_session_by_operations_alone(self) -> None:
        folder = self.data / "bundle"
        (folder / ASSETS).mkdir(parents=True)
        write_audio(folder / ASSETS / "low.wav", tone(220.0), RATE)
        document = stored_document(self.session)
        document["session"]["name"] = "Taken in"
        document["sources"] = {"low": source("low", "low.wav", 0, pan=0.5)}
        points = [{"t": 1.0, "value": 0.25, "shape": "ease", "tension": 0.0}]
        document["lanes"] = {"low/pan": {"id": "low/pan", "owner": "low", "parameter": "pan", "points": points}}
        write_session(folder, document)
        with Bundle(folder) as bundle:
            session = make_session(bundle, assets.store_asset)
        session.refresh_from_db()
        found = stored_document(session)
        self.assertEqual(found["lanes"], document["lanes"])
        self.assertEqual(found["passages"], document["passages"])
        self.assertEqual(len(found["sources"]["low"]["asset"]), 64)
        self.assertEqual(replayed(session), found)
        self.assertEqual(session.members.count(), len(ACCOUNTS))

    def test_the_demo_is_made_only_once(self) -> None:
        with mock.patch("server.project.management.commands.make_demo.make_bundle", side_effect=AssertionError):
            self.assertRaises(AssertionError, call_command, "make_demo", stdout=mock.Mock())
            folder = self.data / "bundle"
            (folder / ASSETS).mkdir(parents=True)
            document = stored_document(self.session)
            document["sources"], document["session"]["name"] = {}, "Night Ferry"
            write_session(folder, document)
            with Bundle(folder) as bundle:
                make_session(bundle, assets.store_asset)
            call_command("make_demo", stdout=mock.Mock())
        self.assertEqual(MixSession.objects.filter(name="Night Ferry").count(), 1)
