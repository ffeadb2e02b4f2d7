"""Balance reports over HTTP: ordered, followed, stopped, and taken away as a page, JSON or CSV."""

import re
import secrets
from typing import Annotated, Any, Literal
from uuid import UUID

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.template.loader import render_to_string
from ninja import Router, Schema
from pydantic import Field

from needle.export.report import curves_csv, sources_csv
from needle.metering.lean import Tolerance
from needle.metering.targets import TARGETS
from needle.session.document import piece_length
from server.analysis import reports
from server.analysis.models import Report
from server.analysis.report_page import report_context
from server.common.errors import ApiError
from server.common.messages import MessageOut
from server.common.throttling import UserRateThrottle
from server.media import tasks, uploads
from server.media.uploads_api import UploadOut, upload_out
from server.mixsessions.access import membership
from server.mixsessions.document_cache import document_for

router = Router(tags=["reports"])

_PAGE_POLICY = (
    "default-src 'none'; style-src 'nonce-{nonce}'; font-src 'self'; base-uri 'none'; frame-ancestors 'none'"
)


class ReportOptions(Schema):
    """The tolerance that a report goes by, and the name of the target that it measures against (none if empty)."""

    tolerance_db: Annotated[float, Field(allow_inf_nan=False)] = Tolerance.db
    tolerance_seconds: Annotated[float, Field(allow_inf_nan=False)] = Tolerance.seconds
    target: Annotated[str, Field(max_length=40)] = ""

    def checked(self) -> dict[str, Any]:
        """The options as they are stored. NeedleError or ApiError if one is not allowed."""
        Tolerance(self.tolerance_db, self.tolerance_seconds)
        if self.target and self.target not in TARGETS:
            raise ApiError("analysis.unknown_target", 422, target=self.target, choices=TARGETS)
        return {name: getattr(self, name) for name in ReportOptions.model_fields}


class ReportIn(ReportOptions):
    """What to report on: a revision, and a stretch in seconds (the whole piece where ``end`` is 0)."""

    revision: Annotated[int, Field(ge=0)]
    title: Annotated[str, Field(max_length=200)] = ""
    start: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0
    end: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0


class ReportOut(Schema):
    """How a report stands; ``progress`` is 0…1. One of a file has no revision."""

    id: UUID
    title: str
    revision: int | None
    start: float
    end: float
    status: str
    progress: float
    messages: list[MessageOut]


@router.post("/{uuid:session_id}/reports", response=ReportOut, throttle=[UserRateThrottle("report", "30/m")])
def start_report(request: HttpRequest, session_id: UUID, body: ReportIn) -> Report:
    """Begin to make a report."""
    session = membership(request.user, session_id, to_edit=True).session
    length = piece_length(document_for(session, body.revision))
    if body.start >= (body.end or length):
        raise ApiError("analysis.range_is_empty", 422)
    report = Report.objects.create(
        session=session,
        author=request.user,
        title=body.title or session.name,
        revision=body.revision,
        start=body.start,
        end=body.end,
        options=body.checked(),
    )
    tasks.begin(report, reports.measure_mix)
    return report


class ReportUploadIn(ReportOptions):
    """A file to come whose balance is measured; it is not kept."""

    name: Annotated[str, Field(min_length=1, max_length=1000)]
    size: int


class ReportUploadOut(Schema):
    """The upload, whose parts are sent like any other's, and the id of its report."""

    upload: UploadOut
    report: UUID


@router.post(
    "/{uuid:session_id}/reports/uploads", response=ReportUploadOut, throttle=[UserRateThrottle("upload", "300/m")]
)
def begin_report_upload(request: HttpRequest, session_id: UUID, body: ReportUploadIn) -> ReportUploadOut:
    """Announce a file for a report."""
    session = membership(request.user, session_id, to_edit=True).session
    options = body.checked()
    with transaction.atomic():
        upload = uploads.begin(session, request.user, body.name, body.size, "report")
        report = Report.objects.create(
            session=session, author=request.user, title=upload.name, options=options, upload=upload
        )
    return ReportUploadOut(upload=upload_out(upload), report=report.pk)


@router.get("/{uuid:session_id}/reports", response=list[ReportOut])
def list_reports(request: HttpRequest, session_id: UUID) -> list[Report]:
    """The session's latest reports, newest first."""
    session = membership(request.user, session_id).session
    return list(Report.objects.filter(session=session).order_by("-created_at")[:20])


@router.get("/{uuid:session_id}/reports/{uuid:report_id}", response=ReportOut)
def get_report(request: HttpRequest, session_id: UUID, report_id: UUID) -> Report:
    """How a report stands."""
    return _report(request, session_id, report_id)


@router.post("/{uuid:session_id}/reports/{uuid:report_id}/cancel", response=ReportOut)
def cancel_report(request: HttpRequest, session_id: UUID, report_id: UUID) -> Report:
    """Stop a report; nothing of it is kept."""
    membership(request.user, session_id, to_edit=True)
    return tasks.cancel(_report(request, session_id, report_id))


@router.get("/{uuid:session_id}/reports/{uuid:report_id}/{form}", response={200: bytes})
def download_report(
    request: HttpRequest, session_id: UUID, report_id: UUID, form: Literal["page", "json", "curves", "sources"]
) -> HttpResponse:
    """The finished report as a page to read and print, as JSON, or its curves or sources as CSV."""
    report = _report(request, session_id, report_id)
    if report.status != Report.Status.DONE:
        raise ApiError("analysis.report_unfinished", 409)
    data = reports.report_data(report)
    if form == "page":
        nonce = secrets.token_urlsafe(16)
        page = render_to_string("report.html", {**report_context(report, data), "nonce": nonce})
        answer = HttpResponse(page, content_type="text/html; charset=utf-8")
        answer["Content-Security-Policy"] = _PAGE_POLICY.format(nonce=nonce)
        return answer
    if form == "json":
        text, kind, ending = reports.report_path(report).read_text("utf-8"), "application/json", ".json"
    else:
        text = curves_csv(data) if form == "curves" else sources_csv(data)
        kind, ending = "text/csv; charset=utf-8", f" {form}.csv"
    answer = HttpResponse(text, content_type=kind)
    name = re.sub(r"[^\w -]", "", report.title).strip() or "balance"
    revision = "" if report.revision is None else f" r{report.revision}"
    answer["Content-Disposition"] = f'attachment; filename="{name}{revision} balance{ending}"'
    return answer


def _report(request: HttpRequest, session_id: UUID, report_id: UUID) -> Report:
    membership(request.user, session_id)
    report = Report.objects.select_related("session").filter(session=session_id, pk=report_id).first()
    if report is None:
        raise ApiError("analysis.report_missing", 404)
    return report
