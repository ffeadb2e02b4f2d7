"""Sessions over HTTP: the list, a new one, the whole state, operations, undo and redo."""

from typing import Annotated, Any, Literal
from uuid import UUID

from django.db.models import Prefetch
from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema, Status
from pydantic import Field

from needle.dsp.pan_modes import MOST_INPUTS, modes_for
from needle.layouts import layout_named
from needle.render.preview_tables import gain_table, shape_tables
from needle.session.document import empty_document, piece_length, tempo_map
from server.accounts.names import shown_name
from server.common.pool import call
from server.common.throttling import UserRateThrottle
from server.mixsessions.access import membership
from server.mixsessions.document_cache import document_for
from server.mixsessions.documents import DocumentOut
from server.mixsessions.entities import StoredPoint
from server.mixsessions.fields import Name
from server.mixsessions.log import present, turns_of
from server.mixsessions.models import Membership, MixSession
from server.mixsessions.outlines import outlines_of
from server.mixsessions.services import create_session, delete_session, set_archived

router = Router(tags=["sessions"])


class Person(Schema):
    """Somebody in a session."""

    id: int
    name: str
    role: str
    colour: int


class Standing(Schema):
    """Where a source stands, for a small picture of the session."""

    colour: int
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
    created_at: str
    archived: bool
    people: list[Person]
    places: list[Standing]


class Bar(Schema):
    """Where a bar's beats fall (s), the beat of the piece it begins on, and its beats' note value."""

    bar: int
    times: list[float]
    beat: float
    unit: int


class Frame(Schema):
    """What a page measures by: how long the piece is (s), its bars, and the core's tables under its pan law.

    ``modes``: the names of the ways of panning that a source is offered, by its number of channels.
    """

    revision: int
    length: float
    bars: list[Bar]
    gains: dict[str, Any]
    shapes: dict[str, Any]
    modes: dict[int, list[str]]


class TurnOut(Schema):
    """One's own operation that an undo or redo would take back, in the engineer's words."""

    revision: int
    summary: str


class TurnsOut(Schema):
    """What one's next undo and redo would be; None where there is nothing."""

    undo: TurnOut | None
    redo: TurnOut | None

    @classmethod
    def of(cls, session: MixSession, user) -> "TurnsOut":
        turns = turns_of(session, user)
        undo, redo = (turn and TurnOut(revision=turn[0], summary=turn[1]) for turn in (turns.undo, turns.redo))
        return cls(undo=undo, redo=redo)


class OpenSession(Schema):
    """Everything a browser needs to show a session."""

    id: UUID
    revision: int
    role: str
    document: DocumentOut
    frame: Frame
    turns: TurnsOut
    people: list[Person]


class PointsChange(Schema):
    """The stretch of a lane's points that is another now: so many ``removed`` ``at`` an index, some ``inserted``."""

    at: int
    removed: int
    inserted: list[StoredPoint]


class EntityChange(Schema):
    """What has changed of an entity (``server.mixsessions.deltas``): all of it, fields, or points of a lane."""

    part: str
    key: str
    value: dict[str, Any] | None = None
    fields: dict[str, Any] | None = None
    cleared: list[str] | None = None
    points: PointsChange | None = None


class Who(Schema):
    """Somebody, by id and name."""

    id: int
    name: str


class OverOut(Schema):
    """A colleague's change of the same that a change went over: its author had not seen it."""

    revision: int
    author: Who
    summary: str


class Author(Schema):
    """Whose change it was: a former member has no id any more."""

    id: int | None
    name: str


class RevisionOut(Schema):
    """A revision as everybody in the session is told of it."""

    type: Literal["revision"]
    revision: int
    client_id: UUID
    author: Author
    kind: str
    summary: str
    overwrote: list[OverOut]
    delta: list[EntityChange]


class NewSession(Schema):
    """A session to be made. A bar has ``beats`` of a ``unit`` note."""

    name: Name
    rate: int = 48000
    bpm: Annotated[float, Field(ge=10, le=400, allow_inf_nan=False)] = 120.0
    beats: Annotated[int, Field(ge=1, le=32)] = 4
    unit: int = 4
    layout: Annotated[str, Field(max_length=16)] = "0+2+0"


class Started(Schema):
    """A session that was made."""

    id: UUID


def _people(members) -> list[Person]:
    return [Person(id=m.user_id, name=shown_name(m.user), role=m.role, colour=m.colour) for m in members]


@router.get("", response=list[SessionRow])
def list_sessions(request: HttpRequest) -> list[SessionRow]:
    """The sessions one belongs to, latest change first."""
    everybody = Prefetch("session__members", Membership.objects.select_related("user").order_by("colour"))
    mine = Membership.objects.filter(user=request.user).select_related("session").prefetch_related(everybody)
    members = list(mine.order_by("-session__changed_at"))
    outlines = outlines_of([member.session for member in members])
    return [
        SessionRow(
            id=member.session.id,
            name=member.session.name,
            role=member.role,
            sources=len(outlines[member.session_id].places),
            length=outlines[member.session_id].length,
            layout=member.session.layout,
            bpm=member.session.tempos[0][1],
            revision=member.session.revision,
            changed_at=member.session.changed_at.isoformat(),
            created_at=member.session.created_at.isoformat(),
            archived=member.archived,
            people=_people(member.session.members.all()),
            places=[Standing(colour=colour, pan=pan) for colour, pan in outlines[member.session_id].places],
        )
        for member in members
    ]


@router.post("", response=OpenSession, by_alias=True, throttle=[UserRateThrottle("session", "30/m")])
def new_session(request: HttpRequest, body: NewSession) -> HttpResponse:
    """Make a session of one's own; its length follows its sources."""
    document = empty_document(body.name, body.rate, length=0.0)
    document["session"].update(tempos=[[0.0, body.bpm]], metres=[[1, body.beats, body.unit]], layout=body.layout)
    return open_session(request, create_session(document, request.user).id)


@router.delete("/{uuid:session_id}", response={204: None})
def delete_own_session(request: HttpRequest, session_id: UUID) -> Status:
    """Delete a session of one's own for everybody, with its history, comments and exports."""
    delete_session(request.user, session_id)
    return Status(204, None)


class MembershipChange(Schema):
    """Whether a session is archived in one's own list."""

    archived: bool


@router.patch("/{uuid:session_id}/membership", response=list[SessionRow])
def change_membership(request: HttpRequest, session_id: UUID, body: MembershipChange) -> list[SessionRow]:
    """Archive a session in one's own list, or restore it; one's list as it is then."""
    membership(request.user, session_id)
    set_archived(request.user, session_id, body.archived)
    return list_sessions(request)


class CopyIn(Schema):
    """What a copy is called."""

    name: Name


@router.post("/{uuid:session_id}/copy", response=Started, throttle=[UserRateThrottle("session", "30/m")])
def copy_session(request: HttpRequest, session_id: UUID, body: CopyIn) -> Started:
    """Make a session of one's own that begins as this one stands, without its people, history and comments."""
    membership(request.user, session_id, to_edit=True)
    document, _ = present(session_id)
    document["session"] = {**document["session"], "name": body.name}
    return Started(id=create_session(document, request.user).id)


@router.get("/{uuid:session_id}", response=OpenSession, by_alias=True)
def open_session(request: HttpRequest, session_id: UUID) -> HttpResponse:
    """The session's state at its latest revision."""
    member = membership(request.user, session_id)
    return HttpResponse(call(member.user_id, _opened, member), content_type="application/json; charset=utf-8")


def _opened(member: Membership) -> bytes:
    """What opens a session for a member, as JSON: a large one takes a while to be written."""
    session = member.session
    revision = MixSession.objects.values_list("revision", flat=True).get(pk=session.pk)
    document = document_for(session, revision)
    opened = OpenSession(
        id=session.pk,
        revision=revision,
        role=member.role,
        document=document,
        frame=frame_of(document, revision),
        turns=TurnsOut.of(session, member.user),
        people=_people(session.members.select_related("user").order_by("colour")),
    )
    return opened.model_dump_json(by_alias=True).encode()


def frame_of(document: dict[str, Any], revision: int) -> Frame:
    """What a page measures by at a revision."""
    settings = document["session"]
    return Frame(
        revision=revision,
        length=piece_length(document),
        bars=bars_of(document),
        gains=gain_table(settings["law"], settings["centre_zero"]),
        shapes=shape_tables(),
        modes={
            channels: [mode.name for mode in modes_for(channels, layout_named(settings["layout"]).surround)]
            for channels in range(1, MOST_INPUTS + 1)
        },
    )


def bars_of(document: dict[str, Any]) -> list[Bar]:
    """Every bar of a session, so that a page can draw and snap to them without knowing tempo."""
    tempo = tempo_map(document)
    result = []
    for bar in tempo.bars_until(piece_length(document)):
        beats, unit = tempo.metre_of_bar(bar)
        first = tempo.beat_of_bar(bar)
        times = [tempo.seconds_at(first + i * 4.0 / unit) for i in range(beats)]
        result.append(Bar(bar=bar, times=times, beat=first, unit=unit))
    return result


@router.get("/{uuid:session_id}/frame", response=Frame)
def get_frame(request: HttpRequest, session_id: UUID) -> Frame:
    """What a page measures by, at the latest revision."""
    membership(request.user, session_id)
    return frame_of(*present(session_id))
