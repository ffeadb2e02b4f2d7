"""Django's handle on the sharing part."""

from django.apps import AppConfig


class SharingConfig(AppConfig):
    name = "server.sharing"
    label = "sharing"

    def ready(self) -> None:
        from server.mixing.revisions import operation_committed
        from server.sharing.comments import follow_passages

        operation_committed.connect(follow_passages, dispatch_uid="comments-follow-passages")
