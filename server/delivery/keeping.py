"""How long deliveries stay: the latest few of a session, until somebody takes them away."""

import shutil

from server.delivery.models import Delivery
from server.mixing.models import Session


def forget(delivery: Delivery) -> None:
    """Take a delivery and its files away."""
    folder = delivery.folder
    delivery.delete()
    shutil.rmtree(folder, ignore_errors=True)


def forget_old(session: Session) -> None:
    """Keep only the latest of a session; what is still being made stays."""
    for delivery in Delivery.objects.filter(session=session)[Delivery.KEPT :]:
        if delivery.status not in Delivery.OPEN:
            forget(delivery)
