"""Sessions over HTTP: the list, a new one, the whole state, operations, undo and redo."""

from typing import Annotated, Any
from uuid import UUID

from django.db.models import Prefetch
from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field, model_validator

from needle.dsp.pan_modes import MOST_INPUTS, modes_for
from needle.layouts import layout_named
from needle.render.preview_tables import gain_table, shape_tables
from needle.session.document import empty_document, piece_length, tempo_map
from needle.session.migrations import VERSION, renamed
from server.audio.assets import check_assets
from server.mixing import revisions
from server.mixing.access import membership
from server.mixing.beginning import begin_session, set_archived
from server.mixing.deletion import delete_session
from server.mixing.documents import DocumentOut
from server.mixing.models import Member, Session, shown_name
from server.mixing.operations import AnyOperation
from server.mixing.operations.base import Name
from server.mixing.operations.migrations import EARLIEST_QUEUED, body_with_todays_names
from server.mixing.operations.things import StoredPoint
from server.mixing.outlines import outlines_of

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
    def of(cls, session: Session, user) -> "TurnsOut":
        turns = revisions.turns_of(session, user)
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
    """What has changed of an entity (``server.mixing.deltas``): all of it, some fields, or some points of a lane."""

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


class RevisionOut(Schema):
    """A revision as everybody in the session is told of it."""

    type: str
    revision: int
    client_id: UUID
    author: dict[str, Any]
    kind: str
    summary: str
    overwrote: list[OverOut]
    delta: list[EntityChange]


class Answer(Schema):
    """The kept revision, what its author should know besides, and what their next undo and redo would be."""

    revision: RevisionOut
    turns: TurnsOut
    notice: str = ""


class OperationIn(Schema):
    """An operation, the id its client made for it, and the revision that its author knew (the latest if none).

    ``format`` is the version of documents whose names it uses: a change that has waited in a browser may be older
    than the application.
    """

    client_id: UUID
    base_revision: int | None = None
    format: Annotated[int, Field(ge=EARLIEST_QUEUED, le=VERSION)] = VERSION
    operation: AnyOperation

    @model_validator(mode="before")
    @classmethod
    def _with_todays_names(cls, values: Any) -> Any:
        raw = getattr(values, "_obj", values)
        version = raw.get("format", VERSION) if isinstance(raw, dict) else VERSION
        if version == VERSION or not isinstance(version, int):
            return values
        try:
            operation = body_with_todays_names(raw["operation"], version)
            return {**renamed(raw, {"made_on": "base_revision"}), "operation": operation}
        except (KeyError, TypeError, ValueError, AttributeError, RecursionError) as error:
            raise ValueError(f"This is no operation of version {version}.") from error


class TurnIn(Schema):
    """A redo, with the id its client made for it."""

    client_id: UUID


class UndoIn(TurnIn):
    """An undo. ``before`` is a revision of one's own that is left as it is: what came before it is taken back.

    ``partly``: what a colleague has changed since stays, and the rest is taken back.
    """

    before: int | None = None
    partly: bool = False


class NewSession(Schema):
    """A session to be made. A bar has ``beats`` of a ``unit`` note."""

    name: Name
    rate: int = 48000
    bpm: Annotated[float, Field(ge=10, le=400, allow_inf_nan=False)] = 120.0
    beats: Annotated[int, Field(ge=1, le=32)] = 4
    unit: int = 4
    layout: Annotated[str, Field(max_length=16)] = "0+2+0"


class Removed(Schema):
    """Sources that were taken away together: by whom, when (ISO), and what brings each of them back."""

    revision: int
    author: str
    created_at: str
    back: list[dict[str, Any]]


class Started(Schema):
    """A session that was made."""

    id: UUID


def _people(members) -> list[Person]:
    return [Person(id=m.user_id, name=shown_name(m.user), role=m.role, colour=m.colour) for m in members]


@router.get("", response=list[SessionRow])
def sessions(request: HttpRequest) -> list[SessionRow]:
    """The sessions one belongs to, latest change first."""
    everybody = Prefetch("session__members", Member.objects.select_related("user").order_by("colour"))
    mine = Member.objects.filter(user=request.user).select_related("session").prefetch_related(everybody)
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


@router.post("", response=OpenSession, by_alias=True)
def new_session(request: HttpRequest, body: NewSession) -> OpenSession:
    """Make a session of one's own; its length follows its sources."""
    document = empty_document(body.name, body.rate, length=0.0)
    document["session"].update(tempos=[[0.0, body.bpm]], metres=[[1, body.beats, body.unit]], layout=body.layout)
    return open_session(request, begin_session(document, request.user).id)


@router.delete("/{uuid:session_id}", response={204: None})
def delete(request: HttpRequest, session_id: UUID) -> Status:
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
    return sessions(request)


class CopyIn(Schema):
    """What a copy is called."""

    name: Name


@router.post("/{uuid:session_id}/copy", response=Started)
def copy_session(request: HttpRequest, session_id: UUID, body: CopyIn) -> Started:
    """Make a session of one's own that begins as this one stands, without its people, history and comments."""
    membership(request.user, session_id, to_edit=True)
    document, _ = revisions.present(session_id)
    document["session"] = {**document["session"], "name": body.name}
    return Started(id=begin_session(document, request.user).id)


@router.get("/{uuid:session_id}", response=OpenSession, by_alias=True)
def open_session(request: HttpRequest, session_id: UUID) -> OpenSession:
    """The session's state at its latest revision."""
    member = membership(request.user, session_id)
    document, revision = revisions.present(session_id)
    return OpenSession(
        id=session_id,
        revision=revision,
        role=member.role,
        document=document,
        frame=frame_of(document, revision),
        turns=TurnsOut.of(member.session, request.user),
        people=_people(member.session.members.select_related("user").order_by("colour")),
    )


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
def frame(request: HttpRequest, session_id: UUID) -> Frame:
    """What a page measures by, at the latest revision."""
    membership(request.user, session_id)
    return frame_of(*revisions.present(session_id))


@router.get("/{uuid:session_id}/removed", response=list[Removed])
def removed(request: HttpRequest, session_id: UUID) -> list[Removed]:
    """Sources that were taken away and can be brought back, latest first."""
    membership(request.user, session_id)
    return [
        Removed(
            revision=row.revision,
            author=row.author_name,
            created_at=row.created_at.isoformat(),
            back=back,
        )
        for row in revisions.removed_sources(session_id)
        if (back := revisions.bringing_back(row))
    ]


@router.post("/{uuid:session_id}/operations", response=Answer)
def operate(request: HttpRequest, session_id: UUID, body: OperationIn) -> Answer:
    """Make one change. The same client id again gives the first answer again."""
    membership(request.user, session_id, to_edit=True)
    check_assets(session_id, body.operation)
    committed = revisions.submit(request.user, session_id, body.client_id, body.base_revision, body.operation)
    return answer_of(committed)


@router.get("/{uuid:session_id}/turns", response=TurnsOut)
def turns(request: HttpRequest, session_id: UUID) -> TurnsOut:
    """What one's next undo and redo would be."""
    return TurnsOut.of(membership(request.user, session_id).session, request.user)


@router.post("/{uuid:session_id}/undo", response=Answer)
def undo(request: HttpRequest, session_id: UUID, body: UndoIn) -> Answer:
    """Take back one's own latest change; where a colleague has changed the same since, that is asked before."""
    committed = revisions.undo(request.user, session_id, body.client_id, before=body.before, partly=body.partly)
    return answer_of(committed)


@router.post("/{uuid:session_id}/redo", response=Answer)
def redo(request: HttpRequest, session_id: UUID, body: TurnIn) -> Answer:
    """Put back what one's own latest undo took away."""
    return answer_of(revisions.redo(request.user, session_id, body.client_id))


@router.get("/{uuid:session_id}/operations", response=list[RevisionOut])
def operations(request: HttpRequest, session_id: UUID, since: int = 0) -> list[dict[str, Any]]:
    """The log after a revision, in order."""
    membership(request.user, session_id)
    return revisions.since(session_id, since)


def answer_of(committed: revisions.Committed) -> Answer:
    """A kept change as its author is told of it."""
    turns = TurnsOut.of(committed.row.session, committed.row.author)
    return Answer(
        revision=RevisionOut(**revisions.serialize_revision(committed.row)), notice=committed.notice, turns=turns
    )
