"""Stems over HTTP: what is seen and found in a source's own audio."""

from typing import Annotated
from uuid import UUID

import numpy as np
from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from needle.automation.occurrences import occurrences
from needle.dsp.onsets import HIGHEST_THRESHOLD, LOWEST_THRESHOLD, THRESHOLD
from needle.metering.waveform import sounding
from needle.session.document import piece_length, tempo_map
from needle.session.owners import owner_in
from needle.session.rhythm import deal_in
from server.common import pool
from server.common.errors import ApiError
from server.editing.moves import PlaceOut
from server.media.assets import asset_audio, asset_onsets, asset_waveform
from server.mixsessions.access import membership
from server.mixsessions.document_cache import document_for
from server.mixsessions.entities import Time
from server.mixsessions.models import MixSession

router = Router(tags=["stems"])

Revision = Annotated[int, Field(ge=0)]


class Waveform(Schema):
    """The largest sample of each stretch, channel by channel, 0…255 of the source's own peak."""

    per_second: int
    start: float
    channels: list[list[int]]


@router.get("/{uuid:session_id}/sources/{source}/waveform", response=Waveform)
def get_waveform(request: HttpRequest, session_id: UUID, source: str, revision: Revision) -> Waveform:
    """A source's waveform; its first stretch begins at ``start`` (s)."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, draw_waveform, session, source, revision, urgency=pool.Urgency.ANALYSIS)


def draw_waveform(session: MixSession, source: str, revision: int) -> Waveform:
    """A source's waveform."""
    document = document_for(session, revision)
    row = document["sources"].get(source)
    if row is None:
        raise ApiError("media.source_removed", 404)
    per_second, channels = asset_waveform(
        row["asset"], document["session"]["rate"], row["first_channel"], row["channels"]
    )
    return Waveform(per_second=per_second, start=row["start"], channels=channels)


class OnsetsOut(Schema):
    """Onsets of a stem: ``times`` (s of the stem) and ``strengths`` (0…1)."""

    times: list[float]
    strengths: list[float]


class OnsetsIn(Schema):
    revision: Revision
    threshold: Annotated[float, Field(ge=LOWEST_THRESHOLD, le=HIGHEST_THRESHOLD)] = THRESHOLD


@router.get("/{uuid:session_id}/sources/{source}/onsets", response=OnsetsOut)
def get_onsets(request: HttpRequest, session_id: UUID, source: str, query: Query[OnsetsIn]) -> OnsetsOut:
    """Where something begins to sound in a source's stem."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, find_source_onsets, session, source, query, urgency=pool.Urgency.ANALYSIS)


def find_source_onsets(session: MixSession, source: str, query: OnsetsIn) -> OnsetsOut:
    """Where something begins to sound in a stem."""
    document = document_for(session, query.revision)
    row = owner_in(document, source)
    rate = document["session"]["rate"]
    result = asset_onsets(row["asset"], rate, row["first_channel"], row["channels"], round(query.threshold, 3))
    return OnsetsOut(times=np.round(result.times, 5).tolist(), strengths=np.round(result.strengths, 4).tolist())


class SoundingOut(Schema):
    """A source's own stretch of time (s): from the first that is heard of it to the last."""

    start: float
    end: float


@router.get("/{uuid:session_id}/sources/{source}/sounding", response=SoundingOut)
def get_sounding_range(request: HttpRequest, session_id: UUID, source: str, revision: Revision) -> SoundingOut:
    """When a source sounds, by its stem and by what is dealt of it."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, find_sounding_range, session, source, revision)


def find_sounding_range(session: MixSession, source: str, revision: int) -> SoundingOut:
    """When a source sounds."""
    document = document_for(session, revision)
    row = owner_in(document, source)
    per_second, peaks = asset_waveform(
        row["asset"], document["session"]["rate"], row["first_channel"], row["channels"]
    )
    start, end = (row["start"] + at for at in sounding(np.array(peaks), per_second))
    deal = deal_in(document, source, tempo_map(document))
    if deal is not None and deal.sound == "voice":
        start = min(start, deal.events[0].t)
        end = max(end, max(event.t + event.seconds for event in deal.events))
    length = piece_length(document)
    return SoundingOut(start=min(start, length), end=min(end, length) if end > start else length)


class OccurrencesIn(Schema):
    """The range (s) that is looked for."""

    revision: Revision
    start: Time
    end: Time


@router.get("/{uuid:session_id}/sources/{source}/occurrences", response=list[PlaceOut])
def list_occurrences(
    request: HttpRequest, session_id: UUID, source: str, query: Query[OccurrencesIn]
) -> list[PlaceOut]:
    """Where a source's audio sounds like a range of it, to be confirmed."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, find_occurrences, session, source, query, urgency=pool.Urgency.ANALYSIS)


def find_occurrences(session: MixSession, source: str, query: OccurrencesIn) -> list[PlaceOut]:
    """Where a source's audio sounds like a range of it."""
    document = document_for(session, query.revision)
    row = owner_in(document, source)
    rate = document["session"]["rate"]
    audio = asset_audio(row["asset"], rate)[row["first_channel"] : row["first_channel"] + row["channels"]]
    result = occurrences(audio, rate, query.start - row["start"], query.end - row["start"])
    return [PlaceOut(at=place.at + row["start"], why=place.why, alike=place.alike) for place in result]
