"""Django's handle on the audio part."""

from django.apps import AppConfig


class AudioConfig(AppConfig):
    name = "server.audio"
    label = "audio"

    def ready(self) -> None:
        from django.contrib.auth.models import User
        from django.contrib.auth.signals import user_logged_out
        from django.db.models.signals import post_delete, post_save

        from server.accounts.deletion import account_deleted
        from server.audio.api import forget_listeners
        from server.audio.assets import use_in_changes, use_in_document
        from server.audio.collection import forget_session
        from server.audio.heads import forget_heads
        from server.mixing.beginning import session_begun
        from server.mixing.deletion import session_deleted
        from server.mixing.models import Member
        from server.mixing.revisions import operation_committed

        operation_committed.connect(use_in_changes, dispatch_uid="assets-in-changes")
        session_begun.connect(use_in_document, dispatch_uid="assets-in-sessions")
        account_deleted.connect(forget_heads, dispatch_uid="heads-of-accounts")
        for signal, sender in (
            (post_save, Member),
            (post_delete, Member),
            (post_save, User),
            (user_logged_out, None),
        ):
            signal.connect(forget_listeners, sender=sender, dispatch_uid="listeners")
        session_deleted.connect(forget_session, dispatch_uid="files-of-sessions")
