"""Balance reports in the making and on disk, and the page that shows one."""

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from django.conf import settings

from needle.balance.progress import Steps, finished
from needle.errors import NeedleError
from needle.export.report import file_report, mix_report
from needle.metering.lean import Tolerance, hops_between, hops_in
from needle.metering.targets import TARGETS
from needle.session.document import names_in
from server.analysis.models import Report
from server.media import tasks
from server.media.mixes import mix_at
from server.media.models import Upload
from server.media.segments import known_frames, known_shares
from server.media.tasks import advance
from server.media.uploads import Progress
from server.mixsessions.document_cache import document_for

Options = Mapping[str, Any]


def report_path(report: Report) -> Path:
    """Where a report's data is kept."""
    return settings.DATA_DIR / "reports" / f"{report.id}.json"


def report_data(report: Report) -> dict[str, Any]:
    """The data of a finished report."""
    return json.loads(report_path(report).read_text("utf-8"))


def measure_mix(report: Report) -> None:
    """Make the report of a revision."""
    mix, document = mix_at(report.session, report.revision), document_for(report.session, report.revision)
    first, last = hops_between(report.start, report.end, hops_in(mix.length))
    _make(report, mix_report(mix, names_in(document), first, last, *_options(report), known_frames, known_shares))


def measure_file(report: Report, path: Path) -> None:
    """Make the report of a file."""
    try:
        _make(report, file_report(path, *_options(report)))
    except NeedleError as error:
        # The core calls the file what it is called on disk; its owner knows it by another name.
        raise error.about(report.title) from error


def _options(report: Report) -> tuple[Tolerance, Any]:
    options = report.options
    tolerance = Tolerance(options["tolerance_db"], options["tolerance_seconds"])
    return tolerance, TARGETS.get(options["target"])


def _make(report: Report, steps: Steps[dict[str, Any]]) -> None:
    data = finished(steps, lambda done: advance(report, 0.99 * done))
    target = report_path(report)
    target.parent.mkdir(parents=True, exist_ok=True)
    partial = target.with_suffix(".partial")
    partial.write_text(json.dumps(data, allow_nan=False), "utf-8")
    partial.replace(target)


def read_upload(upload: Upload, path: Path, progress: Progress) -> dict[str, Any]:
    """Measure a file that was sent in for a report; the file is not kept."""
    tasks.run(Report, upload.report.pk, lambda report: measure_file(report, path))
    return {}


def cancel_with_upload(sender, upload: Upload, **_) -> None:
    """Stop the report of an upload that is stopped."""
    report = Report.objects.filter(upload=upload).first()
    if report is not None:
        tasks.cancel(report)
