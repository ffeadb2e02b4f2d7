"""Django's handle on media."""

from django.apps import AppConfig


class MediaConfig(AppConfig):
    name = "server.media"
    label = "media"

    def ready(self) -> None:
        from django.contrib.auth.models import User
        from django.contrib.auth.signals import user_logged_out
        from django.db.models.signals import post_delete, post_save

        from server.accounts.deletion import account_deleted
        from server.editing.services import operation_checked, operation_committed
        from server.media.asset_uses import check_assets, use_in_changes, use_in_document
        from server.media.collection import forget_session
        from server.media.heads import forget_heads
        from server.media.segments_api import forget_listeners
        from server.media.uploads import Purpose, read_stem, register_purpose
        from server.mixsessions.models import Membership
        from server.mixsessions.services import session_created, session_deleted

        operation_checked.connect(check_assets, dispatch_uid="assets-of-operations")
        operation_committed.connect(use_in_changes, dispatch_uid="assets-in-changes")
        session_created.connect(use_in_document, dispatch_uid="assets-in-sessions")
        session_deleted.connect(forget_session, dispatch_uid="files-of-sessions")
        account_deleted.connect(forget_heads, dispatch_uid="heads-of-accounts")
        for signal, sender in (
            (post_save, Membership),
            (post_delete, Membership),
            (post_save, User),
            (user_logged_out, None),
        ):
            signal.connect(forget_listeners, sender=sender, dispatch_uid="listeners")
        register_purpose("stem", Purpose(read_stem))
