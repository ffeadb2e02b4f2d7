"""How long deliveries stay: the latest few of a session, until somebody takes them away."""

import shutil
import time

from django.conf import settings

from server.delivery.models import Delivery
from server.media.collection import Collected
from server.mixsessions.models import MixSession

_LONGEST_ARRIVAL = 24 * 3600.0
"""What has been lying longer (s) is of a server that is not at it any more, where there may be others."""


def forget(delivery: Delivery) -> None:
    """Take a delivery and its files away."""
    folder = delivery.folder
    delivery.delete()
    shutil.rmtree(folder, ignore_errors=True)


def forget_old(session: MixSession) -> None:
    """Keep only the latest of a session; what is still being made stays."""
    for delivery in Delivery.objects.filter(session=session)[Delivery.KEPT :]:
        if delivery.status not in Delivery.OPEN:
            forget(delivery)


def forget_session(sender, session: MixSession, **_) -> None:
    """Remove every delivery of a session that is deleted."""
    for delivery in Delivery.objects.filter(session=session):
        forget(delivery)


def collect(sender, result: Collected, dry_run: bool, **_) -> None:
    """Folders of deliveries that are none any more: their rows went, and what should have taken the files did not."""
    folders = list((settings.DATA_DIR / "deliveries").glob("*"))
    known = {str(pk) for pk in Delivery.objects.values_list("pk", flat=True)}
    left = [path for path in folders if path.name.split(".")[0] not in known]
    result.rows["exports without an order"] = len(left)
    for path in left:
        result.add(path)
        if not dry_run:
            shutil.rmtree(path, ignore_errors=True)


def tidy() -> None:
    """After a start: take away what servers that stopped in the midst of work have left lying."""
    for path in (settings.DATA_DIR / "deliveries").glob("*.partial"):
        if not Delivery.objects.filter(pk=path.stem, status__in=Delivery.OPEN).exists():
            shutil.rmtree(path, ignore_errors=True)
    lately = time.time() - (_LONGEST_ARRIVAL if settings.SHARED else 0.0)
    for path in (settings.DATA_DIR / "arriving").glob("*"):
        if path.stat().st_mtime < lately:
            shutil.rmtree(path, ignore_errors=True)
