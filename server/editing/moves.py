"""Moves over HTTP: range operations as drafts to look at and hear, clips and where to paste them, recorded takes."""

from dataclasses import asdict
from typing import Annotated, Literal
from uuid import UUID

from django.contrib.auth.models import User
from django.http import HttpRequest
from ninja import Query, Router, Schema, Status
from pydantic import Field

from needle.automation import clips, edits
from needle.automation.curve import Point, stored
from needle.automation.grid import bars_words
from needle.automation.parameters import parameter_named
from needle.automation.recording import GLIDE_SECONDS, MOST_SAMPLES
from needle.session.document import piece_length, tempo_map
from needle.session.owners import check_moves, lane_in, static_in
from server.common import pool
from server.common.errors import ApiError
from server.editing.drafting import Drafting, forget, lane_history, own_takes, record_take
from server.editing.models import Draft
from server.editing.operations.lanes import Owner
from server.editing.range_edits import AnyEdit, edit_from
from server.mixsessions.access import membership
from server.mixsessions.document_cache import document_for
from server.mixsessions.entities import StoredPoint, Time
from server.mixsessions.fields import Finite, Key
from server.mixsessions.models import MixSession

router = Router(tags=["moves"])

MOST_LANES = 256
MOST_TARGETS = 512
Seconds = Annotated[float, Field(gt=0.0, le=24 * 3600.0, allow_inf_nan=False)]
Revision = Annotated[int, Field(ge=0)]


class LaneName(Schema):
    """A lane: what it belongs to, and the parameter."""

    owner: Owner
    parameter: Key


class EditedLane(LaneName):
    """A lane that is edited; ``mirrored``: places that the edit names lie opposite for it."""

    mirrored: bool = False


class Stretch(Schema):
    """A stretch (s) of some lanes at a revision."""

    revision: Revision
    lanes: Annotated[list[LaneName], Field(min_length=1, max_length=MOST_LANES)]
    start: Time
    end: Time


class EditIn(Stretch):
    """A range operation: ``glide`` (s) leads there and back, or what it arrives with is to ``stay``."""

    lanes: Annotated[list[EditedLane], Field(min_length=1, max_length=MOST_LANES)]
    edit: AnyEdit
    glide: Annotated[float, Field(ge=0.0, le=600.0, allow_inf_nan=False)] = 0.0
    stay: bool = False


class Write(Schema):
    """A stretch of a lane that is written, as ``write-points`` has it."""

    owner: str
    parameter: str
    start: float
    end: float
    points: list[StoredPoint]


class DraftOut(Schema):
    """What a change would write: to be looked at, heard by its id, and applied as ``write-points``."""

    id: UUID
    revision: int
    summary: str
    writes: list[Write]


class ClipIn(Schema):
    """What was copied: from ``start`` (s), ``seconds`` long, points by parameter from 0 s on."""

    start: Time
    seconds: Seconds
    lanes: dict[Key, Annotated[list[StoredPoint], Field(min_length=2, max_length=edits.MOST_POINTS)]]

    def clip(self) -> clips.Clip:
        lanes = {name: tuple(Point(**p.model_dump()) for p in points) for name, points in self.lanes.items()}
        return clips.Clip(self.start, self.seconds, lanes)


class Target(Schema):
    """Where a clip is put down: on whose lanes, and at which time (s)."""

    owner: Owner
    at: Time


class PasteIn(Schema):
    """Puts a clip down on targets, ``mirrored`` if wished, as many beats or as many seconds long as it was.

    ``onto`` names the lanes that are pasted and where each goes: copied parameter to parameter of the same kind.
    Without it all go where they came from.
    """

    revision: Revision
    clip: ClipIn
    targets: Annotated[list[Target], Field(min_length=1, max_length=MOST_TARGETS)]
    onto: Annotated[dict[Key, Key], Field(min_length=1, max_length=MOST_LANES)] | None = None
    mirrored: bool = False
    by_beats: bool = True
    glide: Annotated[float, Field(ge=0.0, le=600.0, allow_inf_nan=False)] = 0.0


class PlacesIn(Schema):
    """Which places are asked for: passages of a ``name``, or ``every`` so many bars."""

    revision: Revision
    start: Time
    end: Time
    kind: Literal["passages", "bars"]
    name: Annotated[str, Field(max_length=120)] = ""
    every: Annotated[int, Field(ge=1, le=999)] = 4


class PlaceOut(Schema):
    """A time (s) at which a clip may be put down, why there, and how alike the sound is (0…1)."""

    at: float
    why: str
    alike: float


class HoldOfHand(Schema):
    """Values (in trim: what is added) at rising times (s), held until ``end``."""

    samples: Annotated[list[tuple[Finite, Finite]], Field(min_length=1, max_length=MOST_SAMPLES)]
    end: Time


class ControlIn(LaneName):
    """What was done with one control in one pass."""

    holds: list[HoldOfHand]


class TakeIn(Schema):
    """A pass of the playhead while controls were recorded."""

    revision: Revision
    start: Time
    end: Time
    mode: Literal["touch", "latch", "write", "trim"]
    glide: Annotated[float, Field(ge=0.0, le=10.0, allow_inf_nan=False)] = GLIDE_SECONDS
    controls: Annotated[list[ControlIn], Field(min_length=1, max_length=MOST_LANES)]


class TakeOut(DraftOut):
    """A recorded take: when it was made (ISO), its stretch (s), and how many points the hand gave."""

    created_at: str
    start: float
    end: float
    mode: str
    samples: int


class LaneChange(Schema):
    """A revision that changed a lane."""

    revision: int
    summary: str
    author: str
    created_at: str


@router.post("/{uuid:session_id}/moves/edit", response=DraftOut)
def preview_edit(request: HttpRequest, session_id: UUID, body: EditIn) -> DraftOut:
    """A range operation on one or several lanes, as a draft."""
    session = membership(request.user, session_id, to_edit=True).session
    return pool.call(request.user.pk, draft_edit, session, request.user, body)


def draft_edit(session: MixSession, user: User, body: EditIn) -> DraftOut:
    """A range operation on lanes, as a draft."""
    drafting = Drafting(session, document_for(session, body.revision), body.revision)
    change = edit_from(body.edit)
    for lane in body.lanes:
        own = change.on_other_side() if lane.mirrored else change
        drafting.change(lane.owner, lane.parameter, body.start, body.end, own, body.glide, body.stay)
    who = drafting.whose(lane.owner for lane in body.lanes)
    summary = f"{who}: {bars_words(drafting.tempo, body.start, body.end)} {change.title}"
    return draft_out(drafting.draft(user, summary))


@router.post("/{uuid:session_id}/moves/clip", response=ClipIn)
def copy_clip(request: HttpRequest, session_id: UUID, body: Stretch) -> ClipIn:
    """A range of one owner's lanes, to be pasted elsewhere."""
    session = membership(request.user, session_id, to_edit=True).session
    if len({lane.owner for lane in body.lanes}) > 1:
        raise ApiError("edit.copy_one_source", 422)
    return pool.call(request.user.pk, clip_of_lanes, session, body)


def clip_of_lanes(session: MixSession, body: Stretch) -> ClipIn:
    """A range of one owner's lanes as a clip."""
    document = document_for(session, body.revision)
    lanes = {
        lane.parameter: (
            lane_in(document, lane.owner, lane.parameter),
            static_in(document, lane.owner, lane.parameter),
        )
        for lane in body.lanes
    }
    result = clips.clip_of(lanes, body.start, body.end)
    return ClipIn(
        start=result.start,
        seconds=result.seconds,
        lanes={name: stored(points) for name, points in result.lanes.items()},
    )


@router.post("/{uuid:session_id}/moves/paste", response=DraftOut)
def preview_paste(request: HttpRequest, session_id: UUID, body: PasteIn) -> DraftOut:
    """A clip put down on other places, other sources, as a draft."""
    session = membership(request.user, session_id, to_edit=True).session
    return pool.call(request.user.pk, draft_paste, session, request.user, body)


def draft_paste(session: MixSession, user: User, body: PasteIn) -> DraftOut:
    """A clip put down on targets, as a draft."""
    drafting = Drafting(session, document_for(session, body.revision), body.revision)
    clip = body.clip.clip()
    onto = body.onto or {name: name for name in clip.lanes}
    for copied, parameter in onto.items():
        _check_pasted_onto(clip, copied, parameter)
    for target in body.targets:
        there = clip.at(target.at, drafting.tempo, body.by_beats)
        for copied, parameter in onto.items():
            check_moves(drafting.document, target.owner, parameter)
            change = edits.Paste(there.lanes[copied], body.mirrored)
            drafting.change(target.owner, parameter, target.at, target.at + there.seconds, change, body.glide)
    who = drafting.whose(target.owner for target in body.targets)
    times = len({target.at for target in body.targets})
    how = "pasted mirrored" if body.mirrored else "pasted"
    summary = f"{who}: automation {how}" + (f" at {times} positions" if times > 1 else "")
    return draft_out(drafting.draft(user, summary))


def _check_pasted_onto(clip: clips.Clip, copied: str, parameter: str) -> None:
    """ApiError (422) unless the clip has the one, and its numbers mean the same in the other."""
    if copied not in clip.lanes:
        raise ApiError("edit.not_copied", 422, parameter=parameter_named(copied).title)
    here, there = parameter_named(copied), parameter_named(parameter)
    if here.display != there.display:
        raise ApiError("edit.other_kind_of_number", 422, copied=here.title, parameter=there.title)


@router.get("/{uuid:session_id}/moves/places", response=list[PlaceOut])
def list_paste_places(request: HttpRequest, session_id: UUID, query: Query[PlacesIn]) -> list[PlaceOut]:
    """Where a copied stretch may be put down, to be confirmed."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, find_paste_places, session, query)


def find_paste_places(session: MixSession, query: PlacesIn) -> list[PlaceOut]:
    """Where a copied stretch may be put down."""
    document = document_for(session, query.revision)
    tempo, length = tempo_map(document), piece_length(document)
    if query.kind == "bars":
        result = clips.every_bars(tempo, query.start, query.every, length)
    else:
        passages = document["passages"].values()
        result = clips.on_passages(tempo, passages, query.name, query.start, length)
    return [PlaceOut(**asdict(place)) for place in result]


@router.post("/{uuid:session_id}/moves/takes", response=TakeOut)
def create_take(request: HttpRequest, session_id: UUID, body: TakeIn) -> TakeOut:
    """A recorded pass as a take: thinned, kept until it is forgotten, applied by nobody yet."""
    session = membership(request.user, session_id, to_edit=True).session
    return pool.call(request.user.pk, thin_take, session, request.user, body, urgency=pool.Urgency.ANALYSIS)


def thin_take(session: MixSession, user: User, body: TakeIn) -> TakeOut:
    """Keep a recorded pass as a take, thinned."""
    drafting = Drafting(session, document_for(session, body.revision), body.revision)
    controls = [
        (control.owner, control.parameter, [(hold.samples, hold.end) for hold in control.holds])
        for control in body.controls
    ]
    draft = record_take(drafting, user, body.start, body.end, body.mode, body.glide, controls)
    return _take_out(draft)


@router.get("/{uuid:session_id}/moves/takes", response=list[TakeOut])
def list_takes(request: HttpRequest, session_id: UUID) -> list[TakeOut]:
    """One's own takes in a session, latest first."""
    session = membership(request.user, session_id).session
    return [_take_out(draft) for draft in own_takes(session, request.user)]


@router.delete("/{uuid:session_id}/moves/takes/{uuid:take_id}", response={204: None})
def discard_take(request: HttpRequest, session_id: UUID, take_id: UUID) -> Status:
    """Discard a take of one's own."""
    session = membership(request.user, session_id, to_edit=True).session
    forget(session, request.user, take_id)
    return Status(204, None)


@router.get("/{uuid:session_id}/moves/history", response=list[LaneChange])
def list_lane_changes(request: HttpRequest, session_id: UUID, lane: Query[LaneName]) -> list[LaneChange]:
    """The revisions that changed a lane, latest first."""
    session = membership(request.user, session_id).session
    return [
        LaneChange(
            revision=row.revision,
            summary=row.summary,
            author=row.author_name,
            created_at=row.created_at.isoformat(),
        )
        for row in lane_history(session, lane.owner, lane.parameter)
    ]


@router.get("/{uuid:session_id}/moves/lane", response=list[StoredPoint])
def get_lane(request: HttpRequest, session_id: UUID, revision: Revision, lane: Query[LaneName]) -> list[dict]:
    """A lane's points as they were at a revision."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, points_at, session, revision, lane)


def points_at(session: MixSession, revision: int, lane: LaneName) -> list[dict]:
    """A lane's points as they were at a revision."""
    return stored(lane_in(document_for(session, revision), lane.owner, lane.parameter).points)


def draft_out(draft: Draft) -> DraftOut:
    """A draft as it is told."""
    return DraftOut(id=draft.id, revision=draft.revision, summary=draft.about["summary"], writes=draft.writes)


def _take_out(draft: Draft) -> TakeOut:
    about = {name: draft.about[name] for name in ("summary", "start", "end", "mode", "samples")}
    created_at = draft.created_at.isoformat()
    return TakeOut(id=draft.id, revision=draft.revision, writes=draft.writes, created_at=created_at, **about)
