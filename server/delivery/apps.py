"""Django's handle on delivery."""

from django.apps import AppConfig


class DeliveryConfig(AppConfig):
    name = "server.delivery"
    label = "delivery"

    def ready(self) -> None:
        from server.delivery.export import make
        from server.delivery.import_session import read_upload
        from server.delivery.models import Delivery
        from server.delivery.retention import collect, forget_session
        from server.media.collection import collecting
        from server.media.tasks import register_maker
        from server.media.uploads import Purpose, register_purpose
        from server.mixsessions.services import session_deleted

        register_maker(Delivery, make)
        # A file that is to become a session may hold all the sound of one.
        register_purpose("session", Purpose(read_upload, most_bytes=64 << 30))
        collecting.connect(collect, dispatch_uid="deliveries-without-an-order")
        session_deleted.connect(forget_session, dispatch_uid="deliveries-of-sessions")
