"""Who is in a session and as what, and invitations: the transactions behind the people's addresses."""

import secrets
from datetime import timedelta
from uuid import UUID

from django.contrib.auth import get_user_model
from django.contrib.auth.base_user import AbstractBaseUser
from django.db import transaction
from django.db.models import F, Max, Q, QuerySet
from django.utils import timezone

from server.accounts.names import shown_name
from server.accounts.passwords import check_password
from server.collaboration.models import Invitation, Removal
from server.common.announcing import announce
from server.common.errors import ApiError
from server.mixsessions.access import membership
from server.mixsessions.log import locked_session
from server.mixsessions.models import Membership, MixSession

MOST_MEMBERS = 200
MOST_INVITATIONS = 50


def owned_session(user, session_id: UUID) -> MixSession:
    """A session that the user owns. ApiError to everybody else."""
    member = membership(user, session_id)
    if member.role != Membership.Role.OWNER:
        raise ApiError("people.only_owner", 403)
    return member.session


def member_of(session: MixSession, user_id: int) -> Membership:
    """Somebody's membership. ApiError if they are not in the session."""
    result = Membership.objects.select_related("user").filter(session=session, user=user_id).first()
    if result is None:
        raise ApiError("people.no_longer_member", 404)
    return result


def join(session: MixSession, user, role: str) -> Membership:
    """Make somebody a member; who is one already stays what they are."""
    with locked_session(session.pk):
        known = Membership.objects.filter(session=session, user=user).first()
        if known is not None:
            return known
        if session.members.count() >= MOST_MEMBERS:
            raise ApiError("people.too_many", 409, most=MOST_MEMBERS)
        colour = (session.members.aggregate(last=Max("colour"))["last"] or 0) + 1
        member = Membership.objects.create(session=session, user=user, role=role, colour=colour)
        announce(session.pk, "people")
    return member


def change_role(owner, session_id: UUID, user_id: int, role: str) -> None:
    """Give somebody another role; with the owner's they have the session in place of who gives it."""
    if role == Membership.Role.OWNER:
        _transfer(owner, session_id, user_id)
        return
    member = member_of(owned_session(owner, session_id), user_id)
    if member.role == Membership.Role.OWNER:
        raise ApiError("people.owner_keeps_role", 409)
    Membership.objects.filter(pk=member.pk).update(role=role)
    announce(session_id, "people")


def _transfer(owner, session_id: UUID, user_id: int) -> None:
    with locked_session(session_id):
        # Looked at once nobody else transfers it any more, and both at once: there is one owner at any moment.
        session = owned_session(owner, session_id)
        member = member_of(session, user_id)
        Membership.objects.filter(session=session, user=owner).update(role=Membership.Role.ENGINEER)
        Membership.objects.filter(pk=member.pk).update(role=Membership.Role.OWNER)
        announce(session_id, "people")


def remove_member(user, session_id: UUID, user_id: int) -> None:
    """End somebody's membership, or one's own; it holds at once, in open browsers too."""
    session = membership(user, session_id).session
    if user_id != user.pk:
        owned_session(user, session_id)
    member = member_of(session, user_id)
    if member.role == Membership.Role.OWNER:
        raise ApiError("people.owner_cannot_leave", 409)
    with transaction.atomic():
        if user_id != user.pk:
            session.removals.update_or_create(user_id=user_id, defaults={"removed_at": timezone.now()})
        member.delete()
        announce(session_id, "people")


def active_invitations(session: MixSession) -> QuerySet[Invitation]:
    """The session's invitations that let people in today."""
    used_up = Q(once=True, accepted__gt=0)
    return session.invitations.filter(withdrawn=False, ends_at__gt=timezone.now()).exclude(used_up)


def create_invitation(user, session_id: UUID, role: str, hours: int, once: bool) -> tuple[Invitation, str]:
    """A link by which people join, or one person, and its secret, of which only a hash is stored."""
    session = owned_session(user, session_id)
    if active_invitations(session).count() >= MOST_INVITATIONS:
        raise ApiError("people.too_many_invitations", 409, most=MOST_INVITATIONS)
    secret = secrets.token_urlsafe(24)
    invitation = Invitation.objects.create(
        session=session,
        author=user,
        role=role,
        once=once,
        secret=Invitation.hashed(secret),
        ends_at=timezone.now() + timedelta(hours=hours),
    )
    return invitation, secret


_GUESTS_HAVE = timedelta(days=30)


def invite_person(owner, session_id: UUID, username: str, role: str) -> Invitation:
    """Ask somebody who has an account to come in; they are in when they accept. Asked again, the role is this."""
    session = owned_session(owner, session_id)
    guest = get_user_model().objects.filter(username=username, is_active=True).first()
    if guest is None:
        raise ApiError("people.account_missing", 404, username=username)
    member = session.members.filter(user=guest).first()
    if member is not None:
        raise ApiError("people.already_member", 409, name=shown_name(guest), role=member.role)
    with locked_session(session.pk):
        active_invitations(session).filter(guest=guest).delete()
        if active_invitations(session).count() >= MOST_INVITATIONS:
            raise ApiError("people.too_many_invitations", 409, most=MOST_INVITATIONS)
        return Invitation.objects.create(
            session=session,
            author=owner,
            role=role,
            guest=guest,
            once=True,
            secret=Invitation.hashed(secrets.token_urlsafe(24)),
            ends_at=timezone.now() + _GUESTS_HAVE,
        )


def invitations_of(guest) -> QuerySet[Invitation]:
    """The invitations that wait for somebody's answer."""
    waiting = guest.invitations.filter(withdrawn=False, accepted=0, ends_at__gt=timezone.now())
    return waiting.select_related("session", "author")


def invitation_of(guest, invitation_id: UUID) -> Invitation:
    """An invitation that waits for somebody's answer. ApiError if there is none."""
    result = invitations_of(guest).filter(pk=invitation_id).first()
    if result is None:
        raise ApiError("people.invitation_invalid", 404)
    return result


def withdraw_invitation(user, session_id: UUID, invitation_id: UUID) -> None:
    """Let nobody else join by a link."""
    session = owned_session(user, session_id)
    if not session.invitations.filter(pk=invitation_id).update(withdrawn=True):
        raise ApiError("people.invitation_missing", 404)


def active_invitation(secret: str) -> Invitation:
    """The invitation of a secret. ApiError if there is none that is active."""
    result = (
        Invitation.objects.select_related("session", "author")
        .filter(secret=Invitation.hashed(secret), guest=None)
        .first()
    )
    if result is None or not result.is_active:
        raise ApiError("people.invitation_invalid", 404)
    return result


def accept_invitation(invitation: Invitation, user) -> Membership:
    """Become a member by an invitation; who is one already stays what they are, and it is not used up by that.

    ApiError if it has been used up meanwhile, or was made before an owner removed them.
    """
    with locked_session(invitation.session_id) as session:
        member = session.members.filter(user=user).first()
        if member is not None:
            return member
        # Looked at again once nobody else accepts it: of two who come at the same moment by a link for one, one does.
        invitation.refresh_from_db(fields=["withdrawn", "accepted"])
        removal = Removal.objects.filter(session=session, user=user).first()
        if not invitation.is_active or (removal and removal.removed_at >= invitation.created_at):
            raise ApiError("people.invitation_invalid", 404)
        member = join(session, user, invitation.role)
        Invitation.objects.filter(pk=invitation.pk).update(accepted=F("accepted") + 1)
    return member


def create_account(secret: str, username: str, name: str, password: str) -> tuple[AbstractBaseUser, Membership]:
    """A new account by an invitation, and its membership. ApiError where the name is taken or the password weak."""
    invitation = active_invitation(secret)
    first, _, last = name.strip().partition(" ")
    user = get_user_model()(username=username, first_name=first, last_name=last)
    check_password(password, user)
    with transaction.atomic():
        if get_user_model().objects.filter(username__iexact=username).exists():
            raise ApiError("people.name_taken", 409, username=username)
        user.set_password(password)
        user.save()
        member = accept_invitation(invitation, user)
    return user, member
