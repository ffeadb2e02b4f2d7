"""The second factor: set up with a code from an app, asked for at the door, good once, switched off."""

from typing import Any
from unittest import mock

from django.core.cache import cache
from django.test import Client, override_settings
from django_otp.oath import totp
from django_otp.plugins.otp_totp.models import TOTPDevice

from tests.server.sessions import SessionCase

PASSWORD = "a long password"


class SecondFactor(SessionCase):
    def setUp(self) -> None:
        super().setUp()
        self.emil = self.as_("emil")

    def send(self, client: Client, path: str, method: str = "post", **body: Any) -> Any:
        return getattr(client, method)(f"/api/{path}", body, content_type="application/json")

    def sign_in(self, code: str = "", password: str = PASSWORD) -> Any:
        return self.send(Client(), "sign-in", username="emil", password=password, code=code)

    def code(self, later: int = 0) -> str:
        """What the app shows: the next one after so many steps, as each is good once."""
        device = TOTPDevice.objects.get(user=self.users["emil"])
        return f"{totp(device.bin_key, t0=-30 * later):06d}"

    def set_up(self) -> list[str]:
        begun = self.send(self.emil, "second-factor", password=PASSWORD)
        self.assertEqual(begun.status_code, 200, begun.content)
        return self.send(self.emil, "second-factor/confirm", code=self.code()).json()["codes"]

    def test_the_published_vectors(self) -> None:
        # RFC 6238, appendix B, SHA-1, eight digits.
        vectors = {59: 94287082, 1111111109: 7081804, 1234567890: 89005924, 20000000000: 65353130}
        for at, code in vectors.items():
            with mock.patch("django_otp.oath.time", return_value=float(at)):
                self.assertEqual(totp(b"12345678901234567890", digits=8), code)

    def test_nothing_is_asked_for_before_it_is_confirmed(self) -> None:
        begun = self.send(self.emil, "second-factor", password=PASSWORD).json()
        self.assertTrue(begun["address"].startswith("otpauth://totp/Wandering%20Needle"), begun["address"])
        self.assertIn(begun["secret"], begun["address"])
        self.assertTrue(begun["picture"].startswith("data:image/svg+xml"))
        self.assertEqual(self.sign_in().status_code, 200)
        self.assertEqual(self.send(self.emil, "second-factor/confirm", code="000000").status_code, 422)
        self.assertEqual(self.sign_in().status_code, 200)
        self.assertEqual(self.emil.get("/api/second-factor").json(), {"on": False, "recovery_codes": 0})

    def test_a_code_is_asked_for_and_good_once(self) -> None:
        self.set_up()
        self.assertEqual(self.emil.get("/api/second-factor").json(), {"on": True, "recovery_codes": 10})
        without = self.sign_in()
        self.assertEqual(without.status_code, 401)
        self.assertEqual((without.json()["code"], without.json()["code_wanted"]), ("account.code_wanted", True))
        wrong = self.sign_in("000000")
        self.assertEqual((wrong.status_code, wrong.json()["code"]), (401, "account.wrong_code"))
        code = self.code(later=1)
        self.assertEqual(self.sign_in(f"{code[:3]} {code[3:]}").status_code, 200)
        self.assertEqual(self.sign_in(code).status_code, 401, "a code is used twice")

    def test_who_does_not_know_the_password_is_not_told_of_it(self) -> None:
        self.set_up()
        answer = self.sign_in(self.code(later=1), password="wrong")
        self.assertEqual(answer.json()["code"], "account.wrong_sign_in")
        self.assertNotIn("code_wanted", answer.json())

    def test_a_recovery_code_is_good_once(self) -> None:
        codes = self.set_up()
        self.assertEqual(len(set(codes)), 10)
        self.assertEqual(self.sign_in(codes[3].upper()).status_code, 200)
        self.assertEqual(self.sign_in(codes[3]).status_code, 401)
        self.assertEqual(self.emil.get("/api/second-factor").json()["recovery_codes"], 9)

    def test_another_s_code_is_none(self) -> None:
        codes = self.set_up()
        olga = self.as_("olga")
        self.send(olga, "second-factor", password=PASSWORD)
        self.assertEqual(self.send(olga, "second-factor/confirm", code=codes[0]).status_code, 422)

    def test_guessing_is_slowed_down(self) -> None:
        self.set_up()
        with override_settings(RATE_FACTOR=1000):
            cache.clear()
            answers = [self.sign_in(f"{number:06d}").status_code for number in range(30)]
        self.assertLess(answers.count(401), 9)
        self.assertEqual(answers[-1], 429)

    def test_only_with_the_password_it_begins_and_ends(self) -> None:
        self.assertEqual(self.send(self.emil, "second-factor", password="wrong").status_code, 403)
        self.assertEqual(self.send(self.emil, "second-factor/confirm", code="123456").status_code, 409)
        self.set_up()
        self.assertEqual(self.send(self.emil, "second-factor", password=PASSWORD).status_code, 409)
        self.assertEqual(self.send(self.emil, "second-factor", "delete", password="wrong").status_code, 403)
        self.assertEqual(self.sign_in().status_code, 401)
        self.assertEqual(self.send(self.emil, "second-factor", "delete", password=PASSWORD).status_code, 204)
        self.assertEqual(self.sign_in().status_code, 200)
        self.assertEqual(self.emil.get("/api/second-factor").json(), {"on": False, "recovery_codes": 0})

    def test_a_deleted_account_has_none(self) -> None:
        self.set_up()
        self.assertEqual(self.send(self.emil, "account", "delete", password=PASSWORD).status_code, 204)
        self.assertFalse(TOTPDevice.objects.filter(user=self.users["emil"]).exists())
