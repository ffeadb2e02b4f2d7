"""Movement in rhythm over HTTP: the groove reading, pulses converted to points, and dealt notes."""

from typing import Annotated, Any
from uuid import UUID

import numpy as np
from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from needle.automation.curve import Lane, stored
from needle.autopan import groove_reading
from needle.autopan.conversion import written_out
from needle.autopan.pulse import LANES, Pulsing
from needle.session.document import tempo_map
from needle.session.owners import kind_and_id, named, owner_in
from needle.session.rhythm import deal_in
from server.common import pool
from server.common.errors import ApiError
from server.editing.operations.lanes import RestoreLanes
from server.editing.operations.rhythm import SetPulse
from server.editing.operations.several import Batch
from server.editing.operations.sources import PlaceSource
from server.editing.pulses import OperationOut, PulseIn, Whose, operation_out
from server.media.assets import asset_onsets
from server.media.mixes import mix_at, source_of
from server.mixsessions.access import membership
from server.mixsessions.document_cache import document_for
from server.mixsessions.models import MixSession

router = Router(tags=["rhythm"])

Revision = Annotated[int, Field(ge=0)]


class ReadingIn(PulseIn):
    """What is asked of a pulse: one ``bar``, and by whose accents (a source's id, or none) it is weighed."""

    bar: Annotated[int, Field(ge=1, le=100_000)]
    accents: Annotated[str, Field(max_length=64, pattern=r"^[\w-]*$")] = ""


class MarkOut(Schema):
    """A beat, half-beat or third-beat, its ``name``, and each side's gain of an attack there (the 20 ms after it)."""

    beat: float
    name: str
    left: float
    right: float


class FitOut(Schema):
    """A flip and a start phase, and the share (0…1) of accents let pass (``needle.autopan.groove_reading.Fit``)."""

    flip: bool
    start_phase: float
    left: float
    right: float
    score: float


class ReadingOut(Schema):
    """A groove reading: what is drawn of a bar, what is silent when, and what becomes of a part's accents.

    ``beats`` and the gains there; ``places`` of what stands left and right, for a pulse of places. ``start_beats`` is
    the pulse's start in beats, ``best_beats`` that of the best.
    """

    beats: list[float]
    left: list[float]
    right: list[float]
    places: list[list[float]] | None
    marks: list[MarkOut]
    silent: dict[str, list[float]]
    full: dict[str, list[float]]
    sentence: str
    every_bar: bool
    note: str
    in_beats: str
    in_hertz: str
    accents: list[tuple[float, float]]
    onsets: int
    now: FitOut | None
    best: FitOut | None
    best_beats: float


@router.post("/{uuid:session_id}/pulse/reading", response=ReadingOut)
def get_groove_reading(request: HttpRequest, session_id: UUID, body: ReadingIn) -> dict[str, Any]:
    """What a pulse does in a bar, and to a part's accents."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, read_groove, session, body)


def read_groove(session: MixSession, body: ReadingIn) -> dict[str, Any]:
    """The groove reading of a pulse."""
    document = document_for(session, body.revision)
    owner_in(document, body.owner)
    tempo = tempo_map(document)
    pulse = body.pulse(document)
    pulsing = Pulsing(pulse, tempo, _lanes(document, body.owner))
    centre = _centre(document, body.owner)
    alike = groove_reading.every_bar(pulsing, body.bar)
    marked = groove_reading.marks(pulsing, body.bar, centre)
    times, strengths = _accents(document, body.accents)
    now = groove_reading.passing(pulsing, times, strengths, centre) if times.size else None
    best = groove_reading.best_fit(pulsing, times, strengths, centre) if times.size else None
    bpm = float(tempo.bpm_at(tempo.seconds_at(tempo.beat_of_bar(body.bar))))
    words = groove_reading.period_words(pulse, bpm)
    period = pulse.period if pulse.unit == "beats" else bpm / 60.0 / pulse.rate
    return {
        **groove_reading.figure(pulsing, body.bar, centre),
        "marks": [{**vars(mark), "name": groove_reading.beat_name(mark.beat)} for mark in marked],
        "silent": groove_reading.silent(marked),
        "full": groove_reading.full(marked),
        "sentence": groove_reading.sentence(marked, body.bar, alike),
        "every_bar": alike,
        "note": words["note"],
        "in_beats": words["beats"],
        "in_hertz": words["hertz"],
        "accents": groove_reading.accents_in(tempo, body.bar, times, strengths, alike),
        "onsets": len(times),
        "now": now and vars(now),
        "best": best and vars(best),
        "best_beats": best.start_phase * period if best else 0.0,
    }


def _lanes(document: dict[str, Any], owner: str) -> dict[str, Lane]:
    result = {}
    for name in LANES:
        lane = document["lanes"].get(f"{owner}/{name}")
        if lane and lane["points"] and not lane.get("off"):
            result[name] = Lane.of(lane["points"])
    return result


def _centre(document: dict[str, Any], owner: str) -> float:
    entity = owner_in(document, owner)
    return float(entity.get("pan", 0.0)) if kind_and_id(owner)[0] == "source" and entity["mode"] != "sides" else 0.0


def _accents(document: dict[str, Any], source: str) -> tuple[np.ndarray, np.ndarray]:
    """When (s of the session) and how strongly a source is struck; nothing for none."""
    row = document["sources"].get(source)
    if row is None:
        return np.zeros(0), np.zeros(0)
    result = asset_onsets(row["asset"], document["session"]["rate"], row["first_channel"], row["channels"])
    return result.times + row["start"], result.strengths


@router.get("/{uuid:session_id}/pulse/as-points", response=OperationOut)
def convert_pulse_to_points(request: HttpRequest, session_id: UUID, whose: Query[Whose]) -> dict[str, Any]:
    """What writes a source's pulse out as points of its lanes, and switches it off."""
    session = membership(request.user, session_id, to_edit=True).session
    return pool.call(request.user.pk, convert_to_points, session, whose)


def convert_to_points(session: MixSession, whose: Whose) -> dict[str, Any]:
    """What writes a source's pulse out, as an operation."""
    document, mix = document_for(session, whose.revision), mix_at(session, whose.revision)
    if kind_and_id(whose.owner)[0] != "source":
        raise ApiError("analysis.only_sources_convert", 422)
    source = source_of(mix, whose.owner)
    pulse = document["pulses"].get(whose.owner)
    if source.pulse is None or pulse is None:
        raise ApiError("analysis.pulse_off", 422)
    if source.deal is not None:
        raise ApiError("analysis.deal_has_no_position", 422)
    start = source.offset / mix.rate
    end = min(start + source.audio.shape[1] / mix.rate, mix.length)
    row = document["sources"][whose.owner]
    result = written_out(source.pulse, source.mode, row, source.lanes, mix.law, start, end, source.channels)
    before = {f"{whose.owner}/{name}": _points(document, f"{whose.owner}/{name}") for name in result.lanes}
    off = [key for key in before if document["lanes"].get(key, {}).get("off")]
    before_writing = {"lanes": before, "off": off, "values": {name: row[name] for name in result.values}}
    lanes = {f"{whose.owner}/{name}": stored(lane.points) for name, lane in result.lanes.items()}
    steps: list[Any] = [RestoreLanes.model_validate({"lanes": lanes})]
    if result.values:
        steps.insert(0, PlaceSource.model_validate({"source": whose.owner, **result.values}))
    steps.append(SetPulse.model_validate({"owner": whose.owner, "on": False, "before_conversion": before_writing}))
    together = Batch.of(f"{named(document, whose.owner)}: pulse converted to points", steps)
    return operation_out(together, sum(len(points) for points in lanes.values()))


def _points(document: dict[str, Any], key: str) -> list[dict[str, Any]]:
    return document["lanes"].get(key, {"points": []})["points"]


class DealtEvent(Schema):
    """An event at its time (s of the session), and the index of the place it goes to."""

    t: float
    seconds: float
    pitch: float
    velocity: float
    place: int


class DealtOut(Schema):
    """What is dealt to whom."""

    events: list[DealtEvent]


@router.get("/{uuid:session_id}/sources/{source}/dealt", response=DealtOut)
def list_dealt_notes(request: HttpRequest, session_id: UUID, source: str, revision: Revision) -> dict[str, Any]:
    """Every event of a source's part with its place; nothing where nothing is dealt."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, find_dealt_notes, session, source, revision)


def find_dealt_notes(session: MixSession, source: str, revision: int) -> dict[str, Any]:
    """Every event of a source's part with its place."""
    document = document_for(session, revision)
    owner_in(document, source)
    deal = deal_in(document, source, tempo_map(document), even_off=True)
    if deal is None:
        return {"events": []}
    turns = zip(deal.events, deal.turns, strict=True)
    return {"events": [{**vars(event), "place": int(turn)} for event, turn in turns]}
