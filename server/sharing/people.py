"""People over HTTP: who is in a session and as what, invitations by link, and the owner's word on all of it."""

import secrets
from datetime import timedelta
from typing import Annotated, Literal
from uuid import UUID

from django.contrib.auth import get_user_model
from django.db.models import F, Max
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Schema, Status
from pydantic import Field

from server.common.errors import ApiError
from server.common.throttling import UserRateThrottle
from server.mixing.access import membership
from server.mixing.announcing import announce
from server.mixing.models import Member, Session, shown_name
from server.mixing.revisions import locked_session
from server.sharing.models import Invitation

router = Router(tags=["people"])
doors = Router(tags=["people"])

GivenRole = Literal["engineer", "listener"]
MOST_MEMBERS = 200
MOST_INVITATIONS = 50


class MemberOut(Schema):
    """Somebody's part in a session."""

    id: int
    username: str
    name: str
    role: str
    colour: int


class InvitationOut(Schema):
    """An invitation: as what it lets people in, until when (ISO), by whom, and how many have come by it."""

    id: UUID
    role: str
    ends_at: str
    author: str
    taken: int


class PeopleOut(Schema):
    """Everybody in a session, and to its owner the invitations that hold."""

    members: list[MemberOut]
    invitations: list[InvitationOut]


class InvitationMade(InvitationOut):
    """A new invitation, with the secret of its link: it is not told again."""

    secret: str


class AddIn(Schema):
    """Somebody who has an account, and what they are to be."""

    username: Annotated[str, Field(min_length=1, max_length=150)]
    role: GivenRole


class RoleChange(Schema):
    """A role that somebody is to have; as ``owner`` they have the session in place of who gives it."""

    role: Literal["owner", "engineer", "listener"]


class InvitationIn(Schema):
    """As what an invitation lets people in, and for how many hours it holds."""

    role: GivenRole
    hours: Annotated[int, Field(ge=1, le=24 * 90)] = 24 * 7


class SecretIn(Schema):
    """What follows the # in an invitation's link: it never stands in an address that a log may keep."""

    secret: Annotated[str, Field(min_length=10, max_length=100)]


class DoorOut(Schema):
    """What an invitation is for; ``session`` is told to those who are in it."""

    name: str
    role: str
    author: str
    ends_at: str
    session: UUID | None


class Entered(Schema):
    session: UUID
    role: str


def _owned(request: HttpRequest, session_id: UUID) -> Session:
    member = membership(request.user, session_id)
    if member.role != Member.Role.OWNER:
        raise ApiError("Only the session's owner decides who is in it. Ask them.", 403)
    return member.session


def _other(session: Session, user_id: int) -> Member:
    result = Member.objects.select_related("user").filter(session=session, user=user_id).first()
    if result is None:
        raise ApiError("That person is not in the session any more.", 404)
    return result


def _member_out(member: Member) -> MemberOut:
    user = member.user
    return MemberOut(
        id=user.pk, username=user.username, name=shown_name(user), role=member.role, colour=member.colour
    )


def _invitation_out(one: Invitation) -> InvitationOut:
    return InvitationOut(
        id=one.id, role=one.role, ends_at=one.ends_at.isoformat(), author=shown_name(one.author), taken=one.taken
    )


def join(session: Session, user, role: str) -> Member:
    """Make somebody a member; who is one already stays what they are."""
    with locked_session(session.pk):
        known = Member.objects.filter(session=session, user=user).first()
        if known is not None:
            return known
        if session.members.count() >= MOST_MEMBERS:
            raise ApiError(f"{MOST_MEMBERS} people are in this session already, and it takes no more.", 409)
        colour = (session.members.aggregate(last=Max("colour"))["last"] or 0) + 1
        member = Member.objects.create(session=session, user=user, role=role, colour=colour)
        announce(session.pk, "people")
    return member


@router.get("/{uuid:session_id}/people", response=PeopleOut)
def people(request: HttpRequest, session_id: UUID) -> PeopleOut:
    """Everybody in the session, and to its owner the invitations that hold."""
    me = membership(request.user, session_id)
    members = me.session.members.select_related("user").order_by("colour")
    invitations = []
    if me.role == Member.Role.OWNER:
        holding = me.session.invitations.filter(withdrawn=False, ends_at__gt=timezone.now())
        invitations = [_invitation_out(one) for one in holding.select_related("author")]
    return PeopleOut(members=[_member_out(one) for one in members], invitations=invitations)


@router.post("/{uuid:session_id}/people", response=MemberOut, throttle=[UserRateThrottle("invite", "30/m")])
def add_person(request: HttpRequest, session_id: UUID, given: AddIn) -> MemberOut:
    """Let somebody in who has an account."""
    session = _owned(request, session_id)
    user = get_user_model().objects.filter(username=given.username, is_active=True).first()
    if user is None:
        raise ApiError(f"Nobody here is called “{given.username}”. Invite them by a link instead.", 404)
    member = join(session, user, given.role)
    if member.role != given.role:
        raise ApiError(f"{shown_name(user)} is in the session already, as {member.role}. Change that instead.", 409)
    return _member_out(member)


@router.patch("/{uuid:session_id}/people/{int:user_id}", response=PeopleOut)
def change_role(request: HttpRequest, session_id: UUID, user_id: int, body: RoleChange) -> PeopleOut:
    """Make somebody an engineer or a listener, or the owner in one's own place; it holds at once, everywhere."""
    if body.role == Member.Role.OWNER:
        return _transfer(request, session_id, user_id)
    session = _owned(request, session_id)
    member = _other(session, user_id)
    if member.role == Member.Role.OWNER:
        raise ApiError("The owner stays owner. Hand the session over to somebody else first.", 409)
    Member.objects.filter(pk=member.pk).update(role=body.role)
    announce(session_id, "people")
    return people(request, session_id)


@router.delete("/{uuid:session_id}/people/{int:user_id}", response={204: None})
def remove_person(request: HttpRequest, session_id: UUID, user_id: int) -> Status:
    """Take somebody's part away, or leave oneself; it holds at once, in open browsers too."""
    me = membership(request.user, session_id)
    if user_id != request.user.pk:
        _owned(request, session_id)
    member = _other(me.session, user_id)
    if member.role == Member.Role.OWNER:
        raise ApiError("The owner cannot leave. Hand the session over to somebody else first.", 409)
    member.delete()
    announce(session_id, "people")
    return Status(204, None)


def _transfer(request: HttpRequest, session_id: UUID, user_id: int) -> PeopleOut:
    """Transfer the session: they own it from now on, and one is an engineer in it oneself."""
    with locked_session(session_id):
        # Looked at once nobody else hands it over any more, and both at once: there is one owner at any moment.
        session = _owned(request, session_id)
        member = _other(session, user_id)
        Member.objects.filter(session=session, user=request.user).update(role=Member.Role.ENGINEER)
        Member.objects.filter(pk=member.pk).update(role=Member.Role.OWNER)
        announce(session_id, "people")
    return people(request, session_id)


@router.post("/{uuid:session_id}/invitations", response=InvitationMade, throttle=[UserRateThrottle("invite", "30/m")])
def invite(request: HttpRequest, session_id: UUID, given: InvitationIn) -> InvitationMade:
    """Make a link by which people come in."""
    session = _owned(request, session_id)
    holding = session.invitations.filter(withdrawn=False, ends_at__gt=timezone.now())
    if holding.count() >= MOST_INVITATIONS:
        raise ApiError(f"{MOST_INVITATIONS} invitations hold already. Withdraw one first.", 409)
    secret = secrets.token_urlsafe(24)
    made = Invitation.objects.create(
        session=session,
        author=request.user,
        role=given.role,
        secret=Invitation.hashed(secret),
        ends_at=timezone.now() + timedelta(hours=given.hours),
    )
    return InvitationMade(**_invitation_out(made).dict(), secret=secret)


@router.delete("/{uuid:session_id}/invitations/{uuid:invitation_id}", response={204: None})
def withdraw_invitation(request: HttpRequest, session_id: UUID, invitation_id: UUID) -> Status:
    """Let nobody else come in by a link."""
    session = _owned(request, session_id)
    if not session.invitations.filter(pk=invitation_id).update(withdrawn=True):
        raise ApiError("There is no such invitation.", 404)
    return Status(204, None)


def holding_invitation(secret: str) -> Invitation:
    """The invitation of a secret. ApiError if there is none that holds."""
    result = Invitation.objects.select_related("session", "author").filter(secret=Invitation.hashed(secret)).first()
    if result is None or not result.holds:
        raise ApiError("That invitation does not hold any more. Ask whoever sent it for another.", 404)
    return result


def enter_by(invitation: Invitation, user) -> Entered:
    """Become a member by an invitation."""
    member = join(invitation.session, user, invitation.role)
    Invitation.objects.filter(pk=invitation.pk).update(taken=F("taken") + 1)
    return Entered(session=invitation.session_id, role=member.role)


@doors.post("/invitations/look", auth=None, response=DoorOut)
def look_at_invitation(request: HttpRequest, given: SecretIn) -> DoorOut:
    """What an invitation is for."""
    result = holding_invitation(given.secret)
    known = request.user.is_authenticated and result.session.members.filter(user=request.user).exists()
    return DoorOut(
        name=result.session.name,
        role=result.role,
        author=shown_name(result.author),
        ends_at=result.ends_at.isoformat(),
        session=result.session_id if known else None,
    )


@doors.post("/invitations/enter", response=Entered)
def enter(request: HttpRequest, given: SecretIn) -> Entered:
    """Come in by an invitation, with the account that one is signed in with."""
    return enter_by(holding_invitation(given.secret), request.user)
