"""The door: signing in and out, forged requests, the demo, the page's policy."""

import io
import itertools
import re
from typing import Any
from unittest import mock
from uuid import uuid4

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.cache import cache
from django.core.management import CommandError, call_command
from django.test import Client, SimpleTestCase, override_settings
from twisted.internet.address import IPv4Address
from twisted.internet.testing import StringTransportWithDisconnection

from server.common import throttling
from server.common.throttling import client_address
from server.editing import api as editing_api
from server.project import bodies
from server.project.bodies import BoundedFactory
from server.project.demo import PASSWORD, close_demo_accounts, make_demo_accounts
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

    def test_who_has_lost_their_password_sets_a_new_one_once_by_the_operators_link(self) -> None:
        emil, out = self.as_("emil"), io.StringIO()
        call_command("password_link", "emil", "--address=https://mix.example/", stdout=out, stderr=io.StringIO())
        address, _, secret = out.getvalue().strip().partition("#")
        self.assertEqual(address, "https://mix.example/new-password")

        def renew(secret: str, password: str) -> Any:
            body = {"secret": secret, "password": password}
            return Client().post("/api/password/renew", body, content_type="application/json")

        self.assertIn("too short", renew(secret, "short").json()["detail"])
        for forged in ("", "x", secret[:-1], secret.replace(".", "."[:0]), f"MTA.{secret.partition('.')[2]}"):
            answer = renew(forged, "another long password")
            self.assertEqual((answer.status_code, "used already" in answer.json()["detail"]), (422, True))
        self.assertEqual(emil.get(self.url()).status_code, 200)
        self.assertEqual(renew(secret, "another long password").json(), {"username": "emil"})
        self.assertEqual(renew(secret, "yet another password").status_code, 422)
        # Whoever was signed in is out.
        self.assertEqual(emil.get(self.url()).status_code, 401)
        self.assertEqual(self.tries(1, "emil", "a long password"), [401])
        self.assertEqual(self.tries(1, "emil", "another long password"), [200])
        with self.assertRaisesRegex(CommandError, "no account “nobody”"):
            call_command("password_link", "nobody", stdout=out)

    def setUp(self) -> None:
        super().setUp()
        # However long it takes, no time passes for the limits.
        self.enterContext(mock.patch.object(throttling, "timer", return_value=1000.0))
        self.enterContext(override_settings(RATE_FACTOR=1))
        cache.clear()

    def tries(self, count: int, username: str, password: str = "no", **meta: str) -> list[int]:
        """How so many tries to sign in are answered; ``%d`` in ``meta`` and in the name stands for its number."""
        answers = []
        for n in range(count):
            body = {"username": username.replace("%d", str(n)), "password": password}
            where = {name: value % n for name, value in meta.items()}
            answers.append(Client().post("/api/sign-in", body, content_type="application/json", **where).status_code)
        return answers

    def test_a_header_does_not_go_round_the_limit(self) -> None:
        for meta in ({"HTTP_X_FORWARDED_FOR": "10.0.0.%d"}, {"HTTP_X_FORWARDED_FOR": "10.0.%d.1, 10.0.0.1"}):
            cache.clear()
            answers = self.tries(40, "olga%d", **meta)
            self.assertEqual((answers.count(401), answers.count(429)), (10, 30))

    @override_settings(CACHES={"default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache"}})
    def test_each_failure_at_an_account_makes_the_next_try_wait_longer(self) -> None:
        now = 1000.0
        with (
            mock.patch.object(throttling, "timer", side_effect=lambda: now),
            mock.patch("time.time", side_effect=lambda: now),
        ):
            answers = self.tries(40, "Olga", REMOTE_ADDR="10.0.0.%d")
            # Five are free, and the sixth may be tried at once; what comes too early is no try.
            self.assertEqual((answers.count(401), answers.count(429)), (6, 34))
            waits = []
            for _ in range(12):
                body = {"username": "olga", "password": "no"}
                refused = Client().post("/api/sign-in", body, content_type="application/json")
                waits.append(int(refused["Retry-After"]))
                self.assertEqual(refused.json()["code"], "account.too_many_attempts")
                now += waits[-1]
                self.assertEqual(self.tries(1, "olga", REMOTE_ADDR="10.0.2.%d"), [401])
            self.assertEqual(waits, [1, 2, 4, 8, 16, 32, 64, 128, 256, 512, 900, 900])
            self.assertEqual(self.tries(1, "olga", "a long password", REMOTE_ADDR="10.0.1.%d"), [429])
            self.assertEqual(self.tries(1, "emil", "a long password", REMOTE_ADDR="10.0.1.%d"), [200])
            now += 900
            self.assertEqual(self.tries(1, "olga", "a long password", REMOTE_ADDR="10.0.2.%d"), [200])
            again = self.tries(7, "olga", REMOTE_ADDR="10.0.3.%d")
            self.assertEqual(again, [401] * 6 + [429], "a success begins anew")

    def test_how_often_one_may_ask_is_counted_for_each_person(self) -> None:
        emil, olga = self.as_("emil"), self.as_("olga")
        with mock.patch.object(editing_api.EDITING[0], "_most", 3):
            for client in (emil, olga):
                answers = [self.operate(client, PLACE) for _ in range(5)]
                self.assertEqual([answer.status_code for answer in answers], [200, 200, 200, 429, 429])
            self.assertEqual(answers[-1].json()["code"], "request.too_often")
            # What is counted in a minute is forgotten at its end, and no later than that one is told to come back.
            self.assertEqual(answers[-1]["Retry-After"], "20")
            with mock.patch.object(throttling, "timer", return_value=1020.0):
                self.assertEqual(self.operate(emil, PLACE).status_code, 200)

    def test_only_trusted_proxies_are_believed(self) -> None:
        def address(sender: str, forwarded: str = "") -> str:
            return client_address(sender, forwarded)

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

    def test_texts_that_nothing_can_keep_are_refused_and_names_are_shown_as_they_are(self) -> None:
        emil = self.as_("emil")

        def rename(name: str) -> Any:
            return self.operate(emil, {"kind": "rename-source", "source": "low", "name": name})

        for name in ("Lo\0w", "Low \ud83d"):
            answer = rename(name)
            self.assertEqual((answer.status_code, answer.json()["code"]), (422, "request.text_not_whole"))
        for name, kept in (
            ("\u202eevil.wav\n", "evil.wav"),
            ("\\u0000 \\ud83d", "\\u0000 \\ud83d"),
            ("שיר 🛶", "שיר 🛶"),
        ):
            self.assertEqual(rename(name).status_code, 200)
            self.assertEqual(self.state()["sources"]["low"]["name"], kept)
        self.assertEqual(rename("\u202e").status_code, 200)
        self.assertEqual(self.state()["sources"]["low"]["name"], "unnamed")
        self.assertEqual(rename("").status_code, 422)
        answer = emil.post(self.url("/operations"), b"{", content_type="application/json")
        self.assertEqual((answer.status_code, answer.json()["code"]), (400, "request.unreadable"))
        for address in (self.url("/sources/lo%00w/placement?revision=0&at=0"), self.url("?since=%00")):
            self.assertEqual(emil.get(address).status_code, 400, address)

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

    def test_without_a_demo_nobody_comes_in_by_its_password(self) -> None:
        users = make_demo_accounts()
        users[2].set_password("a password of one's own")
        users[2].save()
        client = Client()
        client.force_login(users[0])

        def tries() -> list[int]:
            body = [{"username": user.username, "password": PASSWORD} for user in users]
            return [Client().post("/api/sign-in", one, content_type="application/json").status_code for one in body]

        self.assertEqual(tries(), [200, 200, 401])
        self.assertEqual(close_demo_accounts(), 2)
        self.assertEqual(tries(), [401, 401, 401])
        self.assertIsNone(client.get("/api/sign-in/options").json()["me"])
        self.assertTrue(get_user_model().objects.get(username="tam").check_password("a password of one's own"))
        make_demo_accounts()
        self.assertEqual(tries(), [200, 200, 401])

    def test_the_demo_is_served_to_this_machine_only(self) -> None:
        with override_settings(DEMO=True), self.assertRaisesMessage(CommandError, "this machine only"):
            call_command("serve", host="0.0.0.0")


class Bodies(SimpleTestCase):
    def sent(
        self, path: str, *parts: bytes, length: int | None = None, apart: float = 0.0
    ) -> StringTransportWithDisconnection:
        """What comes of a request with a body of so many bytes, of which some are sent, so many seconds apart."""
        now = itertools.count(100.0, apart)
        self.enterContext(mock.patch.object(bodies, "monotonic", side_effect=lambda: next(now)))
        protocol = BoundedFactory(mock.Mock()).buildProtocol(IPv4Address("TCP", "127.0.0.1", 1))
        transport = StringTransportWithDisconnection()
        transport.protocol = protocol
        transport.setTcpKeepAlive = lambda _: None
        protocol.makeConnection(transport)
        how = "Transfer-Encoding: chunked" if length is None else f"Content-Length: {length}"
        protocol.dataReceived(f"POST {path} HTTP/1.1\r\nHost: needle\r\n{how}\r\n\r\n".encode())
        for part in parts:
            if transport.connected:
                protocol.dataReceived(part)
        return transport

    def test_what_is_too_large_is_cut_off_before_it_is_read(self) -> None:
        for path in ("/api/sign-in", f"/api/sessions/{uuid4()}/operations?x=1", "/api/heads?x=1"):
            with self.subTest(path):
                transport = self.sent(path, length=1 << 30)
                self.assertTrue(transport.value().startswith(b"HTTP/1.1 413"))
                self.assertFalse(transport.connected)
        self.assertTrue(self.sent("/api/sign-in", length=5 << 20).connected)
        self.assertTrue(self.sent("/api/heads", length=100 << 20).connected)

    def test_what_does_not_say_how_long_it_is_is_counted(self) -> None:
        part = b"100000\r\n" + bytes(1 << 20) + b"\r\n"
        self.assertTrue(self.sent("/api/sign-in", *[part] * 5).connected)
        transport = self.sent("/api/sign-in", *[part] * 9)
        self.assertEqual((transport.connected, transport.value()[:12]), (False, b"HTTP/1.1 413"))

    def test_what_comes_byte_by_byte_is_cut_off(self) -> None:
        for length in (1 << 20, None):
            dripping = [b"1\r\nx\r\n" if length is None else b"x"] * 100
            transport = self.sent("/api/sign-in", *dripping, length=length, apart=5.0)
            self.assertEqual((transport.connected, transport.value()[:12]), (False, b"HTTP/1.1 408"))
        # A line of half a megabit a second carries more than is asked for.
        slow = [bytes(1 << 18)] * 19
        self.assertTrue(self.sent("/api/sign-in", *slow, length=5 << 20, apart=4.2).connected)


class Pages(SimpleTestCase):
    def test_the_page_carries_its_policy(self) -> None:
        answer = Client().get("/sessions/anything")
        self.assertEqual(answer.status_code, 200)
        self.assertIn("default-src 'self'", answer["Content-Security-Policy"])
        self.assertIn("style-src 'self';", answer["Content-Security-Policy"] + ";")
        self.assertNotIn("style=", answer.content.decode())
        self.assertIn("csrftoken", answer.cookies)
        self.assertEqual(answer["Cross-Origin-Opener-Policy"], "same-origin")
        self.assertEqual(answer["Cross-Origin-Resource-Policy"], "same-origin")
        self.assertEqual(answer["X-Content-Type-Options"], "nosniff")
        allowed = dict(one.split("=") for one in answer["Permissions-Policy"].split(", "))
        self.assertEqual({name for name, who in allowed.items() if who != "()"}, {"autoplay", "midi", "microphone"})
        self.assertEqual(Client().get("/api/none").status_code, 404)
        self.assertFalse(settings.DEBUG)

    def test_no_page_has_styles_that_its_policy_does_not_name(self) -> None:
        for path in ("/guide/", "/nothing.here", "/api/none"):
            answer = Client().get(path)
            text, policy = answer.content.decode(), answer["Content-Security-Policy"]
            self.assertNotIn("unsafe", policy)
            nonces = re.findall(r"<style nonce=\"([^\"]+)\">", text)
            self.assertEqual(len(nonces), text.count("<style"), path)
            self.assertTrue(all(f"'nonce-{nonce}'" in policy for nonce in nonces), path)
            self.assertNotIn("style=", text, path)
