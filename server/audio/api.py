"""Sound over HTTP: segments with their meter readings, and exports."""

import json
import re
import struct
from dataclasses import replace
from typing import Annotated, Literal
from uuid import UUID

import numpy as np
from django.http import FileResponse, HttpRequest, HttpResponse
from ninja import Query, Router, Schema
from pydantic import Field

from needle.files.audio import FORMATS, check_flac
from needle.metering.frames import COLUMNS
from needle.metering.room import room_columns
from needle.rendering.engine import render_before_placement
from needle.rendering.segments import segment_count, segment_frames
from needle.rendering.tables import hand_reading
from server.audio import exports, segments, tasks
from server.audio.heads import measured_heads
from server.audio.hearing import Heard
from server.audio.mixes import mix_at
from server.audio.models import Export
from server.audio.reading import source_of
from server.mixing.access import Refused, membership

router = Router(tags=["sound"])


class ExportIn(Schema):
    """What to export: a format, and a stretch in seconds (the whole piece if none is given)."""

    revision: Annotated[int, Field(ge=0)]
    format: Literal["wav-float", "wav-24", "wav-16", "flac-24"] = "wav-float"
    start: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0
    end: Annotated[float, Field(gt=0, allow_inf_nan=False)] | None = None


class ExportOut(Schema):
    """How an export stands; ``progress`` is 0…1, ``clipped`` counts samples over full scale."""

    id: UUID
    status: str
    progress: float
    clipped: int
    message: str
    format: str
    revision: int


@router.get("/{uuid:session_id}/segments/{int:index}", response={200: bytes})
def segment(
    request: HttpRequest,
    session_id: UUID,
    index: int,
    revision: int,
    heard: Query[Heard],
    hand: str = "",
    free: bool = False,
) -> HttpResponse:
    """Half a second of the mix at a revision.

    The body: a 32-bit length, that many bytes of JSON, then 32-bit floats (little-endian): the audio channel
    by channel, the meter readings frame by frame, the phase picture's points (across, up) frame by frame, the spectra
    of left, right and mono, and, with ``hand``, that source before its placement, channel by channel; the audio is
    without its direct sound then, and the header's ``reading`` says what its place makes of it. A hand that holds the
    level too is ``free``: the source comes without its level and trim.
    """
    session = membership(request.user, session_id).session
    mix = heard.mix(session, revision)
    if index >= segment_count(mix):
        raise Refused("The piece ends before that segment.", 404)
    listening = heard.listening()
    heads = measured_heads(request.user)
    before = np.zeros((0, 0), np.float32)
    reading = None
    if hand:
        source = source_of(mix, hand)
        length = segment_frames(mix.rate)
        if listening.hears(source):
            start, stop = index * length, (index + 1) * length
            before = render_before_placement(mix, hand, start, stop, with_level=not free, for_hand=True)
        reading = hand_reading(mix, source, index * length / mix.rate, listening, heads)
        listening = replace(listening, held=frozenset({hand}))
    found = segments.segment(mix, index, listening, heads)
    audio, meters = found.audio, found.readings
    rows = np.array([[one.left, one.right, one.mono] for one in found.spectra])
    head = {
        "revision": revision,
        "index": index,
        "rate": mix.rate,
        "frames": audio.shape[1],
        "channels": audio.shape[0],
        "meters": meters.shape[0],
        "columns": [*COLUMNS, *(room_columns(mix.room) if mix.room.surround else ())],
        "pairs": found.points.shape[1],
        "spectra": rows.shape[0],
        "bands": rows.shape[2],
        "notches": [one.notches for one in found.spectra],
        "hand": before.shape[0],
        "reading": reading,
    }
    text = json.dumps(head).encode()
    text += b" " * (-len(text) % 4)
    parts = [_floats(part) for part in (audio, meters, found.points, rows, before)]
    body = b"".join([struct.pack("<I", len(text)), text, *parts])
    response = HttpResponse(body, content_type="application/octet-stream")
    response["Cache-Control"] = "private, no-store"
    return response


def _floats(values: np.ndarray) -> bytes:
    return np.ascontiguousarray(values, dtype="<f4").tobytes()


@router.post("/{uuid:session_id}/exports", response=ExportOut)
def start_export(request: HttpRequest, session_id: UUID, given: ExportIn) -> Export:
    """Begin to write the mix to a file."""
    session = membership(request.user, session_id, to_edit=True).session
    mix = mix_at(session, given.revision)
    if given.format.startswith("flac"):
        check_flac(mix.room)
    start = round(given.start * mix.rate)
    stop = min(round(given.end * mix.rate), mix.frames) if given.end else mix.frames
    if start >= stop:
        raise Refused("That stretch holds nothing. Choose an end after the start, within the piece.", 422)
    export = Export.objects.create(
        session=session,
        author=request.user,
        revision=given.revision,
        format=given.format,
        start=start,
        stop=stop,
    )
    tasks.order(export)
    return export


@router.get("/{uuid:session_id}/exports/{uuid:export_id}", response=ExportOut)
def export_state(request: HttpRequest, session_id: UUID, export_id: UUID) -> Export:
    """How an export stands."""
    return _export(request, session_id, export_id)


@router.post("/{uuid:session_id}/exports/{uuid:export_id}/cancel", response=ExportOut)
def cancel_export(request: HttpRequest, session_id: UUID, export_id: UUID) -> Export:
    """Stop an export; its file is not kept."""
    return tasks.cancel(_export(request, session_id, export_id))


@router.get("/{uuid:session_id}/exports/{uuid:export_id}/file", response={200: bytes})
def export_file(request: HttpRequest, session_id: UUID, export_id: UUID) -> FileResponse:
    """The finished file."""
    export = _export(request, session_id, export_id)
    if export.status != Export.Status.DONE:
        raise Refused("The export is not finished.", 409)
    name = re.sub(r"[^\w -]", "", export.session.name).strip() or "mix"
    ending = FORMATS[export.format][2]
    path = exports.export_path(export)
    return FileResponse(path.open("rb"), as_attachment=True, filename=f"{name} r{export.revision}{ending}")


def _export(request: HttpRequest, session_id: UUID, export_id: UUID) -> Export:
    membership(request.user, session_id)
    export = Export.objects.select_related("session").filter(session=session_id, pk=export_id).first()
    if export is None:
        raise Refused("There is no such export.", 404)
    return export
