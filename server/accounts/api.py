"""Signing in and out, and one's own account."""

from typing import Annotated

from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from server.accounts import second_factor
from server.accounts.deletion import delete_account
from server.accounts.guard import guard
from server.accounts.names import shown_name
from server.accounts.passwords import check_current_password, check_password
from server.accounts.recovery import owner_of
from server.accounts.signing import sign_out_everywhere, sign_out_here
from server.common.errors import ApiError
from server.common.throttling import AddressRateThrottle, Failures, UserRateThrottle

router = Router(tags=["accounts"])

_failures = Failures("sign-in", free=5, longest=900)
"""Wrong passwords and codes for an account, from all addresses together."""


class Me(Schema):
    """Who is signed in."""

    id: int
    username: str
    name: str


class SignIn(Schema):
    """Name and password, and the code from an app if the account asks for one."""

    username: Annotated[str, Field(max_length=200)]
    password: Annotated[str, Field(max_length=200)]
    code: second_factor.Code = ""


class PasswordIn(Schema):
    """A new password, and the current one."""

    current: Annotated[str, Field(max_length=200)]
    new: Annotated[str, Field(max_length=200)]


class Renewed(Schema):
    """The name to sign in with now."""

    username: str


def me_out(user) -> Me:
    return Me(id=user.pk, username=user.username, name=shown_name(user))


@router.post("/sign-in", auth=None, response=Me, throttle=[AddressRateThrottle("sign-in", "10/m")])
def sign_in(request: HttpRequest, body: SignIn) -> Me:
    """Sign in with a name and a password, and a code where the account asks for one.

    An answer that a code is wanted (``code_wanted``) is given only to who knows the password.
    """
    guard(request)
    _failures.count(body.username)
    user = authenticate(request, username=body.username, password=body.password)
    if user is None:
        raise ApiError("account.wrong_sign_in", 401)
    if second_factor.is_on(user) and not second_factor.accepts(user, body.code):
        raise ApiError("account.wrong_code" if body.code else "account.code_wanted", 401, more={"code_wanted": True})
    _failures.forget(body.username)
    login(request, user)
    return me_out(user)


@router.post("/password", response={204: None}, throttle=[UserRateThrottle("password", "10/m")])
def change_password(request: HttpRequest, body: PasswordIn) -> Status:
    """Change one's password; every other browser is signed out."""
    check_current_password(request.user, body.current)
    check_password(body.new, request.user)
    request.user.set_password(body.new)
    request.user.save(update_fields=["password"])
    # The sign-ins of other browsers belong to the old password and end with it; this one goes on.
    update_session_auth_hash(request, request.user)
    sign_out_everywhere(request.user, but=request.session.session_key)
    return Status(204, None)


class RenewalIn(Schema):
    """What a link to a new password carries, and that password."""

    secret: Annotated[str, Field(max_length=200)]
    password: Annotated[str, Field(max_length=200)]


@router.post("/password/renew", auth=None, response=Renewed, throttle=[AddressRateThrottle("renew", "10/m")])
def renew_password(request: HttpRequest, body: RenewalIn) -> Renewed:
    """Set a new password by the link that whoever runs the server has given; every browser is signed out.

    A second factor stays: the code is asked for when one signs in.
    """
    guard(request)
    user = owner_of(body.secret)
    check_password(body.password, user)
    user.set_password(body.password)
    user.save(update_fields=["password"])
    sign_out_everywhere(user)
    return Renewed(username=user.username)


class DeletionIn(Schema):
    """The current password, asked for once more."""

    password: Annotated[str, Field(max_length=200)]


@router.delete("/account", response={204: None}, throttle=[UserRateThrottle("password", "10/m")])
def delete_own_account(request: HttpRequest, body: DeletionIn) -> Status:
    """Delete one's account; what one has made in other people's sessions stays, as a former member's."""
    if not request.user.check_password(body.password):
        raise ApiError("account.wrong_password_nothing_deleted", 403)
    delete_account(request.user)
    logout(request)
    return Status(204, None)


@router.post("/sign-out-everywhere", response={204: None})
def sign_out_of_all_browsers(request: HttpRequest) -> Status:
    """Sign out of every browser, this one too."""
    sign_out_everywhere(request.user)
    logout(request)
    return Status(204, None)


@router.post("/sign-out", response={204: None})
def sign_out(request: HttpRequest) -> Status:
    """Sign out of this browser."""
    sign_out_here(request)
    return Status(204, None)
