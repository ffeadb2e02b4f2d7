"""Who may do what: every address of the API × everybody, and the door."""

from urllib.parse import urlencode
from uuid import uuid4

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client, SimpleTestCase, override_settings

from server.config.api import api
from server.mixing.demo import make_demo_accounts
from tests.server.sessions import SessionCase

PLACE = {"kind": "place-source", "source": "low", "pan": 0.25}
READ_BY_POST = ("/pulse/reading", "/room/place")
"""What is posted because it is much to say, and changes nothing."""

FOR_EDITORS = ("/pulse/written-out", "/pulse/taken-back")
"""What only those are told who may do it."""

OPEN = {"/api/doorstep", "/api/sign-in", "/api/demo/sign-in"}


class Matrix(SessionCase):
    def addresses(self) -> list[tuple[str, str]]:
        """Every method and address of a session's API, taken from the schema, so that none is forgotten."""
        found = []
        for path, methods in api.get_openapi_schema()["paths"].items():
            if "{session_id}" in path:
                filled = path.replace("{session_id}", str(self.session.id)).replace("{index}", "0")
                for name in ("export_id", "upload_id", "report_id", "take_id", "freeze_id"):
                    filled = filled.replace(f"{{{name}}}", str(uuid4()))
                filled = filled.replace("{source}", "low").replace("{form}", "page")
                found += [(method, filled) for method in methods]
        self.assertGreater(len(found), 8)
        return found

    def ask(self, client: Client, method: str, path: str) -> int:
        reads = ("segments", "balance", "causes", "pair", "counterweight", "mono", "placement", "law")
        reads += ("whereabouts", "layout", "places", "history", "lane", "waveform", "onsets", "dealt", "sounding")
        reads += FOR_EDITORS
        wanted = {"law": "compromise", "first": "low", "second": "high", "givers": "low:3:0.25", "end": 3.0}
        wanted |= {"layout": "0+5+0", "source": "low", "parameter": "pan", "kind": "bars", "start": 0.0}
        asks_when = method == "get" and any(word in path for word in reads)
        query = "?" + urlencode({"revision": self.revision(), **wanted}) if asks_when else ""
        query = "?offset=0" if path.endswith("/parts") else query
        lane = {"source": "low", "parameter": "pan"}
        stretch = {"revision": self.revision(), "lanes": [lane], "start": 0.5, "end": 1.5}
        points = [{"t": t, "value": 0.0} for t in (0.0, 1.0)]
        bodies = {
            "edit": {**stretch, "edit": {"kind": "mirror"}},
            "clip": stretch,
            "paste": {
                "revision": self.revision(),
                "clip": {"start": 0.0, "seconds": 1.0, "lanes": {"pan": points}},
                "targets": [{"source": "low", "at": 1.0}],
            },
            "takes": {
                "revision": self.revision(),
                "start": 0.0,
                "end": 2.0,
                "mode": "touch",
                "controls": [{**lane, "holds": [{"samples": [[0.5, 0.1]], "end": 0.6}]}],
            },
            "place": {"revision": self.revision(), "source": "low", "values": {"front": 0.5}},
            "path": {"revision": self.revision(), "source": "low", "start": 0.0, "end": 2.0, "kind": "circle"},
            "reading": {"revision": self.revision(), "source": "low", "bar": 1},
            "draft": {"revision": self.revision(), "source": "low"},
            "freeze": {"revision": self.revision()},
            "uploads": {"name": "a.wav", "size": 100},
            "operations": {"client_id": str(uuid4()), "made_on": 0, "operation": PLACE},
            "exports": {"revision": self.revision()},
            "reports": {"revision": self.revision()},
        }
        if path.endswith("/notes"):
            return client.post(path, {"file": SimpleUploadedFile("part.mid", b"MThd")}).status_code
        body = bodies.get(path.split("/")[-1], {"client_id": str(uuid4())})
        kwargs = {"data": body, "content_type": "application/json"} if method == "post" else {}
        return getattr(client, method)(path + query, **kwargs).status_code

    def test_outsiders_find_nothing_and_strangers_must_sign_in(self) -> None:
        for method, path in self.addresses():
            with self.subTest(f"{method} {path}"):
                self.assertEqual(self.ask(self.as_("uwe"), method, path), 404)
                self.assertEqual(self.ask(self.as_(None), method, path), 401)

    def test_a_listener_reads_and_changes_nothing(self) -> None:
        before = self.state(), self.revision()
        for method, path in self.addresses():
            with self.subTest(f"{method} {path}"):
                status = self.ask(self.as_("lisa"), method, path)
                if path.endswith(READ_BY_POST):
                    self.assertEqual(status, 200)
                elif (method == "post" and "/exports/" not in path) or path.endswith(FOR_EDITORS):
                    self.assertEqual(status, 403)
                else:
                    self.assertIn(status, (200, 404))
        self.assertEqual((self.state(), self.revision()), before)

    def test_engineers_edit(self) -> None:
        for name in ("olga", "emil"):
            self.assertEqual(self.operate(self.as_(name), PLACE).status_code, 200)

    def test_everything_else_asks_for_an_account(self) -> None:
        for path, methods in api.get_openapi_schema()["paths"].items():
            if "{session_id}" not in path and path not in OPEN:
                for method in methods:
                    asked = path.replace("{preset_id}", str(uuid4())).replace("{head_id}", str(uuid4()))
                    self.assertEqual(getattr(Client(), method)(asked).status_code, 401, path)

    def test_the_list_shows_only_ones_own(self) -> None:
        self.assertEqual([row["name"] for row in self.as_("lisa").get("/api/sessions").json()], ["Tones"])
        self.assertEqual(self.as_("uwe").get("/api/sessions").json(), [])


class Door(SessionCase):
    def test_sign_in_and_out(self) -> None:
        client = Client()
        wrong = client.post("/api/sign-in", {"username": "olga", "password": "no"}, content_type="application/json")
        self.assertEqual(wrong.status_code, 401)
        right = {"username": "olga", "password": "a long password"}
        self.assertEqual(client.post("/api/sign-in", right, content_type="application/json").status_code, 200)
        self.assertEqual(client.get("/api/doorstep").json()["me"]["username"], "olga")
        self.assertEqual(client.post("/api/sign-out").status_code, 204)
        self.assertIsNone(client.get("/api/doorstep").json()["me"])

    def test_forged_requests_are_refused(self) -> None:
        client = Client(enforce_csrf_checks=True)
        client.force_login(self.users["emil"])
        answer = self.operate(client, PLACE)
        self.assertEqual(answer.status_code, 403)
        given = {"username": "olga", "password": "a long password"}
        forged = Client(enforce_csrf_checks=True)
        self.assertEqual(forged.post("/api/sign-in", given, content_type="application/json").status_code, 403)

    def test_the_demo_opens_only_where_there_is_one(self) -> None:
        make_demo_accounts()
        body = {"data": {"username": "ines"}, "content_type": "application/json"}
        with override_settings(DEMO=False):
            self.assertEqual(Client().post("/api/demo/sign-in", **body).status_code, 404)
            self.assertEqual(Client().get("/api/doorstep").json()["demo"], [])
        with override_settings(DEMO=True):
            self.assertEqual(Client().post("/api/demo/sign-in", **body).status_code, 200)
            other = {**body, "data": {"username": "olga"}}
            self.assertEqual(Client().post("/api/demo/sign-in", **other).status_code, 404)


class Pages(SimpleTestCase):
    def test_the_page_carries_its_policy(self) -> None:
        answer = Client().get("/sessions/anything")
        self.assertEqual(answer.status_code, 200)
        self.assertIn("default-src 'self'", answer["Content-Security-Policy"])
        self.assertIn("csrftoken", answer.cookies)
        self.assertEqual(Client().get("/api/none").status_code, 404)
        self.assertFalse(settings.DEBUG)
