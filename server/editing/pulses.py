"""Pulses and deals over HTTP: pulses on trial, what was converted to points and back, notes and places."""

from typing import Annotated, Any
from uuid import UUID

from django.contrib.auth.models import User
from django.http import HttpRequest
from ninja import File, Query, Router, Schema, UploadedFile
from pydantic import Field

from needle.autopan.pulse import Pulse
from needle.dealing.deal import arranged
from needle.io.midi import midi_notes
from needle.session.owners import named, owner_in
from needle.session.rhythm import PULSE_DEFAULTS
from server.common import pool
from server.common.errors import ApiError
from server.common.midi_files import read_midi
from server.editing.models import Draft
from server.editing.operations.lanes import Owner, RestoreLanes
from server.editing.operations.rhythm import SetPulse
from server.editing.operations.several import Batch
from server.editing.operations.sources import PlaceSource
from server.mixsessions.access import membership
from server.mixsessions.document_cache import document_for
from server.mixsessions.entities import EventItem, StoredPlace
from server.mixsessions.fields import Key
from server.mixsessions.models import MixSession

router = Router(tags=["rhythm"])

Revision = Annotated[int, Field(ge=0)]


class PulseIn(Schema):
    """A pulse as it would be: values that differ from what the thing's pulse has, or from a fresh one's."""

    revision: Revision
    owner: Owner
    values: dict[Key, Any] = {}

    def pulse(self, document: dict[str, Any]) -> Pulse:
        before = document["pulses"].get(self.owner, PULSE_DEFAULTS)
        fields = SetPulse.model_validate({"owner": self.owner, **self.values}).changes()
        return Pulse.of({**before, **fields})


class PulseDraft(Schema):
    """A pulse on trial, to be heard by its id."""

    id: UUID
    revision: int


@router.post("/{uuid:session_id}/pulse/draft", response=PulseDraft)
def preview_pulse(request: HttpRequest, session_id: UUID, body: PulseIn) -> Draft:
    """A pulse to be heard before it is made."""
    session = membership(request.user, session_id, to_edit=True).session
    return pool.call(request.user.pk, draft_pulse, session, request.user, body)


def draft_pulse(session: MixSession, user: User, body: PulseIn) -> Draft:
    """A pulse as a draft."""
    document = document_for(session, body.revision)
    owner_in(document, body.owner)
    writes = [{"pulse": body.owner, "values": body.pulse(document).as_dict()}]
    return Draft.keep(session, user, Draft.Kind.PREVIEW, body.revision, writes)


class Whose(Schema):
    """A thing that pulses, at a revision."""

    revision: Revision
    owner: Owner


class OperationOut(Schema):
    """An operation that would do it, and how many points it writes."""

    operation: dict[str, Any]
    points: int


@router.get("/{uuid:session_id}/pulse/as-pulse", response=OperationOut)
def convert_points_to_pulse(request: HttpRequest, session_id: UUID, whose: Query[Whose]) -> dict[str, Any]:
    """What takes written points back to the pulse that they were written from; the lanes become what they were."""
    session = membership(request.user, session_id, to_edit=True).session
    return pool.call(request.user.pk, points_to_pulse, session, whose)


def points_to_pulse(session: MixSession, whose: Whose) -> dict[str, Any]:
    """What converts points back to their pulse, as an operation."""
    document = document_for(session, whose.revision)
    previous = document["pulses"].get(whose.owner, {}).get("before_conversion") or {}
    if not previous.get("lanes"):
        raise ApiError("edit.pulse_not_converted", 422)
    steps: list[Any] = [RestoreLanes.model_validate({"lanes": previous["lanes"], "off": previous["off"]})]
    if previous["values"]:
        steps.append(PlaceSource.model_validate({"source": whose.owner, **previous["values"]}))
    steps.append(SetPulse.model_validate({"owner": whose.owner, "on": True, "before_conversion": {}}))
    together = Batch.of(f"{named(document, whose.owner)}: converted back to a pulse", steps)
    return operation_out(together, sum(len(points) for points in previous["lanes"].values()))


def operation_out(operation: Any, points: int) -> dict[str, Any]:
    """An operation to be sent, with how many points it writes."""
    return {"operation": operation.model_dump(by_alias=True, exclude_none=True), "points": points}


class NotesOut(Schema):
    """The notes of a file, as ``set-events`` takes them, and the part's name."""

    name: str
    items: list[EventItem]


@router.post("/{uuid:session_id}/notes", response=NotesOut)
def read_notes(request: HttpRequest, session_id: UUID, file: File[UploadedFile]) -> NotesOut:
    """The notes of a Standard MIDI File."""
    membership(request.user, session_id, to_edit=True)
    result = read_midi(request.user.pk, file, midi_notes)
    return NotesOut(name=(result.name or file.name or "")[:120], items=list(result.notes))


class ArrangeIn(Schema):
    """Something to be done with places (``needle.dealing.deal.arranged``)."""

    places: Annotated[list[StoredPlace], Field(max_length=64)] = []
    act: Key
    which: Annotated[str, Field(max_length=64)] = ""
    count: Annotated[int, Field(ge=0, le=64)] = 4
    width: Annotated[float, Field(ge=0.0, le=1.0, allow_inf_nan=False)] = 1.0


@router.post("/places/arrange", response=list[StoredPlace])
def arrange_places(request: HttpRequest, body: ArrangeIn) -> list[dict[str, Any]]:
    """Places after something was done with them."""
    return arranged([place.model_dump() for place in body.places], body.act, body.which, body.count, body.width)
