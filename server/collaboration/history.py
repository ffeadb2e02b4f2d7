"""The session's history over HTTP: who did what and when, what has become different, named versions, putting back."""

from dataclasses import asdict
from datetime import datetime
from typing import Annotated, Any
from uuid import UUID

from django.http import HttpRequest
from ninja import Query, Router, Schema, Status
from pydantic import Field

from needle.balance.loudness_matching import matching_trim
from needle.balance.progress import Steps
from needle.errors import NeedleError
from needle.session.restoring import lines_as_they_were, moves_as_they_were, source_as_it_was
from server.accounts.names import shown_name
from server.analysis.balance import During
from server.collaboration.differences import differences
from server.collaboration.models import Version
from server.common import pool
from server.common.errors import ApiError
from server.common.pool import poll_job
from server.editing import services
from server.editing.api import Answer, answer_of
from server.editing.conflicts import meeting
from server.editing.operations import PutThings
from server.editing.restoring import checked, touched_as_it_was
from server.media.mixes import mix_at
from server.mixsessions.access import membership
from server.mixsessions.api import OverOut, Who
from server.mixsessions.document_cache import document_for
from server.mixsessions.entities import StoredPoint
from server.mixsessions.fields import Name
from server.mixsessions.log import document_at
from server.mixsessions.models import MixSession, OperationRecord
from server.mixsessions.state import stored_document

router = Router(tags=["history"])

ROWS = 60
MOST_VERSIONS = 500

Revision = Annotated[int, Field(ge=0)]
Seconds = Annotated[float, Field(ge=0, allow_inf_nan=False)]


class HistoryIn(Schema):
    """Which rows: before a revision, by a person, of a source, and between two moments (ISO)."""

    before: Revision = 0
    author: int = 0
    source: Annotated[str, Field(max_length=64)] = ""
    since: datetime | None = None
    until: datetime | None = None


class HistoryRow(Schema):
    """One change: who, when (ISO), what, whether it was undone since, and whose unseen changes it went over."""

    revision: int
    author: Who
    created_at: str
    kind: str
    summary: str
    undone: bool
    overwrote: list[OverOut]


class HistoryOut(Schema):
    """Rows, the latest first; ``more`` is the revision to ask for those before, 0 at the beginning."""

    rows: list[HistoryRow]
    more: int


class DifferenceOut(Schema):
    """A thing that differs, then and now in a few words."""

    part: str
    key: str
    source: str
    name: str
    then: str
    now: str


class ComparedOut(Schema):
    """What differs between a revision and a later one, and what lanes that differ followed then."""

    revision: int
    now: int
    differences: list[DifferenceOut]
    lanes: dict[str, list[StoredPoint]]


class MatchedOut(Schema):
    """How much louder a revision has to be made to be as loud as a later one (dB), once ``done`` is 1."""

    done: float
    trim: float


class RestoreIn(Schema):
    """What is put as it was: everything, or a source, or what moves in a stretch (s), or of one source in it."""

    client_id: UUID
    source: Annotated[str, Field(max_length=64)] = ""
    start: Seconds | None = None
    end: Seconds | None = None


class RestoreChangeIn(Schema):
    """Which later revision went over it: only what that touched is put back."""

    client_id: UUID
    by: Revision


class VersionIn(Schema):
    name: Name
    revision: Revision


class VersionOut(Schema):
    """A revision with a name; ``created_at`` is ISO."""

    id: UUID
    name: str
    revision: int
    author: str
    created_at: str


@router.get("/{uuid:session_id}/history", response=HistoryOut)
def get_history(request: HttpRequest, session_id: UUID, query: Query[HistoryIn]) -> HistoryOut:
    """What was changed, the latest first."""
    session = membership(request.user, session_id).session
    rows = OperationRecord.objects.filter(session=session).select_related("author").order_by("-revision")
    rows = rows.defer("body", "inverse", "delta", "touches")
    if query.before:
        rows = rows.filter(revision__lt=query.before)
    if query.author:
        rows = rows.filter(author=query.author)
    if query.since:
        rows = rows.filter(created_at__gte=query.since)
    if query.until:
        rows = rows.filter(created_at__lt=query.until)
    if query.source:
        rows = rows.filter(subjects__name=query.source, subjects__changed=True)
    result = list(rows[: ROWS + 1])
    more = result[ROWS - 1].revision if len(result) > ROWS else 0
    result = result[:ROWS]
    undone = set(OperationRecord.objects.filter(undoes__in=result).values_list("undoes", flat=True))
    return HistoryOut(rows=[_row(row, row.pk in undone) for row in result], more=more)


def _row(row: OperationRecord, undone: bool) -> HistoryRow:
    return HistoryRow(
        revision=row.revision,
        author=Who(id=row.author_id, name=row.author_name),
        created_at=row.created_at.isoformat(),
        kind=row.kind,
        summary=row.summary,
        undone=undone,
        overwrote=row.overwrote,
    )


@router.get("/{uuid:session_id}/history/{int:then}/differences", response=ComparedOut)
def list_differences(request: HttpRequest, session_id: UUID, then: int, revision: Revision) -> ComparedOut:
    """What differs between a revision and the one that is worked on."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, compare_revisions, session, then, revision)


def compare_revisions(session: MixSession, then: int, revision: int) -> ComparedOut:
    """What differs between two revisions."""
    old, new = document_for(session, then), document_for(session, revision)
    result = [DifferenceOut(**asdict(difference)) for difference in differences(old, new)]
    return ComparedOut(revision=then, now=revision, differences=result, lanes=lines_as_they_were(new, old))


@router.get("/{uuid:session_id}/history/{int:then}/loudness-match", response=MatchedOut)
def match_loudness(
    request: HttpRequest, session_id: UUID, then: int, revision: Revision, during: Query[During]
) -> MatchedOut:
    """What makes a revision as loud as the one that is worked on, over a stretch (to the end where ``end`` is 0).

    Long work: asked again until ``done`` is 1.
    """
    session = membership(request.user, session_id).session
    key = ("matched", session_id, then, revision, during.model_dump_json())
    done, trim = poll_job(request.user.pk, key, find_matching_trim, session, then, revision, during)
    return MatchedOut(done=done, trim=round(trim or 0.0, 2))


def find_matching_trim(session: MixSession, then: int, revision: int, during: During) -> Steps[float]:
    """What makes one revision as loud as another (dB)."""
    return matching_trim(mix_at(session, then), mix_at(session, revision), during.measured)


@router.post("/{uuid:session_id}/history/{int:then}/restore", response=Answer)
def restore_revision(request: HttpRequest, session_id: UUID, then: int, body: RestoreIn) -> Answer:
    """Put things as they were at a revision, as a new change that can be undone."""
    membership(request.user, session_id, to_edit=True)

    def operation(session: MixSession) -> PutThings:
        now, old = stored_document(session), document_at(session_id, then)
        what = f"r{then}"
        if body.start is not None or body.end is not None:
            if body.start is None or body.end is None or body.end <= body.start:
                raise NeedleError("history.range_is_empty")
            whose = f"{now['sources'].get(body.source, {}).get('name', body.source)}: " if body.source else ""
            target = checked(moves_as_they_were(now, old, body.start, body.end, body.source))
            return _changing(f"{whose}moves of {body.start:.1f}–{body.end:.1f} s as in {what}", now, target)
        if body.source:
            target = checked(source_as_it_was(now, old, body.source))
            return _changing(f"{target['sources'][body.source]['name']} as in {what}", now, target)
        return _changing(f"Everything as in {what}", now, old)

    return answer_of(services.submit_derived(request.user, session_id, body.client_id, operation))


@router.post("/{uuid:session_id}/history/{int:then}/restore-change", response=Answer)
def restore_change(request: HttpRequest, session_id: UUID, then: int, body: RestoreChangeIn) -> Answer:
    """Put what one change had set as it was after it, where the later one has gone over it."""
    membership(request.user, session_id, to_edit=True)

    def operation(session: MixSession) -> PutThings:
        rows = {row.revision: row for row in session.operations.filter(revision__in=(then, body.by))}
        if rows.keys() != {then, body.by}:
            raise ApiError("history.revision_missing", 404)
        touches = meeting(rows[then], rows[body.by])
        now, old = stored_document(session), document_at(session_id, then)
        return _changing(f"Restored: {rows[then].summary}", now, checked(touched_as_it_was(now, old, touches)))

    return answer_of(services.submit_derived(request.user, session_id, body.client_id, operation))


def _changing(what: str, now: dict[str, Any], target: dict[str, Any]) -> PutThings:
    operation = PutThings.between(what, now, target)
    if not operation.things:
        raise NeedleError("history.nothing_to_restore")
    return operation


@router.get("/{uuid:session_id}/versions", response=list[VersionOut])
def list_versions(request: HttpRequest, session_id: UUID) -> list[VersionOut]:
    """The named versions, the latest revision first."""
    session = membership(request.user, session_id).session
    return [_version_out(version) for version in session.versions.select_related("author")]


@router.post("/{uuid:session_id}/versions", response=VersionOut)
def name_version(request: HttpRequest, session_id: UUID, body: VersionIn) -> VersionOut:
    """Give a revision a name, or another one."""
    session = membership(request.user, session_id, to_edit=True).session
    if body.revision > session.revision:
        raise ApiError("history.revision_outdated", 409, latest=session.revision, revision=body.revision)
    if session.versions.exclude(revision=body.revision).count() >= MOST_VERSIONS:
        raise ApiError("history.too_many_versions", 409, most=MOST_VERSIONS)
    named = {"name": body.name, "author": request.user}
    version, _ = Version.objects.update_or_create(session=session, revision=body.revision, defaults=named)
    return _version_out(version)


@router.delete("/{uuid:session_id}/versions/{uuid:version_id}", response={204: None})
def delete_version(request: HttpRequest, session_id: UUID, version_id: UUID) -> Status:
    """Take a name away; the revision stays."""
    session = membership(request.user, session_id, to_edit=True).session
    deleted, _ = session.versions.filter(pk=version_id).delete()
    if not deleted:
        raise ApiError("history.version_missing", 404)
    return Status(204, None)


def _version_out(version: Version) -> VersionOut:
    return VersionOut(
        id=version.id,
        name=version.name,
        revision=version.revision,
        author=shown_name(version.author),
        created_at=version.created_at.isoformat(),
    )
