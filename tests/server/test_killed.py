"""The server killed without warning while people edit, again and again: what it had acknowledged is there."""

import http.client
import json
import random
import sqlite3
import subprocess
import sys
import threading
from collections import Counter
from time import monotonic
from uuid import UUID, uuid4

from django.conf import settings
from django.test import SimpleTestCase

from tests import often
from tests.browser.prepared import environment
from tests.browser.stage import Server

TIMES = often(2, 25)
PEOPLE = ("rowan", "ines")
REPLAYED = """
from server.mixsessions.models import MixSession
from server.editing.services import replayed
from server.mixsessions.state import stored_document
session = MixSession.objects.get()
assert replayed(session) == stored_document(session), "the log does not give the state"
"""


class Editor(threading.Thread):
    """Somebody who places sources as fast as the server answers, and goes on through every outage."""

    def __init__(self, server: Server, username: str) -> None:
        super().__init__(daemon=True)
        self.server, self.username = server, username
        self.chance = random.Random(username)
        self.acknowledged: list[UUID] = []
        self.stop = threading.Event()
        self.cookies: dict[str, str] = {}

    def ask(self, method: str, path: str, body: object = None) -> object:
        line = http.client.HTTPConnection("127.0.0.1", self.server.port, timeout=20)
        headers = {"Content-Type": "application/json", "X-CSRFToken": self.cookies.get("csrftoken", "")}
        headers["Cookie"] = "; ".join(f"{name}={value}" for name, value in self.cookies.items())
        try:
            line.request(method, path, None if body is None else json.dumps(body), headers)
            answer = line.getresponse()
            text = answer.read()
            for cookie in answer.headers.get_all("Set-Cookie") or []:
                name, _, value = cookie.partition(";")[0].partition("=")
                self.cookies[name] = value
            assert answer.status == 200, text
            return json.loads(text) if "json" in answer.headers["Content-Type"] else text
        finally:
            line.close()

    def sign_in(self) -> str:
        """Come in, and find the session."""
        self.ask("GET", "/")
        self.ask("POST", "/api/demo/sign-in", {"username": self.username})
        return self.ask("GET", "/api/sessions")[0]["id"]

    def run(self) -> None:
        waiting = None
        while not self.stop.is_set():
            waiting = waiting or (uuid4(), {"pan": round(self.chance.uniform(-1, 1), 3)})
            client_id, values = waiting
            operation = {"kind": "place-source", "source": self.chance.choice(["oars", "foghorn"]), **values}
            path = f"/api/sessions/{self.session}/operations"
            try:
                self.ask("POST", path, {"client_id": str(client_id), "operation": operation})
            except (OSError, http.client.HTTPException):
                # The same goes out again once it is back.
                self.stop.wait(0.02)
                continue
            self.acknowledged.append(client_id)
            waiting = None


class Killed(SimpleTestCase):
    def test_nothing_acknowledged_is_lost(self) -> None:
        server = Server()
        self.addCleanup(server.close)
        editors = [Editor(server, name) for name in PEOPLE]
        for editor in editors:
            editor.session = editor.sign_in()
            editor.start()
        chance = random.Random(25)
        for _ in range(TIMES):
            before = [len(editor.acknowledged) for editor in editors]
            until = monotonic() + 60
            while any(len(e.acknowledged) < n + 2 for e, n in zip(editors, before, strict=True)):
                self.assertLess(monotonic(), until, "nobody is answered any more")
                threading.Event().wait(0.01)
            threading.Event().wait(chance.uniform(0.0, 0.15))
            server.kill()
            server.start()
        for editor in editors:
            editor.stop.set()
            editor.join()
        server.kill()
        with sqlite3.connect(server.data / "needle.sqlite3") as database:
            self.assertEqual(database.execute("PRAGMA integrity_check").fetchone(), ("ok",))
            stored = Counter(
                UUID(row[0]) for row in database.execute("SELECT client_id FROM mixsessions_operationrecord")
            )
            revisions = [
                row[0]
                for row in database.execute("SELECT revision FROM mixsessions_operationrecord ORDER BY revision")
            ]
            (present,) = database.execute("SELECT revision FROM mixsessions_mixsession").fetchone()
        database.close()
        acknowledged = [one for editor in editors for one in editor.acknowledged]
        self.assertGreater(len(acknowledged), 4 * TIMES)
        self.assertEqual([one for one in acknowledged if stored[one] != 1], [])
        self.assertEqual(revisions, list(range(1, present + 1)))
        check = [sys.executable, "manage.py", "shell", "-c", REPLAYED]
        found = subprocess.run(
            check, cwd=settings.BASE_DIR, env=environment(server.data), check=False, capture_output=True, text=True
        )
        self.assertEqual(found.returncode, 0, found.stderr)
