"""Django's handle on accounts."""

from django.apps import AppConfig
from django.db.models.signals import post_save, pre_save


class AccountsConfig(AppConfig):
    name = "server.accounts"
    label = "accounts"

    def ready(self) -> None:
        from django.contrib.auth import get_user_model

        from server.accounts.signing import note_changes, sign_out_where_due

        pre_save.connect(note_changes, get_user_model())
        post_save.connect(sign_out_where_due, get_user_model())
