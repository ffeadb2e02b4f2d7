"""The room over HTTP: where everything is over time, what plays a source, what another layout moves, drawn paths."""

from typing import Annotated, Any, Literal
from uuid import UUID

import numpy as np
from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from needle.layouts import layout_named
from needle.render.trajectories import (
    channel_gains,
    layer_places,
    layout_changes,
    places,
    side_parts,
    spreads,
    values_at_polar,
    with_values,
)
from needle.room_coordinates import room_to_polar
from server.analysis.placement import When
from server.common import pool
from server.media.mixes import mix_at, source_of
from server.media.monitoring import MonitorParams, Moves
from server.mixsessions.access import membership
from server.mixsessions.entities import InRoom, Time
from server.mixsessions.fields import Finite, Key
from server.mixsessions.models import MixSession

router = Router(tags=["room"])

Degrees = Annotated[float, Field(ge=-360.0, le=360.0, allow_inf_nan=False)]

STEP = 0.05
MOST_SECONDS = 60.0


class Stretch(Schema):
    """A stretch of a revision (s), at most a minute, with other moves if wished; ``gains`` names a source."""

    revision: Annotated[int, Field(ge=0)]
    start: Time = 0.0
    seconds: Annotated[float, Field(gt=0.0, le=MOST_SECONDS)] = 30.0
    gains: Annotated[str, Field(max_length=64, pattern=r"^[\w-]*$")] = ""
    moves: Moves = ""


class TrajectoryOut(Schema):
    """Where a source or layer is: ``ends`` (end, x y z, time) and how far it is ``spread`` (degrees).

    One time only where nothing moves.
    """

    id: str
    kind: Literal["source", "layer"]
    ends: list[list[list[float]]]
    spread: list[float]
    parts: list[list[list[list[float]]]] = []


class TrajectoriesOut(Schema):
    """Everything in the room at every ``step`` (s) from ``start`` on.

    Of the source that was asked for: ``gains`` (channel, time), and ``polar`` (azimuth, elevation, distance; time).
    """

    start: float
    step: float
    count: int
    trajectories: list[TrajectoryOut]
    gains: list[list[float]]
    polar: list[list[float]]


@router.get("/{uuid:session_id}/room/trajectories", response=TrajectoriesOut)
def get_trajectories(request: HttpRequest, session_id: UUID, query: Query[Stretch]) -> TrajectoriesOut:
    """Where all sources and layers are over a stretch, turned and swung as they sound."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, find_trajectories, session, query)


def find_trajectories(session: MixSession, query: Stretch) -> TrajectoriesOut:
    """Where all sources and layers of a session are over a stretch."""
    mix = MonitorParams(moves=query.moves).mix(session, query.revision)
    count = int(np.ceil(query.seconds / STEP)) + 1
    times = query.start + STEP * np.arange(count)
    trajectories = []
    for source in mix.sources:
        ends, spread = _listed(places(mix, source, times)), _listed(spreads(source, times))
        parts = _listed(side_parts(mix, source, times))
        trajectories.append(TrajectoryOut(id=source.id, kind="source", ends=ends, spread=spread, parts=parts))
        for layer in source.layers:
            spread = np.full(count, layer.spread)
            ends = _listed(layer_places(source, layer, times))
            trajectories.append(TrajectoryOut(id=layer.id, kind="layer", ends=ends, spread=_listed(spread)))
    gains, polar = np.zeros((0, 1)), np.zeros((0, 1))
    if query.gains:
        source = source_of(mix, query.gains)
        gains = channel_gains(mix, source, times)
        polar = room_to_polar(*places(mix, source, times).mean(axis=0))
    return TrajectoriesOut(
        start=query.start,
        step=STEP,
        count=count,
        trajectories=trajectories,
        gains=_listed(gains),
        polar=_listed(polar),
    )


def _listed(values: np.ndarray) -> Any:
    """Values along the last axis, one of them where all are the same."""
    still = bool((values == values[..., :1]).all())
    return np.round(values[..., :1] if still else values, 4).tolist()


class PlaceIn(When):
    """A source with some values of its place as they are to sound, or a ``polar`` place (degrees, distance)."""

    source: Key
    values: Annotated[dict[Key, Finite], Field(max_length=16)] = {}
    polar: tuple[Degrees, Degrees, InRoom] | None = None


class PlacementPreview(Schema):
    """The ``values`` that put a source somewhere, and the ``position`` that it sounds from then, in room and polar.

    ``gains``: how strong that makes it in every channel.
    """

    values: dict[str, float]
    position: tuple[float, float, float]
    azimuth: float
    elevation: float
    distance: float
    gains: list[float]


@router.post("/{uuid:session_id}/room/place", response=PlacementPreview)
def preview_placement(request: HttpRequest, session_id: UUID, query: PlaceIn) -> PlacementPreview:
    """What a place would be for a source: in room and polar coordinates, and in every channel."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, find_place, session, query)


def find_place(session: MixSession, query: PlaceIn) -> PlacementPreview:
    """What a place would be for a source of a session."""
    mix = mix_at(session, query.revision)
    source, values = source_of(mix, query.source), dict(query.values)
    if query.polar is not None:
        values |= values_at_polar(source, query.at, *query.polar)
    result = with_values(source, values)
    at = np.array([query.at])
    x, y, z = (float(v) for v in places(mix, result, at).mean(axis=0)[:, 0])
    azimuth, elevation, distance = (float(v) for v in room_to_polar(x, y, z))
    return PlacementPreview(
        values=values,
        position=(x, y, z),
        azimuth=azimuth,
        elevation=elevation,
        distance=distance,
        gains=np.round(channel_gains(mix, result, at)[:, 0], 4).tolist(),
    )


class LayoutIn(When):
    """A layout to be tried."""

    layout: Annotated[str, Field(max_length=16)]


class MovedOut(Schema):
    """What another layout does to a source (``needle.render.trajectories.Moved``)."""

    source: str
    degrees: float
    before: float
    after: float
    louder: float
    folded: bool


@router.get("/{uuid:session_id}/room/layout", response=list[MovedOut])
def compare_layout(request: HttpRequest, session_id: UUID, query: Query[LayoutIn]) -> list[MovedOut]:
    """What another layout would move, and make louder or softer."""
    session = membership(request.user, session_id).session
    layout_named(query.layout)
    return pool.call(request.user.pk, find_layout_changes, session, query)


def find_layout_changes(session: MixSession, query: LayoutIn) -> list[MovedOut]:
    """What another layout does to the sources of a session."""
    mix = mix_at(session, query.revision)
    return [MovedOut(**vars(moved)) for moved in layout_changes(mix, query.layout, query.at)]
