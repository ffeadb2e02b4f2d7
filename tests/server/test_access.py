"""The door: signing in and out, forged requests, the demo, the page's policy."""

from unittest import mock

from django.conf import settings
from django.core.cache import cache
from django.test import Client, RequestFactory, SimpleTestCase, override_settings
from ninja.throttling import SimpleRateThrottle

from server.common.throttling import client_address
from server.project.demo import make_demo_accounts
from tests.server.sessions import SessionCase

PLACE = {"kind": "place-source", "source": "low", "pan": 0.25}


class Door(SessionCase):
    def test_sign_in_and_out(self) -> None:
        client = Client()
        wrong = client.post("/api/sign-in", {"username": "olga", "password": "no"}, content_type="application/json")
        self.assertEqual(wrong.status_code, 401)
        right = {"username": "olga", "password": "a long password"}
        self.assertEqual(client.post("/api/sign-in", right, content_type="application/json").status_code, 200)
        self.assertEqual(client.get("/api/sign-in/options").json()["me"]["username"], "olga")
        self.assertEqual(client.post("/api/sign-out").status_code, 204)
        self.assertIsNone(client.get("/api/sign-in/options").json()["me"])

    def setUp(self) -> None:
        super().setUp()
        # However long it takes, no time passes for the limits.
        stands = mock.patch.object(SimpleRateThrottle, "timer", staticmethod(lambda: 1000.0))
        stands.start()
        self.addCleanup(stands.stop)

    def tries(self, count: int, username: str, password: str = "no", **meta: str) -> list[int]:
        """How so many tries to sign in are answered; ``%d`` in ``meta`` stands for the number of the try."""
        body = {"username": username, "password": password}
        how = "application/json"
        return [
            Client().post("/api/sign-in", body, content_type=how, **{k: v % n for k, v in meta.items()}).status_code
            for n in range(count)
        ]

    def test_a_header_does_not_go_round_the_limit(self) -> None:
        for meta in ({"HTTP_X_FORWARDED_FOR": "10.0.0.%d"}, {"HTTP_X_FORWARDED_FOR": "10.0.%d.1, 10.0.0.1"}):
            cache.clear()
            answers = self.tries(40, "olga", **meta)
            self.assertEqual((answers.count(401), answers.count(429)), (10, 30))

    def test_an_account_is_limited_whatever_address_it_is_tried_from(self) -> None:
        answers = self.tries(40, "Olga", REMOTE_ADDR="10.0.0.%d")
        self.assertEqual((answers.count(401), answers.count(429)), (20, 20))
        self.assertEqual(self.tries(1, "olga", "a long password", REMOTE_ADDR="10.0.1.%d"), [429])
        self.assertEqual(self.tries(1, "emil", "a long password", REMOTE_ADDR="10.0.1.%d"), [200])
        with mock.patch("server.accounts.api._failures._most", 21):
            self.assertEqual(self.tries(1, "olga", "a long password", REMOTE_ADDR="10.0.2.%d"), [200])
        self.assertEqual(self.tries(1, "olga", REMOTE_ADDR="10.0.3.%d"), [401], "a success begins anew")

    def test_only_trusted_proxies_are_believed(self) -> None:
        def address(sender: str, forwarded: str = "") -> str:
            return client_address(RequestFactory().get("/", REMOTE_ADDR=sender, HTTP_X_FORWARDED_FOR=forwarded))

        self.assertEqual(address("203.0.113.9", "198.51.100.1"), "203.0.113.9")
        with override_settings(TRUSTED_PROXIES=["10.0.0.0/8", "::1"]):
            self.assertEqual(address("203.0.113.9", "198.51.100.1"), "203.0.113.9")
            self.assertEqual(address("10.0.0.1", "198.51.100.1, 203.0.113.9"), "203.0.113.9")
            self.assertEqual(address("::1", "198.51.100.1, 203.0.113.9, 10.2.0.7"), "203.0.113.9")
            self.assertEqual(address("10.0.0.1"), "10.0.0.1")

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
            self.assertEqual(Client().get("/api/sign-in/options").json()["demo"], [])
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
