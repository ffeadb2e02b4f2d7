"""Sessions over HTTP: the list, the whole state, operations, undo and redo."""

from typing import Any
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema

from needle.rendering.tables import gain_table, shape_tables
from needle.session import tempo_map
from server.mixing import revisions
from server.mixing.access import membership
from server.mixing.models import Member
from server.mixing.operations import AnyOperation
from server.mixing.state import stored_document

router = Router(tags=["sessions"])


class Person(Schema):
    """Somebody in a session."""

    id: int
    name: str
    role: str
    colour: int


class Standing(Schema):
    """Where a source stands, for a small picture of the session."""

    ink: int
    pan: float


class SessionRow(Schema):
    """A session as the list shows it."""

    id: UUID
    name: str
    role: str
    sources: int
    length: float
    layout: str
    bpm: float
    revision: int
    changed_at: str
    people: list[Person]
    places: list[Standing]


class PointOut(Schema):
    t: float
    value: float
    shape: str
    tension: float


class SettingsOut(Schema):
    name: str
    rate: int
    length: float
    layout: str
    tempos: list[tuple[float, float]]
    metres: list[tuple[int, int, int]]
    law: str
    centre_zero: bool


class SourceOut(Schema):
    id: str
    name: str
    ink: int
    order: int
    asset: str
    channels: int
    start: float
    gain: float
    level: float
    muted: bool
    mode: str
    pan: float


class LaneOut(Schema):
    id: str
    source: str
    parameter: str
    points: list[PointOut]


class PassageOut(Schema):
    id: str
    name: str
    start: float
    end: float


class DocumentOut(Schema):
    """A session's whole state."""

    session: SettingsOut
    sources: dict[str, SourceOut]
    lanes: dict[str, LaneOut]
    passages: dict[str, PassageOut]


class Bar(Schema):
    """Where a bar's beats fall (s), the beat of the piece it begins on, and its beats' note value."""

    bar: int
    times: list[float]
    beat: float
    unit: int


class OpenSession(Schema):
    """Everything a browser needs to show a session."""

    id: UUID
    revision: int
    role: str
    document: DocumentOut
    bars: list[Bar]
    people: list[Person]


class ChangeOut(Schema):
    """A thing as it stands after a revision; ``value`` is None where it was taken away."""

    part: str
    key: str
    value: dict[str, Any] | None


class RevisionOut(Schema):
    """A revision as everybody in the session is told of it."""

    type: str
    revision: int
    client_id: UUID
    author: dict[str, Any]
    kind: str
    said: str
    changes: list[ChangeOut]


class Answer(Schema):
    """The kept revision, and what its author should know besides."""

    revision: RevisionOut
    notice: str = ""


class OperationIn(Schema):
    """An operation with the id its client made for it and the revision it was made on."""

    client_id: UUID
    made_on: int
    operation: AnyOperation


class TurnIn(Schema):
    """An undo or redo, with the id its client made for it."""

    client_id: UUID


class Tables(Schema):
    """The core's tables for a held hand: gains by position, and the shapes between points."""

    gains: dict[str, Any]
    shapes: dict[str, Any]


def _people(members) -> list[Person]:
    return [
        Person(id=m.user_id, name=m.user.get_full_name() or m.user.username, role=m.role, colour=m.colour)
        for m in members
    ]


@router.get("", response=list[SessionRow])
def sessions(request: HttpRequest) -> list[SessionRow]:
    """The sessions one belongs to, latest change first."""
    mine = Member.objects.filter(user=request.user).select_related("session")
    rows = []
    for member in mine.order_by("-session__changed_at"):
        session = member.session
        rows.append(
            SessionRow(
                id=session.id,
                name=session.name,
                role=member.role,
                sources=len(places := list(session.source_set.values("ink", "pan"))),
                length=session.length,
                layout=session.layout,
                bpm=session.tempos[0][1],
                revision=session.revision,
                changed_at=session.changed_at.isoformat(),
                people=_people(session.members.select_related("user").order_by("colour")),
                places=places,
            )
        )
    return rows


@router.get("/{uuid:session_id}", response=OpenSession)
def open_session(request: HttpRequest, session_id: UUID) -> OpenSession:
    """The session's state at its latest revision."""
    member = membership(request.user, session_id)
    with revisions.steady(session_id) as session:
        document, revision = stored_document(session), session.revision
    return OpenSession(
        id=session_id,
        revision=revision,
        role=member.role,
        document=document,
        bars=bars_of(document),
        people=_people(session.members.select_related("user").order_by("colour")),
    )


def bars_of(document: dict[str, Any]) -> list[Bar]:
    """Every bar of a session, so that a page can draw and snap to them without knowing tempo."""
    tempo = tempo_map(document)
    found = []
    for bar in tempo.bars_until(document["session"]["length"]):
        beats, unit = tempo.metre_of_bar(bar)
        first = tempo.beat_of_bar(bar)
        times = [tempo.seconds_at(first + i * 4.0 / unit) for i in range(beats)]
        found.append(Bar(bar=bar, times=times, beat=first, unit=unit))
    return found


@router.get("/{uuid:session_id}/tables", response=Tables)
def tables(request: HttpRequest, session_id: UUID) -> Tables:
    """The core's tables under the session's pan law."""
    session = membership(request.user, session_id).session
    return Tables(gains=gain_table(session.law, session.centre_zero), shapes=shape_tables())


@router.post("/{uuid:session_id}/operations", response=Answer)
def operate(request: HttpRequest, session_id: UUID, given: OperationIn) -> Answer:
    """Make one change. The same client id again gives the first answer again."""
    made = revisions.submit(request.user, session_id, given.client_id, given.made_on, given.operation)
    return _answer(made)


@router.post("/{uuid:session_id}/undo", response=Answer)
def undo(request: HttpRequest, session_id: UUID, given: TurnIn) -> Answer:
    """Take back one's own latest change that still can be."""
    return _answer(revisions.undo(request.user, session_id, given.client_id))


@router.post("/{uuid:session_id}/redo", response=Answer)
def redo(request: HttpRequest, session_id: UUID, given: TurnIn) -> Answer:
    """Put back what one's own latest undo took away."""
    return _answer(revisions.redo(request.user, session_id, given.client_id))


@router.get("/{uuid:session_id}/operations", response=list[RevisionOut])
def operations(request: HttpRequest, session_id: UUID, since: int = 0) -> list[dict[str, Any]]:
    """The log after a revision, in order."""
    membership(request.user, session_id)
    return revisions.since(session_id, since)


def _answer(made: revisions.Made) -> Answer:
    return Answer(revision=RevisionOut(**revisions.told(made.row)), notice=made.notice)
