"""Movement in rhythm over HTTP: the groove reading, pulses on trial and written out, what is dealt, and freezing."""

from typing import Annotated, Any
from uuid import UUID

import numpy as np
from django.http import HttpRequest
from ninja import File, Query, Router, Schema, UploadedFile
from pydantic import Field

from needle.automation.curve import Lane, stored
from needle.autopan import groove_reading
from needle.autopan.conversion import written_out
from needle.autopan.pulse import LANES, Pulse, Pulsing
from needle.dealing.deal import arranged
from needle.dsp.onsets import HIGHEST_THRESHOLD, LOWEST_THRESHOLD, THRESHOLD
from needle.io.midi import midi_notes
from needle.metering.waveform import sounding
from needle.session.document import piece_length, tempo_map
from needle.session.owners import kind_and_id, named, owner_in
from needle.session.rhythm import PULSE_DEFAULTS, deal_in
from server.audio import tasks
from server.audio.assets import asset_onsets, asset_waveform
from server.audio.freezing import freeze, put_in_session
from server.audio.mixes import document_for, mix_at
from server.audio.models import Freeze
from server.audio.reading import source_of
from server.common import pool
from server.common.errors import ApiError
from server.mixing.access import membership
from server.mixing.midi_files import read_midi
from server.mixing.models import Draft, Session
from server.mixing.operations.base import Key
from server.mixing.operations.lanes import Owner, RestoreLanes
from server.mixing.operations.rhythm import SetPulse
from server.mixing.operations.several import Batch
from server.mixing.operations.sources import PlaceSource
from server.mixing.operations.things import EventItem, StoredPlace

router = Router(tags=["rhythm"])

Revision = Annotated[int, Field(ge=0)]


class PulseIn(Schema):
    """A pulse as it would be: values that differ from what the thing's pulse has, or from a fresh one's."""

    revision: Revision
    owner: Owner
    values: dict[Key, Any] = {}

    def pulse(self, document: dict[str, Any]) -> Pulse:
        before = document["pulses"].get(self.owner, PULSE_DEFAULTS)
        fields = SetPulse.model_validate({"owner": self.owner, **self.values}).given()
        return Pulse.of({**before, **fields})


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
def groove(request: HttpRequest, session_id: UUID, given: ReadingIn) -> dict[str, Any]:
    """What a pulse does in a bar, and to a part's accents."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, read_groove, session, given)


def read_groove(session: Session, given: ReadingIn) -> dict[str, Any]:
    """The groove reading of a pulse."""
    document = document_for(session, given.revision)
    owner_in(document, given.owner)
    tempo = tempo_map(document)
    pulse = given.pulse(document)
    pulsing = Pulsing(pulse, tempo, _lanes(document, given.owner))
    centre = _centre(document, given.owner)
    alike = groove_reading.every_bar(pulsing, given.bar)
    marked = groove_reading.marks(pulsing, given.bar, centre)
    times, strengths = _accents(document, given.accents)
    now = groove_reading.passing(pulsing, times, strengths, centre) if times.size else None
    best = groove_reading.best_fit(pulsing, times, strengths, centre) if times.size else None
    bpm = float(tempo.bpm_at(tempo.seconds_at(tempo.beat_of_bar(given.bar))))
    words = groove_reading.period_words(pulse, bpm)
    period = pulse.period if pulse.unit == "beats" else bpm / 60.0 / pulse.rate
    return {
        **groove_reading.figure(pulsing, given.bar, centre),
        "marks": [{**vars(mark), "name": groove_reading.beat_name(mark.beat)} for mark in marked],
        "silent": groove_reading.silent(marked),
        "full": groove_reading.full(marked),
        "sentence": groove_reading.sentence(marked, given.bar, alike),
        "every_bar": alike,
        "note": words["note"],
        "in_beats": words["beats"],
        "in_hertz": words["hertz"],
        "accents": groove_reading.accents_in(tempo, given.bar, times, strengths, alike),
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
    thing = owner_in(document, owner)
    return float(thing.get("pan", 0.0)) if kind_and_id(owner)[0] == "source" and thing["mode"] != "sides" else 0.0


def _accents(document: dict[str, Any], source: str) -> tuple[np.ndarray, np.ndarray]:
    """When (s of the session) and how strongly a source is struck; nothing for none."""
    row = document["sources"].get(source)
    if row is None:
        return np.zeros(0), np.zeros(0)
    result = asset_onsets(row["asset"], document["session"]["rate"], row["first_channel"], row["channels"])
    return result.times + row["start"], result.strengths


class PulseDraft(Schema):
    """A pulse on trial, to be heard by its id."""

    id: UUID
    revision: int


@router.post("/{uuid:session_id}/pulse/draft", response=PulseDraft)
def draft(request: HttpRequest, session_id: UUID, given: PulseIn) -> Draft:
    """A pulse to be heard before it is made."""
    session = membership(request.user, session_id, to_edit=True).session
    document = document_for(session, given.revision)
    owner_in(document, given.owner)
    writes = [{"pulse": given.owner, "values": given.pulse(document).as_dict()}]
    return Draft.keep(session, request.user, Draft.Kind.PREVIEW, given.revision, writes)


class Whose(Schema):
    """A thing that pulses, at a revision."""

    revision: Revision
    owner: Owner


class OperationOut(Schema):
    """An operation that would do it, and how many points it writes."""

    operation: dict[str, Any]
    points: int


@router.get("/{uuid:session_id}/pulse/written-out", response=OperationOut)
def as_points(request: HttpRequest, session_id: UUID, whose: Query[Whose]) -> dict[str, Any]:
    """What writes a source's pulse out as points of its lanes, and switches it off."""
    session = membership(request.user, session_id, to_edit=True).session
    return pool.call(request.user.pk, convert_to_points, session, whose)


def convert_to_points(session: Session, whose: Whose) -> dict[str, Any]:
    """What writes a source's pulse out, as an operation."""
    document, mix = document_for(session, whose.revision), mix_at(session, whose.revision)
    if kind_and_id(whose.owner)[0] != "source":
        raise ApiError("Only a source's pulse can be written out: it needs lanes of its own for both sides.", 422)
    source = source_of(mix, whose.owner)
    pulse = document["pulses"].get(whose.owner)
    if source.pulse is None or pulse is None:
        raise ApiError("There is no pulse here that is on. Switch it on first.", 422)
    if source.deal is not None:
        raise ApiError("A dealt part has no place of its own to write. Switch the deal off first.", 422)
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
    together = Batch.of(f"{named(document, whose.owner)}: pulse written out", steps)
    return _body(together, sum(len(points) for points in lanes.values()))


@router.get("/{uuid:session_id}/pulse/taken-back", response=OperationOut)
def as_pulse(request: HttpRequest, session_id: UUID, whose: Query[Whose]) -> dict[str, Any]:
    """What takes written points back to the pulse that they were written from; the lanes become what they were."""
    session = membership(request.user, session_id, to_edit=True).session
    document = document_for(session, whose.revision)
    previous = document["pulses"].get(whose.owner, {}).get("before_conversion") or {}
    if not previous.get("lanes"):
        raise ApiError("This pulse was not written out.", 422)
    steps: list[Any] = [RestoreLanes.model_validate({"lanes": previous["lanes"], "off": previous["off"]})]
    if previous["values"]:
        steps.append(PlaceSource.model_validate({"source": whose.owner, **previous["values"]}))
    steps.append(SetPulse.model_validate({"owner": whose.owner, "on": True, "before_conversion": {}}))
    together = Batch.of(f"{named(document, whose.owner)}: taken back to a pulse", steps)
    return _body(together, sum(len(points) for points in previous["lanes"].values()))


def _points(document: dict[str, Any], key: str) -> list[dict[str, Any]]:
    return document["lanes"].get(key, {"points": []})["points"]


def _body(operation: Any, points: int) -> dict[str, Any]:
    return {"operation": operation.model_dump(by_alias=True, exclude_none=True), "points": points}


class OnsetsOut(Schema):
    """Onsets of a stem: ``times`` (s of the stem) and ``strengths`` (0…1)."""

    times: list[float]
    strengths: list[float]


class OnsetsIn(Schema):
    revision: Revision
    threshold: Annotated[float, Field(ge=LOWEST_THRESHOLD, le=HIGHEST_THRESHOLD)] = THRESHOLD


@router.get("/{uuid:session_id}/sources/{source}/onsets", response=OnsetsOut)
def found_onsets(request: HttpRequest, session_id: UUID, source: str, wanted: Query[OnsetsIn]) -> OnsetsOut:
    """Where something begins to sound in a source's stem."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, find_source_onsets, session, source, wanted, urgency=pool.Urgency.ANALYSIS)


def find_source_onsets(session: Session, source: str, wanted: OnsetsIn) -> OnsetsOut:
    """Where something begins to sound in a stem."""
    document = document_for(session, wanted.revision)
    row = owner_in(document, source)
    rate = document["session"]["rate"]
    result = asset_onsets(row["asset"], rate, row["first_channel"], row["channels"], round(wanted.threshold, 3))
    return OnsetsOut(times=np.round(result.times, 5).tolist(), strengths=np.round(result.strengths, 4).tolist())


class NotesOut(Schema):
    """The notes of a file, as ``set-events`` takes them, and the part's name."""

    name: str
    items: list[EventItem]


@router.post("/{uuid:session_id}/notes", response=NotesOut)
def notes_of_file(request: HttpRequest, session_id: UUID, file: File[UploadedFile]) -> NotesOut:
    """The notes of a Standard MIDI File."""
    membership(request.user, session_id, to_edit=True)
    result = read_midi(request.user.pk, file, midi_notes)
    return NotesOut(name=(result.name or file.name or "")[:120], items=list(result.notes))


class SoundingOut(Schema):
    """A source's own stretch of time (s): from the first that is heard of it to the last."""

    start: float
    end: float


@router.get("/{uuid:session_id}/sources/{source}/sounding", response=SoundingOut)
def own_stretch(request: HttpRequest, session_id: UUID, source: str, revision: Revision) -> SoundingOut:
    """When a source sounds, by its stem and by what is dealt of it."""
    session = membership(request.user, session_id).session
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
def dealt(request: HttpRequest, session_id: UUID, source: str, revision: Revision) -> dict[str, Any]:
    """Every event of a source's part with its place; nothing where nothing is dealt."""
    session = membership(request.user, session_id).session
    return pool.call(request.user.pk, find_dealt_notes, session, source, revision)


def find_dealt_notes(session: Session, source: str, revision: int) -> dict[str, Any]:
    """Every event of a source's part with its place."""
    document = document_for(session, revision)
    owner_in(document, source)
    deal = deal_in(document, source, tempo_map(document), even_off=True)
    if deal is None:
        return {"events": []}
    turns = zip(deal.events, deal.turns, strict=True)
    return {"events": [{**vars(event), "place": int(turn)} for event, turn in turns]}


class ArrangeIn(Schema):
    """Something to be done with places (``needle.dealing.deal.arranged``)."""

    places: Annotated[list[StoredPlace], Field(max_length=64)] = []
    act: Key
    which: Annotated[str, Field(max_length=64)] = ""
    count: Annotated[int, Field(ge=0, le=64)] = 4


@router.post("/places/arranged", response=list[StoredPlace])
def arranged_places(request: HttpRequest, given: ArrangeIn) -> list[dict[str, Any]]:
    """Places after something was done with them."""
    return arranged([place.model_dump() for place in given.places], given.act, given.which, given.count)


class FreezeIn(Schema):
    revision: Revision


class FreezeOut(Schema):
    """How freezing stands; ``progress`` is 0…1."""

    id: UUID
    source: str
    status: str
    progress: float
    message: str


@router.post("/{uuid:session_id}/sources/{source}/freeze", response=FreezeOut)
def begin_freezing(request: HttpRequest, session_id: UUID, source: str, given: FreezeIn) -> Freeze:
    """Begin to freeze a source; when it is done the session is changed as by an operation of whoever began it."""
    session = membership(request.user, session_id, to_edit=True).session
    row = owner_in(document_for(session, given.revision), source)
    if row["frozen_asset"]:
        raise ApiError(f"{row['name']} is frozen already.", 409)
    task = Freeze.objects.create(session=session, author=request.user, revision=given.revision, source=source)
    tasks.begin(task, freeze, put_in_session)
    return task


@router.get("/{uuid:session_id}/freezes/{uuid:freeze_id}", response=FreezeOut)
def freezing_state(request: HttpRequest, session_id: UUID, freeze_id: UUID) -> Freeze:
    """How freezing stands."""
    return _freeze(request, session_id, freeze_id)


@router.post("/{uuid:session_id}/freezes/{uuid:freeze_id}/cancel", response=FreezeOut)
def stop_freezing(request: HttpRequest, session_id: UUID, freeze_id: UUID) -> Freeze:
    """Stop freezing; nothing is changed."""
    return tasks.cancel(_freeze(request, session_id, freeze_id, to_edit=True))


def _freeze(request: HttpRequest, session_id: UUID, freeze_id: UUID, to_edit: bool = False) -> Freeze:
    membership(request.user, session_id, to_edit=to_edit)
    result = Freeze.objects.filter(session=session_id, pk=freeze_id).first()
    if result is None:
        raise ApiError("Nothing of that name is being frozen.", 404)
    return result
