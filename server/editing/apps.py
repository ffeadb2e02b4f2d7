"""Django's handle on editing."""

from django.apps import AppConfig


class EditingConfig(AppConfig):
    name = "server.editing"
    label = "editing"

    def ready(self) -> None:
        from server.accounts.deletion import account_deleted
        from server.editing.services import forget_account

        account_deleted.connect(forget_account, dispatch_uid="drafts-of-accounts")
