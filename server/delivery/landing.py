"""Moves that come in from a file: what is in it, where it would land, and what that would write."""

import json
import tempfile
from pathlib import Path
from typing import Annotated, Any, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import File, Form, Router, Schema, UploadedFile
from pydantic import Field, TypeAdapter, ValidationError

from needle.checks import Document, check_lane
from needle.errors import NeedleError
from needle.files.lanes import FoundLane, read_moves
from needle.files.midi_moves import read_midi_moves
from needle.moving.lane import MAX_TIME, Lane, Point
from needle.moving.ranges import MOST_POINTS
from needle.moving.thinning import thinned
from needle.owners import check_moves, moving_in, named, owned_parameter
from server.audio.drafting import Drafting
from server.audio.mixes import document_for
from server.audio.moves import DraftOut, draft_out
from server.mixing.access import Refused, membership
from server.mixing.operations.base import Key
from server.mixing.operations.lanes import Owner
from server.mixing.throttling import Often

router = Router(tags=["moves"])

MOST_BYTES = 4 << 20


class Landing(Schema):
    """Where a lane lands: what it belongs to, and the parameter."""

    source: Owner
    parameter: Key


class FoundOut(Schema):
    """A lane in a file: what it calls itself, how many points, when they begin and end (s), between which values.

    ``lands`` is where it would land by its name, None where that tells nothing; ``notes`` say how it was read.
    """

    index: int
    name: str
    parameter: str
    points: int
    start: float
    end: float
    low: float
    high: float
    lands: Landing | None
    notes: list[str]


class LandIn(Landing):
    """A lane of the file, by its number, and where it lands."""

    index: Annotated[int, Field(ge=0)]


_LANDS = TypeAdapter(Annotated[list[LandIn], Field(min_length=1, max_length=512)])


@router.post("/{uuid:session_id}/moves/found", response=list[FoundOut], throttle=[Often("moves", "120/m")])
def found_moves(
    request: HttpRequest, session_id: UUID, revision: Form[int], file: File[UploadedFile]
) -> list[FoundOut]:
    """What a file of moves holds (CSV, JSON or MIDI), and where each lane would land."""
    session = membership(request.user, session_id, to_edit=True).session
    document = document_for(session, revision)
    found = _read(file, Drafting(session, document, revision))
    taken: set[tuple[str, str]] = set()
    return [_told(index, one, document, taken) for index, one in enumerate(found)]


@router.post("/{uuid:session_id}/moves/land", response=DraftOut, throttle=[Often("moves", "120/m")])
def land_moves(
    request: HttpRequest,
    session_id: UUID,
    revision: Form[int],
    lands: Form[str],
    file: File[UploadedFile],
    over: Form[Literal["stretch", "all"]] = "stretch",
    at: Form[float] = 0.0,
) -> DraftOut:
    """What the file would write, as a draft to be heard and applied: ``lands`` is JSON, a list of ``LandIn``.

    Each lane takes the place of the ``stretch`` that it covers, or of ``all`` that was there, ``at`` seconds later.
    """
    session = membership(request.user, session_id, to_edit=True).session
    drafting = Drafting(session, document_for(session, revision), revision)
    found = _read(file, drafting)
    try:
        wanted = _LANDS.validate_python(json.loads(lands))
    except (ValueError, ValidationError) as error:
        raise Refused("Say where each lane lands.", 422) from error
    if len({(land.source, land.parameter) for land in wanted}) < len(wanted):
        raise Refused(
            "Two lanes would land in one place. Choose another place for one of them, or leave it out.", 422
        )
    if not 0.0 <= at <= MAX_TIME:
        raise Refused("Moves land at the beginning or later.", 422)
    for land in wanted:
        if land.index >= len(found):
            raise Refused("The file holds no such lane.", 422)
        _land(drafting, land, found[land.index].lane, over, at)
    if not drafting.writes:
        raise Refused("These moves are in the session as they are: there is nothing to change.", 422)
    who = drafting.whose(land.source for land in wanted)
    lanes = "a move" if len(wanted) == 1 else f"{len(wanted)} moves"
    return draft_out(drafting.draft(request.user, f"{who}: {lanes} from {(file.name or 'a file')[:60]}"))


def _land(drafting: Drafting, land: LandIn, lane: Lane, over: str, at: float) -> None:
    document = drafting.document
    check_moves(document, land.source, land.parameter)
    if len(lane.points) > MOST_POINTS:
        lane = Lane(thinned(lane.points, owned_parameter(land.source, land.parameter).grain))
    points = tuple(Point(**{**vars(point), "t": point.t + at}) for point in lane.points)
    if len(points) > MOST_POINTS:
        raise NeedleError(f"A lane holds {MOST_POINTS} points at the most; this one has {len(points)}.")
    try:
        fresh = check_lane(land.parameter, Lane(points))
    except NeedleError as error:
        raise NeedleError(f"{named(document, land.source)}: {error}") from error
    before, _ = drafting.lane(land.source, land.parameter)
    after = fresh if over == "all" else before.with_range(points[0].t, points[-1].t, points)
    drafting.put(land.source, land.parameter, after)


def _read(file: UploadedFile, drafting: Drafting) -> list[FoundLane]:
    if file.size > MOST_BYTES:
        raise Refused(f"That is too large for a file of moves ({MOST_BYTES >> 20} MB is the most).", 413)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "sent"
        path.write_bytes(file.read())
        try:
            if path.read_bytes()[:4] == b"MThd":
                return read_midi_moves(path, drafting.tempo)
            return read_moves(path)
        except NeedleError as error:
            raise NeedleError(str(error).replace(path.name, file.name or "The file", 1)) from error


def _told(index: int, one: FoundLane, document: Document, taken: set[tuple[str, str]]) -> FoundOut:
    values = [point.value for point in one.lane.points]
    return FoundOut(
        index=index,
        name=one.name or one.belongs_to,
        parameter=one.parameter,
        points=len(values),
        start=one.lane.points[0].t,
        end=one.lane.points[-1].t,
        low=min(values),
        high=max(values),
        lands=_lands(one, document, taken),
        notes=list(one.notes),
    )


def _lands(one: FoundLane, document: Document, taken: set[tuple[str, str]]) -> Landing | None:
    """Where a lane lands by what it calls itself: its id, else its name."""
    for owner in _called(one, document):
        for parameter in _fitting(one.parameter, owner, document):
            if (owner, parameter) in taken:
                continue
            try:
                check_moves(document, owner, parameter)
            except NeedleError:
                continue
            taken.add((owner, parameter))
            return Landing(source=owner, parameter=parameter)
    return None


def _called(one: FoundLane, document: Document) -> list[str]:
    owners = [
        *document["sources"],
        *(f"{kind}:{key}" for kind, part in _OTHERS for key in document[part]),
        "room:mix",
    ]
    if one.belongs_to in owners:
        return [one.belongs_to]
    wanted = (one.name or one.belongs_to).strip().casefold()
    return [owner for owner in owners if wanted and named(document, owner).strip().casefold() == wanted]


def _fitting(parameter: str, owner: str, document: Document) -> list[str]:
    """The parameter itself; for a place without a side, what tells the place of a source panned as it is."""
    source: dict[str, Any] | None = document["sources"].get(owner)
    if parameter in ("", "pan") and source is not None:
        return [name for name in moving_in(source["mode"]) if name.startswith("pan")]
    return [parameter or "pan"]


_OTHERS = (("return", "returns"), ("group", "groups"), ("send", "sends"), ("layer", "layers"))
