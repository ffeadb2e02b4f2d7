"""What nobody needs any more: audio of deleted sessions, uploads that were given up, sign-ins that have ended."""

import shutil
from dataclasses import dataclass, field
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.contrib.sessions.models import Session as SignIn
from django.db.models import Q
from django.utils import timezone

from server.audio.models import Asset, AssetUse, Freeze, Report, Upload

STAYS = timedelta(days=1)
"""So long what nobody uses stays, for whoever is just about to."""

UPLOADS_KNOWN = timedelta(days=30)
"""So long it is known what became of an upload."""

ABANDONED = timedelta(days=2)
"""An upload that has not gone on for so long is given up."""


@dataclass
class Collected:
    """What was removed, or would be: files with their ``bytes``, and rows by what they are."""

    files: list[Path] = field(default_factory=list)
    bytes: int = 0
    rows: dict[str, int] = field(default_factory=dict)

    def add(self, path: Path) -> None:
        """Count a file or a folder in."""
        self.files.append(path)
        inside = [path] if path.is_file() else [one for one in path.rglob("*") if one.is_file()]
        self.bytes += sum(one.stat().st_size for one in inside)


def collect(dry_run: bool = False) -> Collected:
    """Remove what nobody needs any more; ``dry_run``: only say what that is."""
    result, now = Collected(), timezone.now()
    _collect_uploads(result, now, dry_run)
    _collect_assets(result, now, dry_run)
    ended = SignIn.objects.filter(expire_date__lt=now)
    result.rows["sign-ins that have ended"] = ended.count()
    if not dry_run:
        ended.delete()
    return result


def _collect_uploads(result: Collected, now, dry_run: bool) -> None:
    abandoned = Q(status=Upload.Status.RECEIVING, created_at__lt=now - ABANDONED)
    settled = ~Q(status__in=(Upload.Status.RECEIVING, Upload.Status.READING)) & Q(created_at__lt=now - UPLOADS_KNOWN)
    rows = Upload.objects.filter(abandoned | settled)
    for pk in rows.values_list("pk", flat=True):
        for path in (settings.DATA_DIR / "uploads").glob(f"{pk}*"):
            result.add(path)
            if not dry_run:
                path.unlink(missing_ok=True)
    result.rows["uploads"] = rows.count()
    if not dry_run:
        rows.delete()


def _collect_assets(result: Collected, now, dry_run: bool) -> None:
    used = AssetUse.objects.values("asset")
    wanted = (Upload.objects.filter(asset__isnull=False, created_at__gte=now - STAYS).values("asset"),
              Freeze.objects.filter(asset__isnull=False, created_at__gte=now - STAYS).values("asset"))  # fmt: skip
    unused = Asset.objects.exclude(pk__in=used)
    for recent in wanted:
        unused = unused.exclude(pk__in=recent)
    keys = list(unused.values_list("pk", flat=True))
    result.rows["audio"] = len(keys)
    for key in keys:
        paths = list((settings.DATA_DIR / "assets" / key[:2]).glob(f"{key}*"))
        for path in paths:
            result.add(path)
        if dry_run:
            continue
        Upload.objects.filter(asset=key).update(asset=None)
        Freeze.objects.filter(asset=key).update(asset=None)
        Asset.objects.filter(pk=key).delete()
        for path in paths:
            path.unlink(missing_ok=True)


def forget_session(sender, session, **_) -> None:
    """Remove the files that are a deleted session's alone: its reports, and uploads that were under way."""
    for pk in Report.objects.filter(session=session).values_list("pk", flat=True):
        for path in (settings.DATA_DIR / "reports").glob(f"{pk}*"):
            shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)
    for pk in Upload.objects.filter(session=session).values_list("pk", flat=True):
        for path in (settings.DATA_DIR / "uploads").glob(f"{pk}*"):
            path.unlink(missing_ok=True)
