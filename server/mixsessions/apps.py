"""Django's handle on mix sessions."""

from django.apps import AppConfig


class MixSessionsConfig(AppConfig):
    name = "server.mixsessions"
    label = "mixsessions"

    def ready(self) -> None:
        from server.accounts.deletion import account_deleted, account_deleting
        from server.mixsessions.services import delete_owned_sessions, leave_sessions

        account_deleting.connect(delete_owned_sessions, dispatch_uid="sessions-of-accounts")
        account_deleted.connect(leave_sessions, dispatch_uid="memberships-of-accounts")
