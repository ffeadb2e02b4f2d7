"""How long reports stay."""

import shutil
from pathlib import Path

from django.conf import settings

from server.analysis.models import Report
from server.media.collection import Collected
from server.mixsessions.models import MixSession

REPORTS_STAY = 40
"""So many of a session's reports stay; the list shows the latest 20."""


def collect(sender, result: Collected, dry_run: bool, **_) -> None:
    """All but the latest reports of each session, and files of reports that are none."""
    old = []
    for session in Report.objects.values_list("session", flat=True).distinct().order_by():
        settled = Report.objects.filter(session=session).exclude(status__in=Report.OPEN).order_by("-created_at")
        old += list(settled[REPORTS_STAY:])
    result.rows["reports"] = len(old)
    paths = {report.pk: settings.DATA_DIR / "reports" / f"{report.pk}.json" for report in old}
    # First the files, then what there should be: one that is made meanwhile is not among them.
    files = list((settings.DATA_DIR / "reports").glob("*.json"))
    known = {str(pk) for pk in Report.objects.values_list("pk", flat=True)}
    left = [path for path in files if path.stem not in known]
    for path in (*filter(Path.exists, paths.values()), *left):
        result.add(path)
        if not dry_run:
            path.unlink(missing_ok=True)
    if not dry_run:
        Report.objects.filter(pk__in=paths).delete()


def forget_session(sender, session: MixSession, **_) -> None:
    """Remove the files of a deleted session's reports."""
    for pk in Report.objects.filter(session=session).values_list("pk", flat=True):
        for path in (settings.DATA_DIR / "reports").glob(f"{pk}*"):
            shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)
