"""Sessions and accounts come to an end: what was theirs goes, what others share stays."""

import json
import sqlite3
import subprocess
import sys
import threading
import time
from contextlib import closing
from datetime import datetime, timedelta
from io import StringIO
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.sessions.models import Session as SignIn
from django.core.management import call_command
from django.db import connection
from django.db.models import F, QuerySet
from django.test import SimpleTestCase
from django.utils import timezone

from needle.io.audio import write_audio
from server.analysis.collection import REPORTS_STAY
from server.analysis.models import Report
from server.collaboration.models import Comment
from server.delivery.models import Delivery
from server.editing.models import Preset
from server.media import assets, collection, uploads
from server.media.collection import UNUSED_STAY, collect
from server.media.models import Asset, AssetUse, MeasuredHead, Upload
from server.mixsessions.models import Entity, EntityVersion, Membership, MixSession, OperationRecord, OperationSubject
from tests.browser.prepared import environment
from tests.browser.stage import Server
from tests.server.sessions import RATE, SessionCase

WEEK = timedelta(weeks=1)


class Life(SessionCase):
    def delete(self, who: str, path: str, body: dict[str, Any] | None = None) -> Any:
        return self.as_(who).delete(path, json.dumps(body or {}), content_type="application/json")

    def files(self) -> set[Path]:
        return {path for path in (self.data / "assets").rglob("*") if path.is_file()}

    def aged(self) -> None:
        Upload.objects.update(created_at=F("created_at") - 2 * UNUSED_STAY)


class Sessions(Life):
    def test_only_its_owner_deletes_a_session_and_it_is_gone_for_everybody(self) -> None:
        for who, status in (("emil", 403), ("lisa", 403), ("uwe", 404)):
            self.assertEqual(self.delete(who, self.url()).status_code, status)
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "low", "pan": 0.5})
        self.turn(self.as_("emil"), "undo")
        Comment.objects.create(session=self.session, author=self.users["lisa"], text="Nice")
        folder = Delivery.objects.create(
            session=self.session, author=self.users["emil"], revision=1, start=0, stop=1, order={}
        ).folder
        folder.mkdir(parents=True)
        self.assertEqual(self.delete("olga", self.url()).status_code, 204)
        for model in (
            MixSession,
            Membership,
            Entity,
            OperationRecord,
            OperationSubject,
            EntityVersion,
            AssetUse,
            Comment,
            Delivery,
        ):
            self.assertEqual(model.objects.count(), 0, model)
        self.assertFalse(folder.exists())
        self.assertEqual(self.as_("emil").get(self.url()).status_code, 404)
        connection.check_constraints()

    def test_its_audio_is_collected_unless_another_session_uses_it(self) -> None:
        path = self.data / "own.wav"
        write_audio(path, np.full((1, RATE), 0.25, np.float32), RATE)
        own = assets.store_asset(path, RATE)
        AssetUse.objects.create(session=self.session, asset_id=own)
        copy = self.post(self.as_("emil"), "/copy", {"name": "Copy"}).json()["id"]
        shared = set(AssetUse.objects.filter(session=copy).values_list("asset", flat=True))
        self.assertEqual(len(shared), 3)
        self.delete("olga", self.url())
        before = self.files()
        output = StringIO()
        call_command("collect", "--dry-run", stdout=output)
        self.assertIn("Would remove", output.getvalue())
        self.assertEqual((self.files(), Asset.objects.filter(pk=own).count()), (before, 1))
        result = collect()
        self.assertEqual(result.rows["audio"], 1)
        self.assertEqual(set(result.files), before - self.files())
        self.assertTrue(all(own in path.name for path in result.files))
        self.assertEqual(set(Asset.objects.filter(pk__in=[*shared, own]).values_list("pk", flat=True)), shared)

    def test_what_a_removed_source_sounded_like_stays_as_long_as_the_session(self) -> None:
        self.operate(self.as_("emil"), {"kind": "remove-source", "source": "low"})
        self.aged()
        self.assertEqual(collect().rows["audio"], 0)
        self.assertEqual(self.turn(self.as_("emil"), "undo").status_code, 200)

    def test_audio_that_is_used_again_while_it_is_collected_stays(self) -> None:
        path = self.data / "own.wav"
        write_audio(path, np.full((1, RATE), 0.25, np.float32), RATE)
        own = assets.store_asset(path, RATE)
        listed, questions = collection._unused, []

        def unused(now: datetime) -> QuerySet[Asset]:
            questions.append(now)
            if len(questions) == 2:
                AssetUse.objects.create(session=self.session, asset_id=own)
            return listed(now)

        with mock.patch.object(collection, "_unused", unused):
            self.assertEqual(collect().rows["audio"], 0)
        self.assertEqual(len(questions), 2)
        self.assertEqual(assets.asset_audio(own, RATE).shape, (1, RATE))

    def test_audio_that_arrives_while_the_same_is_collected_is_stored(self) -> None:
        path = self.data / "own.wav"
        write_audio(path, np.full((1, RATE), 0.25, np.float32), RATE)
        save, collections = Asset.objects.update_or_create, []

        def collected_before(**values: Any) -> Any:
            if not collections:
                collections.append(1)
                save(**values)
                collect()
            return save(**values)

        with mock.patch.object(Asset.objects, "update_or_create", collected_before):
            own = assets.store_asset(path, RATE)
        self.assertEqual(len(collections), 1)
        self.assertEqual(assets.asset_audio(own, RATE).shape, (1, RATE))
        self.assertTrue(Asset.objects.filter(pk=own).exists())

    def test_old_reports_and_files_of_nobody_s_are_collected(self) -> None:
        folder = self.data / "reports"
        folder.mkdir()
        about = {"session": self.session, "author": self.users["olga"], "title": "r", "status": "done"}
        reports = [Report.objects.create(**about) for _ in range(REPORTS_STAY + 2)]
        for report in reports:
            (folder / f"{report.pk}.json").write_text("{}")
        (folder / "of-nobody.json").write_text("{}")
        left = self.data / "deliveries" / "0000"
        left.mkdir(parents=True)
        (left / "0").write_bytes(b"sound")
        self.assertEqual((collect(dry_run=True).rows["reports"], left.exists()), (2, True))
        result = collect()
        self.assertEqual((result.rows["reports"], result.rows["exports without an order"]), (2, 1))
        self.assertFalse(left.exists())
        kept = {str(report.pk) for report in reports[2:]}
        self.assertEqual({path.stem for path in folder.iterdir()}, kept)
        self.assertEqual({str(pk) for pk in Report.objects.values_list("pk", flat=True)}, kept)

    def test_abandoned_uploads_are_collected_and_those_that_go_on_stay(self) -> None:
        of_emil = {"session": self.session, "author": self.users["emil"], "size": 10}
        abandoned, going, fresh = (
            Upload.objects.create(name=name, **of_emil) for name in ("abandoned", "going", "fresh")
        )
        for upload in (abandoned, going, fresh):
            (self.data / "uploads").mkdir(exist_ok=True)
            (self.data / "uploads" / str(upload.pk)).write_bytes(b"0123")
        Upload.objects.exclude(pk=fresh.pk).update(created_at=F("created_at") - WEEK, signed_at=F("signed_at") - WEEK)
        uploads.receive(going.pk, 0, b"0123")
        collect()
        self.assertEqual(set(Upload.objects.values_list("name", flat=True)), {"going", "fresh"})
        self.assertEqual({path.name for path in (self.data / "uploads").iterdir()}, {str(going.pk), str(fresh.pk)})

    def test_a_sign_in_that_has_ended_is_collected_and_one_that_holds_stays(self) -> None:
        client, other = self.as_("emil"), self.as_("olga")
        SignIn.objects.filter(pk=other.session.session_key).update(expire_date=timezone.now() - WEEK)
        self.assertEqual(collect().rows["sign-ins that have ended"], 1)
        self.assertEqual(list(SignIn.objects.values_list("pk", flat=True)), [client.session.session_key])


class Accounts(Life):
    def test_authorship_stays_as_a_former_members(self) -> None:
        emil = self.users["emil"]
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "low", "pan": 0.5})
        Preset.objects.create(author=emil, kind="pulse", name="Mine", content={})
        head = MeasuredHead.objects.create(owner=emil, name="Ears", measured=3)
        stored = self.data / "heads" / f"{head.pk}.npz"
        stored.parent.mkdir()
        stored.write_bytes(b"")
        self.assertEqual(self.delete("emil", "/api/account", {"password": "not mine"}).status_code, 403)
        client = self.as_("emil")
        answer = client.delete(
            "/api/account", json.dumps({"password": "a long password"}), content_type="application/json"
        )
        self.assertEqual(answer.status_code, 204, answer.content)
        self.assertEqual(client.get("/api/sessions").status_code, 401)
        rows = self.as_("olga").get(self.url("/history")).json()["rows"]
        self.assertEqual(rows[0]["author"]["name"], "Former member")
        self.assertEqual({m.user.username for m in self.session.members.all()}, {"olga", "lisa"})
        self.assertFalse(Preset.objects.exists() or MeasuredHead.objects.exists() or stored.exists())
        user = get_user_model().objects.get(pk=emil.pk)
        self.assertFalse(user.is_active or user.has_usable_password())

    def test_who_owns_a_session_with_others_transfers_or_deletes_it_first(self) -> None:
        body = {"password": "a long password"}
        refused = self.delete("olga", "/api/account", body)
        self.assertEqual(refused.status_code, 409)
        self.assertIn("“Tones”", refused.json()["detail"])
        Membership.objects.exclude(user=self.users["olga"]).delete()
        self.assertEqual(self.delete("olga", "/api/account", body).status_code, 204)
        self.assertEqual(MixSession.objects.count(), 0)


READING = """
import os
from django.conf import settings
from server.media.models import Upload
from server.media.uploads import upload_path
from server.mixsessions.models import Membership
owner = Membership.objects.filter(role="owner").first()
upload = Upload.objects.create(session=owner.session, author=owner.user, name="stem.wav", size=4, status="reading")
upload_path(upload).parent.mkdir(exist_ok=True)
os.mkfifo(upload_path(upload))
"""
"""A file that has arrived and whose reading never comes to an end."""


class Stopping(SimpleTestCase):
    def test_a_server_that_is_told_to_stop_does_so_whatever_hangs(self) -> None:
        server = Server()
        self.addCleanup(server.close)
        server.kill()
        script = [sys.executable, "manage.py", "shell", "-c", READING]
        subprocess.run(script, cwd=settings.BASE_DIR, env=environment(server.data), check=True, capture_output=True)
        server.start()
        with closing(sqlite3.connect(server.data / "needle.sqlite3")) as database:
            row = "SELECT status, attempts FROM media_upload WHERE name = 'stem.wav'"
            until = time.monotonic() + 60
            while database.execute(row).fetchone() != ("reading", 1):
                self.assertLess(time.monotonic(), until, "it is not read")
                threading.Event().wait(0.01)
            server.process.terminate()
            self.assertEqual(server.process.wait(timeout=60), 0)
            # It is gone on with at the next start.
            self.assertEqual(database.execute(row).fetchone(), ("reading", 1))
