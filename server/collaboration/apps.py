"""Django's handle on collaboration."""

from django.apps import AppConfig


class CollaborationConfig(AppConfig):
    name = "server.collaboration"
    label = "collaboration"

    def ready(self) -> None:
        from server.collaboration.comments import follow_changes
        from server.editing.services import operation_committed

        operation_committed.connect(follow_changes, dispatch_uid="comments-follow-changes")
