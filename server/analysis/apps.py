"""Django's handle on analysis."""

from django.apps import AppConfig


class AnalysisConfig(AppConfig):
    name = "server.analysis"
    label = "analysis"

    def ready(self) -> None:
        from server.analysis.collection import collect, forget_session
        from server.analysis.reports import cancel_with_upload, read_upload
        from server.media.collection import collecting
        from server.media.uploads import Purpose, register_purpose, upload_cancelled
        from server.mixsessions.services import session_deleted

        register_purpose("report", Purpose(read_upload, stays=False))
        upload_cancelled.connect(cancel_with_upload, dispatch_uid="reports-of-uploads")
        collecting.connect(collect, dispatch_uid="old-reports")
        session_deleted.connect(forget_session, dispatch_uid="reports-of-sessions")
