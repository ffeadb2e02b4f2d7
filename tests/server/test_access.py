"""The door: signing in and out, forged requests, the demo, the page's policy."""

from django.conf import settings
from django.test import Client, SimpleTestCase, override_settings

from server.mixing.demo import make_demo_accounts
from tests.server.sessions import SessionCase

PLACE = {"kind": "place-source", "source": "low", "pan": 0.25}


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
