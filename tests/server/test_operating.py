"""What whoever runs it needs: health, logs without secrets, backups while people edit, the operator's pages."""

import io
import json
import logging
import sqlite3
import tarfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from unittest import mock

from django.contrib.auth import get_user_model
from django.core.management import CommandError, call_command
from django.db import connection
from django.test import Client, override_settings
from django.utils.module_loading import import_string

from server.delivery.models import Delivery
from server.delivery.orders import Order
from server.media import tasks
from server.mixsessions.models import MixSession, OperationRecord
from server.project import backups, health
from server.project.logs import logging_settings
from tests.server.sessions import CommittedCase, SessionCase


class Health(SessionCase):
    def test_it_says_what_answers(self) -> None:
        answer = Client().get("/api/health")
        self.assertEqual((answer.status_code, answer.json()), (200, {"database": True, "live": True, "data": True}))

        def broken() -> None:
            raise OSError("away")

        with mock.patch.dict(health.CHECKS, {"data": broken}):
            answer = Client().get("/api/health")
        self.assertEqual((answer.status_code, answer.json()["data"]), (503, False))


class Logs(SessionCase):
    def test_requests_are_lines_of_json_without_secrets(self) -> None:
        secret = self.post(self.as_("olga"), "/invitations", {"role": "listener"}).json()["secret"]
        log, told = logging.getLogger("needle.requests"), io.StringIO()
        handler = logging.StreamHandler(told)
        described = dict(logging_settings("json", requests=True, quiet=False)["formatters"]["json"])
        handler.setFormatter(import_string(described.pop("()"))(**described))
        log.addHandler(handler)
        log.propagate = False
        self.addCleanup(setattr, log, "propagate", True)
        self.addCleanup(log.removeHandler, handler)
        log.setLevel(logging.INFO)
        self.addCleanup(log.setLevel, logging.WARNING)
        client = self.as_("uwe")
        given = {"username": "uwe", "password": "a long password"}
        client.post("/api/sign-in", given, content_type="application/json")
        client.post("/api/invitations/accept", {"secret": secret}, content_type="application/json")
        client.get(self.url("/history"), {"source": "low"})
        lines = [json.loads(line) for line in told.getvalue().splitlines()]
        self.assertEqual([line["status"] for line in lines], [200, 200, 200])
        self.assertEqual(lines[2]["path"], self.url("/history"))
        self.assertEqual(lines[2]["user"], self.users["uwe"].pk)
        for hidden in (secret, "a long password", client.cookies["sessionid"].value, "source=low"):
            self.assertNotIn(hidden, told.getvalue())


class Backups(CommittedCase):
    def test_it_is_whole_while_people_edit_and_comes_back(self) -> None:
        stop, made = threading.Event(), []

        def edit() -> None:
            client = self.as_("emil")
            while not stop.is_set():
                body = {"kind": "place-source", "source": "low", "pan": len(made) % 100 / 100}
                made.append(self.operate(client, body).status_code)
            connection.close()

        archive = self.data / "kept.tar"
        editor = threading.Thread(target=edit)
        editor.start()
        while len(made) < 5 and editor.is_alive():
            editor.join(0.01)
        # Tests keep their database in memory, or beside the real one: the copy is of whatever is connected to.
        count = backups.back_up(archive)
        stop.set()
        editor.join()
        self.assertEqual(set(made), {200})
        self.assertGreaterEqual(count, 3)
        with tarfile.open(archive) as found:
            names = found.getnames()
        self.assertIn("needle.sqlite3", names)
        self.assertTrue(any(name.startswith("assets/") for name in names))

        target = self.data / "elsewhere"
        database = target / "needle.sqlite3"
        with self._instead_of(target):
            self.assertEqual(backups.restore(archive), count)
            with self.assertRaisesMessage(Exception, "There is data here already"):
                backups.restore(archive)
            backups.restore(archive, replace=True)
        self.assertTrue(next(target.glob("before-*/needle.sqlite3")).exists())
        with sqlite3.connect(database) as copy:
            self.assertEqual(copy.execute("PRAGMA integrity_check").fetchone(), ("ok",))
            (revision,) = copy.execute("SELECT revision FROM mixsessions_mixsession").fetchone()
            (latest,) = copy.execute("SELECT max(revision) FROM mixsessions_operationrecord").fetchone()
        copy.close()
        self.assertEqual(revision, latest)
        self.assertLessEqual(latest, OperationRecord.objects.filter(session=self.session).count())
        assets = {path.name for path in (self.data / "assets").rglob("*.npy")}
        self.assertEqual({path.name for path in (target / "assets").rglob("*.npy")}, assets)

    def test_into_a_folder_only_what_is_new_is_written_and_old_ones_go(self) -> None:
        folder, out = self.data / "backups", io.StringIO()
        latest = self.data / "assets" / "ab" / "kept.npy"
        gone = self.data / "assets" / "ab" / "gone.npy"
        latest.parent.mkdir(parents=True, exist_ok=True)
        latest.write_bytes(b"kept")
        gone.write_bytes(b"gone")
        first, count, added = backups.back_up_into(folder)
        self.assertEqual(count, added)
        gone.unlink()
        (self.data / "assets" / "ab" / "new.npy").write_bytes(b"new")
        call_command("backup", str(folder), "--keep=2", stdout=out)
        self.assertIn(f"{count} files, 1 of them new", out.getvalue())
        self.assertTrue((folder / "files" / "assets" / "ab" / "gone.npy").exists())
        target = self.data / "restored"
        target.mkdir()
        with self._instead_of(target):
            self.assertEqual(backups.restore(first), count)
            self.assertTrue((target / "assets" / "ab" / "gone.npy").exists())
            self.assertEqual(backups.restore(folder, replace=True), count)
            self.assertFalse((target / "assets" / "ab" / "gone.npy").exists())
            self.assertEqual((target / "assets" / "ab" / "new.npy").read_bytes(), b"new")
        backups.back_up_into(folder, keep=2)
        self.assertFalse(first.exists())
        self.assertFalse((folder / "files" / "assets" / "ab" / "gone.npy").exists())
        self.assertTrue((folder / "files" / "assets" / "ab" / "kept.npy").exists())
        (folder / "files" / "assets" / "ab" / "new.npy").unlink()
        with self._instead_of(target), self.assertRaisesMessage(Exception, "is not whole"):
            backups.restore(folder, replace=True)
        self.assertEqual((target / "assets" / "ab" / "new.npy").read_bytes(), b"new")

    @contextmanager
    def _instead_of(self, target: Path) -> Iterator[None]:
        """Restore into another folder than the test's own."""
        with (
            override_settings(DATA_DIR=target),
            mock.patch.dict(connection.settings_dict, {"NAME": str(target / "needle.sqlite3")}),
            mock.patch.object(connection, "close"),
        ):
            yield

    def test_what_is_no_backup_is_refused_and_changes_nothing(self) -> None:
        target = self.data / "elsewhere"
        target.mkdir()
        for name, content in (("text.tar", b"not a tar"), ("cut.tar", self._cut()), ("evil.tar", self._evil())):
            path = self.data / name
            path.write_bytes(content)
            with override_settings(DATA_DIR=target), self.assertRaises(CommandError):
                call_command("restore", str(path), stdout=io.StringIO())
        self.assertEqual(list(target.iterdir()), [])
        (self.data / "there.tar").touch()
        with self.assertRaisesMessage(CommandError, "there already"):
            call_command("backup", str(self.data / "there.tar"), stdout=io.StringIO())

    def _cut(self) -> bytes:
        backups.back_up(self.data / "whole.tar")
        return (self.data / "whole.tar").read_bytes()[:20_000]

    def _evil(self) -> bytes:
        made = io.BytesIO()
        with tarfile.open(fileobj=made, mode="w") as archive:
            for name in ("../outside", "assets/../../outside"):
                archive.addfile(tarfile.TarInfo(name))
        return made.getvalue()


class Operator(SessionCase):
    def ordered(self, **values: Any) -> Delivery:
        now = {"session": self.session, "author": self.users["emil"], "order": Order().dict()}
        return Delivery.objects.create(**now, revision=1, start=0, stop=9, **values)

    def test_its_pages_are_for_the_operator_and_only_look_at_the_mix(self) -> None:
        self.assertEqual(Client().get("/admin/")["Location"], "/admin/login/?next=/admin/")
        self.assertEqual(Client().get("/admin/login/")["Location"], "/?next=/admin/")
        self.assertEqual(self.as_("olga").get("/admin/").status_code, 302)
        get_user_model().objects.filter(username="olga").update(is_staff=True, is_superuser=True)
        client = self.as_("olga")
        self.ordered()
        for path in (
            "", "auth/user/", "mixsessions/mixsession/", f"mixsessions/mixsession/{self.session.pk}/change/",
            "mixsessions/operationrecord/", "delivery/delivery/", "media/upload/", "media/asset/", "analysis/report/",
            "collaboration/invitation/", "collaboration/comment/", "collaboration/version/",
        ):  # fmt: skip
            self.assertEqual(client.get(f"/admin/{path}").status_code, 200, path)
        self.assertEqual(client.get("/admin/mixsessions/operationrecord/add/").status_code, 403)
        self.assertEqual(Client().get("/static/admin/css/base.css").status_code, 200)

    def test_of_several_servers_only_what_nobody_makes_any_more_is_given_up(self) -> None:
        delivery = self.ordered(status="running")
        self.assertEqual(tasks.resume_unfinished(only_lost=True), 0)
        Delivery.objects.update(signed_at=delivery.signed_at - 2 * tasks.LOST_AFTER)
        self.assertEqual(tasks.resume_unfinished(only_lost=True), 1)
        self.assertEqual(MixSession.objects.count(), 1)
        self.assertTrue(Path(self.data).exists())
