"""Paths over HTTP: what is drawn on the plan, as points of a source's lanes."""

from typing import Annotated
from uuid import UUID

from django.contrib.auth.models import User
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from needle.automation.grid import bars_words
from needle.automation.paths import MOST_DRAWN, MOST_TURNS, PATHS, Path, path_points
from needle.automation.splice import plain_lane, splice
from needle.session.owners import check_moves
from server.common import pool
from server.editing.drafting import Drafting
from server.editing.moves import DraftOut, draft_out
from server.editing.operations.lanes import Owner
from server.mixsessions.access import membership
from server.mixsessions.document_cache import document_for
from server.mixsessions.entities import InRoom, Time
from server.mixsessions.models import MixSession

router = Router(tags=["room"])


Place = tuple[InRoom, InRoom]


Drawn = tuple[Annotated[float, Field(ge=0.0, le=1.0)], InRoom, InRoom]


class PathIn(Schema):
    """A path that a source or layer takes from ``start`` to ``end`` (s) (``needle.automation.paths.Path``)."""

    revision: Annotated[int, Field(ge=0)]
    source: Owner
    start: Time
    end: Time
    kind: Annotated[str, Field(max_length=16)]
    centre: Place = (0.0, 0.0)
    to: Place = (0.0, 0.0)
    radius: Annotated[float, Field(ge=0.0, le=1.5)] = 1.0
    end_radius: Annotated[float, Field(ge=0.0, le=1.5)] = 1.0
    angle: Annotated[float, Field(ge=-360.0, le=360.0)] = 0.0
    turns: Annotated[float, Field(ge=-MOST_TURNS, le=MOST_TURNS)] = 1.0
    drawn: Annotated[list[Drawn], Field(max_length=MOST_DRAWN)] = []
    rise: tuple[InRoom, InRoom] | None = None
    glide: Annotated[float, Field(ge=0.0, le=10.0)] = 0.0

    def path(self) -> Path:
        shape = self.model_dump(exclude={"revision", "source", "start", "end", "glide", "drawn"})
        return Path(**shape, drawn=tuple(self.drawn))


@router.post("/{uuid:session_id}/room/path", response=DraftOut)
def preview_path(request: HttpRequest, session_id: UUID, body: PathIn) -> DraftOut:
    """A path on the plan as points of its lanes, as a draft to look at and hear."""
    session = membership(request.user, session_id, to_edit=True).session
    return pool.call(request.user.pk, draft_path, session, request.user, body)


def draft_path(session: MixSession, user: User, body: PathIn) -> DraftOut:
    """A path on the plan as a draft."""
    drafting = Drafting(session, document_for(session, body.revision), body.revision)
    shape = body.path()
    for parameter, points in path_points(shape, body.start, body.end).items():
        check_moves(drafting.document, body.source, parameter)
        lane, static = drafting.lane(body.source, parameter)
        lane_before = plain_lane(lane, static)
        drafting.put(body.source, parameter, splice(lane_before, body.start, body.end, points, body.glide))
    title = PATHS[shape.kind][0]
    words = bars_words(drafting.tempo, body.start, body.end)
    return draft_out(drafting.draft(user, f"{drafting.whose([body.source])}: {words} {title}"))
