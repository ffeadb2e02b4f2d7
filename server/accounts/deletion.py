"""Accounts that are deleted: nobody signs in with them any more, and what they made is a former member's."""

from django.contrib.auth import get_user_model
from django.db import transaction
from django.dispatch import Signal

from server.accounts import second_factor
from server.accounts.models import Preferences
from server.accounts.signing import sign_out_everywhere

account_deleting = Signal()
"""Sent before an account is deleted: ``user``. Who must refuse raises ApiError before changing anything."""

account_deleted = Signal()
"""Sent inside the transaction that deletes an account: ``user``. Who keeps something for them alone removes it."""


def delete_account(user) -> None:
    """Delete an account. ApiError, and nothing has changed, where somebody still needs it.

    What they changed and wrote in other people's sessions stays, as a former member's.
    """
    account_deleting.send(get_user_model(), user=user)
    sign_out_everywhere(user)
    with transaction.atomic():
        Preferences.objects.filter(user=user).delete()
        second_factor.switch_off(user)
        account_deleted.send(get_user_model(), user=user)
        user.username, user.first_name, user.last_name, user.email = f"former-{user.pk}", "Former", "member", ""
        user.is_active = user.is_staff = user.is_superuser = False
        user.set_unusable_password()
        user.save()
