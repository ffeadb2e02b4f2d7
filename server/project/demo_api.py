"""The page that one signs in on: who is signed in already, and the demo's accounts where there is a demo."""

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.http import HttpRequest
from ninja import Router, Schema

from server.accounts.api import Me, me_out
from server.accounts.guard import guard
from server.common.errors import ApiError
from server.project.demo import ACCOUNTS

router = Router(tags=["accounts"])


class DemoAccount(Schema):
    username: str
    name: str
    about: str


class DemoSignIn(Schema):
    username: str


class SignInOptions(Schema):
    """What the page that one signs in on offers."""

    me: Me | None
    demo: list[DemoAccount]


@router.get("/sign-in/options", auth=None, response=SignInOptions)
def sign_in_options(request: HttpRequest) -> SignInOptions:
    """Who is signed in, and the demo's accounts where there is a demo."""
    demo = [DemoAccount(**account.public()) for account in ACCOUNTS] if settings.DEMO else []
    return SignInOptions(me=me_out(request.user) if request.user.is_authenticated else None, demo=demo)


@router.post("/demo/sign-in", auth=None, response=Me)
def demo_sign_in(request: HttpRequest, body: DemoSignIn) -> Me:
    """Sign in as one of the demo's people, where there is a demo."""
    guard(request)
    if not settings.DEMO or body.username not in {account.username for account in ACCOUNTS}:
        raise ApiError("demo.account_missing", 404)
    user = get_user_model().objects.get(username=body.username)
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return me_out(user)
