"""Django's handle on handing over."""

from django.apps import AppConfig


class DeliveryConfig(AppConfig):
    name = "server.delivery"
    label = "delivery"

    def ready(self) -> None:
        from server.audio.collection import collecting
        from server.delivery.keeping import collect, forget_session
        from server.mixing.deletion import session_deleted

        collecting.connect(collect, dispatch_uid="deliveries-without-an-order")
        session_deleted.connect(forget_session, dispatch_uid="deliveries-of-sessions")
