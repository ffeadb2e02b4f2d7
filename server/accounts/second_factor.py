"""An optional second factor: a code of six digits from an app (TOTP, RFC 6238), and codes for when it is lost."""

from base64 import b32encode
from typing import Annotated

import segno
from django.db import transaction
from django.http import HttpRequest
from django_otp import devices_for_user, match_token
from django_otp.plugins.otp_static.models import StaticDevice, StaticToken
from django_otp.plugins.otp_totp.models import TOTPDevice
from ninja import Router, Schema, Status
from pydantic import Field

from server.accounts.passwords import check_current_password
from server.common.errors import ApiError
from server.common.throttling import UserRateThrottle

router = Router(tags=["accounts"])

RECOVERY_CODES = 10
_CHECKED = [UserRateThrottle("password", "10/m")]

Password = Annotated[str, Field(max_length=200)]
Code = Annotated[str, Field(max_length=20)]


class PasswordOnly(Schema):
    """The current password, asked for once more."""

    password: Password


class CodeIn(Schema):
    """The code that an app shows."""

    code: Code


class SecondFactorOut(Schema):
    """Whether one is asked for a code, and how many recovery codes are left."""

    on: bool
    recovery_codes: int


class Enrolment(Schema):
    """What an app is told: a secret in base 32, as an address (``otpauth://``) and as its picture (``data:``)."""

    secret: str
    address: str
    picture: str


class RecoveryCodes(Schema):
    """Codes that are each good for one sign-in; they are shown this once."""

    codes: list[str]


def is_on(user) -> bool:
    """Whether somebody is asked for a code when they sign in."""
    return TOTPDevice.objects.filter(user=user, confirmed=True).exists()


def accepts(user, code: str) -> bool:
    """Whether a code is right, from the app or for recovery; either is good only once."""
    return match_token(user, code.replace(" ", "").lower()) is not None


def switch_off(user) -> None:
    """Forget somebody's app and their recovery codes."""
    for device in devices_for_user(user, confirmed=None):
        device.delete()


@router.get("/second-factor", response=SecondFactorOut)
def get_second_factor(request: HttpRequest) -> SecondFactorOut:
    """Whether one is asked for a code from an app besides the password."""
    left = StaticToken.objects.filter(device__user=request.user).count()
    return SecondFactorOut(on=is_on(request.user), recovery_codes=left)


@router.post("/second-factor", response=Enrolment, throttle=_CHECKED)
def begin_second_factor(request: HttpRequest, body: PasswordOnly) -> Enrolment:
    """A new secret for an app. Nothing is asked for before a code from the app has confirmed it."""
    check_current_password(request.user, body.password)
    with transaction.atomic():
        if is_on(request.user):
            raise ApiError("account.second_factor_is_on", 409)
        TOTPDevice.objects.filter(user=request.user).delete()
        device = TOTPDevice.objects.create(user=request.user, name="app", confirmed=False)
    picture = segno.make(device.config_url).svg_data_uri(scale=4, border=2, light="#fff")
    secret = b32encode(device.bin_key).decode()
    return Enrolment(secret=secret, address=device.config_url, picture=picture)


@router.post("/second-factor/confirm", response=RecoveryCodes, throttle=_CHECKED)
def confirm_second_factor(request: HttpRequest, body: CodeIn) -> RecoveryCodes:
    """Ask for a code from now on, if this one is right; the recovery codes."""
    with transaction.atomic():
        device = TOTPDevice.objects.select_for_update().filter(user=request.user, confirmed=False).first()
        if device is None:
            raise ApiError("account.second_factor_not_begun", 409)
        if not device.verify_token(body.code.replace(" ", "")):
            raise ApiError("account.wrong_code", 422)
        device.confirmed = True
        device.save(update_fields=["confirmed"])
        StaticDevice.objects.filter(user=request.user).delete()
        spare = StaticDevice.objects.create(user=request.user, name="recovery")
        codes = [StaticToken.random_token() for _ in range(RECOVERY_CODES)]
        StaticToken.objects.bulk_create(StaticToken(device=spare, token=code) for code in codes)
    return RecoveryCodes(codes=codes)


@router.delete("/second-factor", response={204: None}, throttle=_CHECKED)
def end_second_factor(request: HttpRequest, body: PasswordOnly) -> Status:
    """Sign in with the password alone again."""
    check_current_password(request.user, body.password)
    switch_off(request.user)
    return Status(204, None)
