"""People over HTTP: who is in a session and as what, invitations by link, and the owner's word on all of it."""

from typing import Annotated, Literal
from uuid import UUID

from django.contrib.auth import login
from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from server.accounts.guard import guard
from server.accounts.names import shown_name
from server.collaboration import services
from server.collaboration.models import Invitation
from server.common.throttling import AddressRateThrottle, UserRateThrottle
from server.mixsessions.access import membership
from server.mixsessions.models import Membership

router = Router(tags=["people"])
invitations = Router(tags=["people"])

GivenRole = Literal["engineer", "listener"]


class MemberOut(Schema):
    """Somebody's part in a session."""

    id: int
    username: str
    name: str
    role: str
    colour: int


class InvitationOut(Schema):
    """An invitation: as what it lets people in, until when (ISO), by whom, and how many have come by it.

    ``once``: it is for one person, and holds for nobody after them. ``guest``: the name of whom it is for, where that
    is somebody who has an account; others come by a link.
    """

    id: UUID
    role: str
    ends_at: str
    author: str
    accepted: int
    once: bool
    guest: str


class PeopleOut(Schema):
    """Everybody in a session, and to its owner the invitations that hold."""

    members: list[MemberOut]
    invitations: list[InvitationOut]


class NewInvitation(InvitationOut):
    """A new invitation, with the secret of its link: it is not told again."""

    secret: str


class AddIn(Schema):
    """Somebody who has an account and is asked to come in, and what they are to be."""

    username: Annotated[str, Field(min_length=1, max_length=150)]
    role: GivenRole


class RoleChange(Schema):
    """A role that somebody is to have; as ``owner`` they have the session in place of who gives it."""

    role: Literal["owner", "engineer", "listener"]


class InvitationIn(Schema):
    """As what an invitation lets people in, for how many hours it holds, and whether for one person only."""

    role: GivenRole
    once: bool = False
    hours: Annotated[int, Field(ge=1, le=24 * 90)] = 24 * 7


class SecretIn(Schema):
    """What follows the # in an invitation's link: it never stands in an address that a log may keep."""

    secret: Annotated[str, Field(min_length=10, max_length=100)]


class InvitationPreview(Schema):
    """What an invitation is for; ``session`` is told to those who are in it."""

    name: str
    role: str
    author: str
    ends_at: str
    session: UUID | None


class Joined(Schema):
    """The session that one has become a member of, and as what."""

    session: UUID
    role: str


class NewAccount(Schema):
    """An account to be made by somebody who was invited; ``secret`` is the invitation's."""

    username: Annotated[str, Field(min_length=1, max_length=150, pattern=r"^[\w.@+-]+$")]
    name: Annotated[str, Field(min_length=1, max_length=150)]
    password: Annotated[str, Field(max_length=200)]
    secret: Annotated[str, Field(min_length=10, max_length=100)]


def _member_out(member: Membership) -> MemberOut:
    user = member.user
    return MemberOut(
        id=user.pk, username=user.username, name=shown_name(user), role=member.role, colour=member.colour
    )


def _invitation_out(invitation: Invitation) -> InvitationOut:
    return InvitationOut(
        id=invitation.id,
        role=invitation.role,
        ends_at=invitation.ends_at.isoformat(),
        author=shown_name(invitation.author),
        accepted=invitation.accepted,
        once=invitation.once,
        guest=shown_name(invitation.guest) if invitation.guest else "",
    )


@router.get("/{uuid:session_id}/people", response=PeopleOut)
def list_people(request: HttpRequest, session_id: UUID) -> PeopleOut:
    """Everybody in the session, and to its owner the active invitations."""
    me = membership(request.user, session_id)
    members = me.session.members.select_related("user").order_by("colour")
    invitations = []
    if me.role == Membership.Role.OWNER:
        active = services.active_invitations(me.session).select_related("author", "guest")
        invitations = [_invitation_out(invitation) for invitation in active]
    return PeopleOut(members=[_member_out(member) for member in members], invitations=invitations)


@router.post("/{uuid:session_id}/people", response=InvitationOut, throttle=[UserRateThrottle("invite", "30/m")])
def invite_person(request: HttpRequest, session_id: UUID, body: AddIn) -> InvitationOut:
    """Ask somebody who has an account to come in: they are in when they accept."""
    return _invitation_out(services.invite_person(request.user, session_id, body.username, body.role))


@router.patch("/{uuid:session_id}/people/{int:user_id}", response=PeopleOut)
def change_role(request: HttpRequest, session_id: UUID, user_id: int, body: RoleChange) -> PeopleOut:
    """Make somebody an engineer or a listener, or the owner in one's own place; it holds at once, everywhere."""
    services.change_role(request.user, session_id, user_id, body.role)
    return list_people(request, session_id)


@router.delete("/{uuid:session_id}/people/{int:user_id}", response={204: None})
def remove_person(request: HttpRequest, session_id: UUID, user_id: int) -> Status:
    """Remove somebody, or leave oneself; it holds at once, in open browsers too."""
    services.remove_member(request.user, session_id, user_id)
    return Status(204, None)


@router.post("/{uuid:session_id}/invitations", response=NewInvitation, throttle=[UserRateThrottle("invite", "30/m")])
def create_invitation(request: HttpRequest, session_id: UUID, body: InvitationIn) -> NewInvitation:
    """Make a link by which people join."""
    invitation, secret = services.create_invitation(request.user, session_id, body.role, body.hours, body.once)
    return NewInvitation(**_invitation_out(invitation).dict(), secret=secret)


@router.delete("/{uuid:session_id}/invitations/{uuid:invitation_id}", response={204: None})
def withdraw_invitation(request: HttpRequest, session_id: UUID, invitation_id: UUID) -> Status:
    """Let nobody else join by a link."""
    services.withdraw_invitation(request.user, session_id, invitation_id)
    return Status(204, None)


class OwnInvitation(Schema):
    """An invitation that waits for one's answer: to which session (its name), as what, by whom, until when (ISO)."""

    id: UUID
    name: str
    role: str
    author: str
    ends_at: str


@invitations.get("", response=list[OwnInvitation])
def list_invitations(request: HttpRequest) -> list[OwnInvitation]:
    """The invitations that wait for one's answer, latest first."""
    return [
        OwnInvitation(
            id=invitation.id,
            name=invitation.session.name,
            role=invitation.role,
            author=shown_name(invitation.author),
            ends_at=invitation.ends_at.isoformat(),
        )
        for invitation in services.invitations_of(request.user)
    ]


@invitations.post("/{uuid:invitation_id}/accept", response=Joined)
def accept_own_invitation(request: HttpRequest, invitation_id: UUID) -> Joined:
    """Come in where one is asked to."""
    invitation = services.invitation_of(request.user, invitation_id)
    return _joined(services.accept_invitation(invitation, request.user))


@invitations.delete("/{uuid:invitation_id}", response={204: None})
def decline_invitation(request: HttpRequest, invitation_id: UUID) -> Status:
    """Not come in where one is asked to."""
    services.invitation_of(request.user, invitation_id).delete()
    return Status(204, None)


@invitations.post("/preview", auth=None, response=InvitationPreview)
def invitation_preview(request: HttpRequest, body: SecretIn) -> InvitationPreview:
    """What an invitation is for."""
    result = services.active_invitation(body.secret)
    known = request.user.is_authenticated and result.session.members.filter(user=request.user).exists()
    return InvitationPreview(
        name=result.session.name,
        role=result.role,
        author=shown_name(result.author),
        ends_at=result.ends_at.isoformat(),
        session=result.session_id if known else None,
    )


@invitations.post("/accept", response=Joined)
def accept_invitation(request: HttpRequest, body: SecretIn) -> Joined:
    """Join by an invitation, with the account that one is signed in with."""
    return _joined(services.accept_invitation(services.active_invitation(body.secret), request.user))


@invitations.post("/account", auth=None, response=Joined, throttle=[AddressRateThrottle("sign-in", "10/m")])
def create_account(request: HttpRequest, body: NewAccount) -> Joined:
    """Make an account by an invitation, and join by it."""
    guard(request)
    user, member = services.create_account(body.secret, body.username, body.name, body.password)
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return _joined(member)


def _joined(member: Membership) -> Joined:
    return Joined(session=member.session_id, role=member.role)
