"""What nobody needs any more: audio of deleted sessions, abandoned uploads, ended sign-ins."""

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path

from django.conf import settings
from django.contrib.sessions.backends.db import SessionStore
from django.contrib.sessions.models import Session as SignIn
from django.db import transaction
from django.db.models import QuerySet
from django.dispatch import Signal
from django.utils import timezone

from server.media import uploads
from server.media.models import Asset, AssetUse, Freeze, Upload

UNUSED_STAY = timedelta(days=1)
"""Audio that has just arrived or been frozen stays for so long though nothing uses it yet."""

UPLOADS_STAY = timedelta(days=30)
"""The row of an upload that has come to its end stays for so long."""


collecting = Signal()
"""Sent while what nobody needs is collected, so that others add theirs: ``result`` and ``dry_run``."""


@dataclass
class Collected:
    """What was removed, or would be: files with their ``bytes``, and rows by what they are."""

    files: list[Path] = field(default_factory=list)
    bytes: int = 0
    rows: dict[str, int] = field(default_factory=dict)

    def add(self, path: Path) -> None:
        """Count a file or a folder in."""
        self.files.append(path)
        inside = [path] if path.is_file() else [file for file in path.rglob("*") if file.is_file()]
        self.bytes += sum(file.stat().st_size for file in inside)


def collect(dry_run: bool = False) -> Collected:
    """Remove what nobody needs any more; ``dry_run``: only say what that is."""
    result, now = Collected(), timezone.now()
    _collect_uploads(result, now, dry_run)
    _collect_assets(result, now, dry_run)
    collecting.send(Collected, result=result, dry_run=dry_run)
    result.rows["sign-ins that have ended"] = SignIn.objects.filter(expire_date__lt=now).count()
    if not dry_run:
        SessionStore.clear_expired()
    return result


def _collect_uploads(result: Collected, now: datetime, dry_run: bool) -> None:
    settled = Upload.objects.exclude(status__in=uploads.OPEN).filter(created_at__lt=now - UPLOADS_STAY)
    rows = [*uploads.abandoned(), *settled]
    result.rows["uploads"] = len(rows)
    for upload in rows:
        for path in (settings.DATA_DIR / "uploads").glob(f"{upload.pk}*"):
            result.add(path)
        if not dry_run:
            uploads.cancel(upload)
            upload.delete()


def _unused(now: datetime) -> QuerySet[Asset]:
    """Audio that no session uses or has used, and that has not come only just now."""
    result = Asset.objects.exclude(pk__in=AssetUse.objects.values("asset"))
    for model in (Upload, Freeze):
        recent = model.objects.filter(asset__isnull=False, created_at__gte=now - UNUSED_STAY)
        result = result.exclude(pk__in=recent.values("asset"))
    return result


def _collect_assets(result: Collected, now: datetime, dry_run: bool) -> None:
    result.rows["audio"] = 0
    for key in list(_unused(now).values_list("pk", flat=True)):
        paths = list((settings.DATA_DIR / "assets" / key[:2]).glob(f"{key}*"))
        with transaction.atomic():
            # Somebody may have begun to use it since it was listed.
            if not _unused(now).select_for_update().filter(pk=key).exists():
                continue
            result.rows["audio"] += 1
            for path in paths:
                result.add(path)
            if dry_run:
                continue
            for model in (Upload, Freeze):
                model.objects.filter(asset=key).update(asset=None)
            Asset.objects.filter(pk=key).delete()
            # Before the row is seen to be gone: who stores the same sound anew finds that its file is not there.
            for path in paths:
                path.unlink(missing_ok=True)


def forget_session(sender, session, **_) -> None:
    """Remove the files of a deleted session's uploads that were under way."""
    for pk in Upload.objects.filter(session=session).values_list("pk", flat=True):
        for path in (settings.DATA_DIR / "uploads").glob(f"{pk}*"):
            path.unlink(missing_ok=True)
