"""Moves that come in from a file: what is in it, where it goes, and what that would write."""

import json
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any, Literal, TypeVar
from uuid import UUID

from django.contrib.auth.models import User
from django.http import HttpRequest
from ninja import File, Form, Router, Schema, UploadedFile
from pydantic import Field, TypeAdapter, ValidationError

from needle.automation.curve import MAX_TIME
from needle.errors import NeedleError
from needle.io.import_targets import Place, landed, landing_places
from needle.io.intake import lanes_in
from needle.io.lanes import FoundLane
from needle.session.document import tempo_map
from needle.session.owners import audible_parameters, named, owners_in
from needle.tempo import TempoMap
from server.common import pool
from server.common.errors import ApiError
from server.common.locked import run_locked
from server.common.messages import MessageOut
from server.common.throttling import UserRateThrottle
from server.editing.drafting import Drafting
from server.editing.moves import DraftOut, draft_out
from server.editing.operations.lanes import Owner
from server.mixsessions.access import membership
from server.mixsessions.document_cache import document_for
from server.mixsessions.fields import Key
from server.mixsessions.models import MixSession

router = Router(tags=["moves"])

MOST_BYTES = 4 << 20


class Destination(Schema):
    """Where a lane lands: what it belongs to, and the parameter."""

    owner: Owner
    parameter: Key


class ImportedLane(Schema):
    """A lane in a file: what it calls itself, how many points, when they begin and end (s), between which values.

    ``lands`` is where it goes by its name, None where that tells nothing; ``notes`` say how it was read.
    """

    index: int
    name: str
    parameter: str
    points: int
    start: float
    end: float
    low: float
    high: float
    lands: Destination | None
    notes: list[MessageOut]


class DestinationOut(Schema):
    """What lanes can go to: what it belongs to, its name, and the parameters that are heard."""

    owner: str
    name: str
    parameters: list[str]


class LanesOut(Schema):
    """The lanes of a file, and everything to which they can go."""

    lanes: list[ImportedLane]
    places: list[DestinationOut]


class LaneDestination(Destination):
    """A lane of the file, by its number, and where it lands."""

    index: Annotated[int, Field(ge=0)]


_DESTINATIONS = TypeAdapter(Annotated[list[LaneDestination], Field(min_length=1, max_length=512)])


@router.post(
    "/{uuid:session_id}/moves/import/preview", response=LanesOut, throttle=[UserRateThrottle("moves", "120/m")]
)
def preview_import(request: HttpRequest, session_id: UUID, revision: Form[int], file: File[UploadedFile]) -> LanesOut:
    """What a file of moves holds (CSV, JSON or MIDI), and where each lane goes."""
    session = membership(request.user, session_id, to_edit=True).session
    return _work_on_file(request.user.pk, file, read_lanes, session, revision)


def read_lanes(path: Path, session: MixSession, revision: int) -> LanesOut:
    """The lanes of a file, and where each goes in a session."""
    document = document_for(session, revision)
    result = _read(path, tempo_map(document))
    lands = zip(result, landing_places(result, document), strict=True)
    offered = ((owner, audible_parameters(document, owner)) for owner in owners_in(document))
    return LanesOut(
        lanes=[_lane_out(index, lane, place) for index, (lane, place) in enumerate(lands)],
        places=[
            DestinationOut(owner=owner, name=named(document, owner), parameters=list(parameters))
            for owner, parameters in offered
            if parameters
        ],
    )


@router.post("/{uuid:session_id}/moves/import", response=DraftOut, throttle=[UserRateThrottle("moves", "120/m")])
def import_moves(
    request: HttpRequest,
    session_id: UUID,
    revision: Form[int],
    lands: Form[str],
    file: File[UploadedFile],
    over: Form[Literal["stretch", "all"]] = "stretch",
    at: Form[float] = 0.0,
) -> DraftOut:
    """What the file would write, as a draft to be heard and applied.

    ``lands`` is JSON, a list of ``LaneDestination``. Each lane takes the place of the ``stretch`` that it covers, or
    of ``all`` that was there, ``at`` seconds later.
    """
    session = membership(request.user, session_id, to_edit=True).session
    try:
        destinations = _DESTINATIONS.validate_python(json.loads(lands))
    except (ValueError, ValidationError) as error:
        raise ApiError("import.no_targets", 422) from error
    if len({(lane.owner, lane.parameter) for lane in destinations}) < len(destinations):
        raise ApiError("import.same_target_twice", 422)
    if not 0.0 <= at <= MAX_TIME:
        raise ApiError("import.negative_start", 422)
    name = (file.name or "a file")[:60]
    options = (session, request.user, revision, destinations, over == "all", at, name)
    return _work_on_file(request.user.pk, file, draft_import, *options)


def draft_import(
    path: Path,
    session: MixSession,
    user: User,
    revision: int,
    destinations: list[LaneDestination],
    replaces_all: bool,
    at: float,
    name: str,
) -> DraftOut:
    """What a file would write at its destinations, as a draft."""
    document = document_for(session, revision)
    drafting = Drafting(session, document, revision)
    result = _read(path, drafting.tempo)
    for lane in destinations:
        if lane.index >= len(result):
            raise ApiError("import.lane_missing", 422)
        moves = landed(document, (lane.owner, lane.parameter), result[lane.index].lane, at)
        before, _ = drafting.lane(lane.owner, lane.parameter)
        span = moves.points[0].t, moves.points[-1].t
        drafting.put(lane.owner, lane.parameter, moves if replaces_all else before.with_range(*span, moves.points))
    if not drafting.writes:
        raise ApiError("import.nothing_new", 422)
    who = drafting.whose(lane.owner for lane in destinations)
    lanes = "a lane" if len(destinations) == 1 else f"{len(destinations)} lanes"
    return draft_out(drafting.draft(user, f"{who}: {lanes} from {name}"))


Result = TypeVar("Result")


def _work_on_file(person: int, file: UploadedFile, work: Callable[..., Result], *arguments: Any) -> Result:
    """What ``work(path, *arguments)`` gives in the pool for a file that was sent; refusals name the file."""
    if file.size > MOST_BYTES:
        raise ApiError("import.file_too_large", 413, most=MOST_BYTES >> 20)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "sent"
        path.write_bytes(file.read())
        try:
            return pool.call(person, work, path, *arguments, urgency=pool.Urgency.ANALYSIS)
        except NeedleError as error:
            raise error.about(file.name or "The file") from error


def _read(path: Path, tempo: TempoMap) -> tuple[FoundLane, ...]:
    result: tuple[FoundLane, ...] = run_locked(lanes_in, path, tempo, reads=[path])
    return result


def _lane_out(index: int, lane: FoundLane, lands: Place | None) -> ImportedLane:
    values = [point.value for point in lane.lane.points]
    return ImportedLane(
        index=index,
        name=lane.name or lane.owner,
        parameter=lane.parameter,
        points=len(values),
        start=lane.lane.points[0].t,
        end=lane.lane.points[-1].t,
        low=min(values),
        high=max(values),
        lands=Destination(owner=lands[0], parameter=lands[1]) if lands else None,
        notes=list(lane.notes),
    )
