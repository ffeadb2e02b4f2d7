"""Accounts that are deleted: nobody signs in with them any more, and what they made is a former member's."""

from django.contrib.auth import get_user_model
from django.db import transaction
from django.dispatch import Signal

from server.accounts.models import Preferences
from server.accounts.signing import sign_out_everywhere
from server.common.errors import ApiError
from server.mixing.announcing import announce
from server.mixing.deletion import delete_session
from server.mixing.models import Draft, Member, Preset

account_deleted = Signal()
"""Sent when an account is deleted: ``user``. Who keeps something for them alone removes it."""


def delete_account(user) -> None:
    """Delete an account with the sessions in which nobody else is. ApiError while others are in sessions of theirs.

    What they changed and wrote in other people's sessions stays, as a former member's.
    """
    owned = list(Member.objects.filter(user=user, role=Member.Role.OWNER).select_related("session"))
    shared = [member.session for member in owned if member.session.members.count() > 1]
    if shared:
        names = ", ".join(f"“{session.name}”" for session in shared[:5])
        raise ApiError(f"Others are in {names}. Transfer the ownership first, or delete the session.", 409)
    for member in owned:
        delete_session(user, member.session_id)
    sign_out_everywhere(user)
    with transaction.atomic():
        for session_id in Member.objects.filter(user=user).values_list("session", flat=True):
            announce(session_id, "people")
        for model, whose in ((Member, "user"), (Preferences, "user"), (Preset, "author"), (Draft, "author")):
            model.objects.filter(**{whose: user}).delete()
        account_deleted.send(get_user_model(), user=user)
        user.username, user.first_name, user.last_name, user.email = f"former-{user.pk}", "Former", "member", ""
        user.is_active = user.is_staff = user.is_superuser = False
        user.set_unusable_password()
        user.save()
