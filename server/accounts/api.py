"""Signing in and out, accounts of one's own, and the demo's."""

from typing import Annotated

from django.conf import settings
from django.contrib.auth import authenticate, get_user_model, login, logout, update_session_auth_hash
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from server.accounts.deletion import delete_account
from server.accounts.guard import guard
from server.accounts.signing import sign_out_everywhere
from server.common.errors import ApiError
from server.common.throttling import AddressRateThrottle, Failures, UserRateThrottle
from server.mixing.demo import ACCOUNTS
from server.mixing.models import shown_name
from server.sharing.people import Entered, enter_by, holding_invitation

router = Router(tags=["accounts"])

_failures = Failures("sign-in", most=20, seconds=900)
"""Wrong passwords for an account, from all addresses together."""


class Me(Schema):
    """Who is signed in."""

    id: int
    username: str
    name: str


class SignIn(Schema):
    username: str
    password: str


class NewAccount(Schema):
    """An account to be made by somebody who was invited; ``secret`` is the invitation's."""

    username: Annotated[str, Field(min_length=1, max_length=150, pattern=r"^[\w.@+-]+$")]
    name: Annotated[str, Field(min_length=1, max_length=150)]
    password: Annotated[str, Field(max_length=200)]
    secret: Annotated[str, Field(min_length=10, max_length=100)]


class PasswordIn(Schema):
    """A new password, and the current one."""

    current: Annotated[str, Field(max_length=200)]
    new: Annotated[str, Field(max_length=200)]


class DemoAccount(Schema):
    username: str
    name: str
    about: str


class DemoSignIn(Schema):
    username: str


class Doorstep(Schema):
    """What someone who comes to the door should know."""

    me: Me | None
    demo: list[DemoAccount]


def _me(user) -> Me:
    return Me(id=user.pk, username=user.username, name=shown_name(user))


@router.get("/doorstep", auth=None, response=Doorstep)
def doorstep(request: HttpRequest) -> Doorstep:
    """Who is signed in, and the demo's accounts where there is a demo."""
    demo = [DemoAccount(**account.public()) for account in ACCOUNTS] if settings.DEMO else []
    return Doorstep(me=_me(request.user) if request.user.is_authenticated else None, demo=demo)


@router.post("/sign-in", auth=None, response=Me, throttle=[AddressRateThrottle("sign-in", "10/m")])
def sign_in(request: HttpRequest, given: SignIn) -> Me:
    """Sign in with a name and a password."""
    guard(request)
    _failures.check(given.username)
    user = authenticate(request, username=given.username, password=given.password)
    if user is None:
        _failures.add(given.username)
        raise ApiError("That name and password do not go together. Try again.", 401)
    _failures.forget(given.username)
    login(request, user)
    return _me(user)


@router.post("/accounts", auth=None, response=Entered, throttle=[AddressRateThrottle("sign-in", "10/m")])
def make_account(request: HttpRequest, given: NewAccount) -> Entered:
    """Make an account by an invitation, and come in by it."""
    guard(request)
    invitation = holding_invitation(given.secret)
    first, _, last = given.name.strip().partition(" ")
    user = get_user_model()(username=given.username, first_name=first, last_name=last)
    _check_password(given.password, user)
    with transaction.atomic():
        if get_user_model().objects.filter(username__iexact=given.username).exists():
            raise ApiError(
                f"Somebody is called “{given.username}” already. Choose another name to sign in with.", 409
            )
        user.set_password(given.password)
        user.save()
        entered = enter_by(invitation, user)
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return entered


def _check_password(password: str, user) -> None:
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise ApiError(" ".join(error.messages), 422) from error


@router.post("/password", response={204: None}, throttle=[UserRateThrottle("password", "10/m")])
def change_password(request: HttpRequest, given: PasswordIn) -> Status:
    """Change one's password; every other browser is signed out."""
    if not request.user.check_password(given.current):
        raise ApiError("That is not your current password. Nothing was changed.", 403)
    _check_password(given.new, request.user)
    request.user.set_password(given.new)
    request.user.save(update_fields=["password"])
    # The sign-ins of other browsers belong to the old password and end with it; this one goes on.
    update_session_auth_hash(request, request.user)
    sign_out_everywhere(request.user, but=request.session.session_key)
    return Status(204, None)


class DeletionIn(Schema):
    """The current password, asked for once more."""

    password: Annotated[str, Field(max_length=200)]


@router.delete("/account", response={204: None}, throttle=[UserRateThrottle("password", "10/m")])
def delete(request: HttpRequest, given: DeletionIn) -> Status:
    """Delete one's account; what one has made in other people's sessions stays, as a former member's."""
    if not request.user.check_password(given.password):
        raise ApiError("That is not your current password. Nothing was deleted.", 403)
    delete_account(request.user)
    logout(request)
    return Status(204, None)


@router.post("/sign-out-everywhere", response={204: None})
def sign_out_all(request: HttpRequest) -> Status:
    """Sign out of every browser, this one too."""
    sign_out_everywhere(request.user)
    logout(request)
    return Status(204, None)


@router.post("/demo/sign-in", auth=None, response=Me)
def demo_sign_in(request: HttpRequest, given: DemoSignIn) -> Me:
    """Sign in as one of the demo's people, where there is a demo."""
    guard(request)
    if not settings.DEMO or given.username not in {account.username for account in ACCOUNTS}:
        raise ApiError("There is no such demo account.", 404)
    user = get_user_model().objects.get(username=given.username)
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return _me(user)


@router.post("/sign-out", response={204: None})
def sign_out(request: HttpRequest) -> Status:
    """Sign out of this browser."""
    logout(request)
    return Status(204, None)
