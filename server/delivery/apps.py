"""Django's handle on handing over."""

from django.apps import AppConfig


class DeliveryConfig(AppConfig):
    name = "server.delivery"
    label = "delivery"

    def ready(self) -> None:
        from server.delivery.keeping import forget_session
        from server.mixing.deletion import session_deleted

        session_deleted.connect(forget_session, dispatch_uid="deliveries-of-sessions")
