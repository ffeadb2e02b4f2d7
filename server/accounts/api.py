"""Signing in and out, and the demo's accounts."""

from django.conf import settings
from django.contrib.auth import authenticate, get_user_model, login, logout
from django.http import HttpRequest
from ninja import Router, Schema, Status
from ninja.throttling import AnonRateThrottle
from ninja.utils import check_csrf

from server.mixing.access import Refused
from server.mixing.demo import ACCOUNTS

router = Router(tags=["accounts"])


class Me(Schema):
    """Who is signed in."""

    id: int
    username: str
    name: str


class SignIn(Schema):
    username: str
    password: str


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
    return Me(id=user.pk, username=user.username, name=user.get_full_name() or user.username)


def _guard(request: HttpRequest) -> None:
    if check_csrf(request):
        raise Refused("The page is too old. Load it again, then sign in.", 403)


@router.get("/doorstep", auth=None, response=Doorstep)
def doorstep(request: HttpRequest) -> Doorstep:
    """Who is signed in, and the demo's accounts where there is a demo."""
    demo = [DemoAccount(**account.public()) for account in ACCOUNTS] if settings.DEMO else []
    return Doorstep(me=_me(request.user) if request.user.is_authenticated else None, demo=demo)


@router.post("/sign-in", auth=None, response=Me, throttle=[AnonRateThrottle("10/m")])
def sign_in(request: HttpRequest, given: SignIn) -> Me:
    """Sign in with a name and a password."""
    _guard(request)
    user = authenticate(request, username=given.username, password=given.password)
    if user is None:
        raise Refused("That name and password do not go together. Try again.", 401)
    login(request, user)
    return _me(user)


@router.post("/demo/sign-in", auth=None, response=Me)
def demo_sign_in(request: HttpRequest, given: DemoSignIn) -> Me:
    """Sign in as one of the demo's people, where there is a demo."""
    _guard(request)
    if not settings.DEMO or given.username not in {account.username for account in ACCOUNTS}:
        raise Refused("There is no such demo account.", 404)
    user = get_user_model().objects.get(username=given.username)
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return _me(user)


@router.post("/sign-out", response={204: None})
def sign_out(request: HttpRequest) -> Status:
    """Sign out of this browser."""
    logout(request)
    return Status(204, None)
