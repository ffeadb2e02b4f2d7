"""Sound over HTTP: segments with their meter readings."""

import json
import struct
from dataclasses import replace
from uuid import UUID

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Query, Router

from needle.metering.frames import COLUMNS
from needle.metering.room import room_columns
from needle.render.engine import render_before_placement
from needle.render.preview_tables import hand_reading
from needle.render.segments import segment_count, segment_frames
from server.audio import segments
from server.audio.heads import measured_heads
from server.audio.hearing import Heard
from server.audio.reading import source_of
from server.mixing.access import Refused, membership

router = Router(tags=["sound"])


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
        listening = replace(listening, without_direct=frozenset({hand}))
    result = segments.segment(mix, index, listening, heads)
    audio, meters = result.audio, result.readings
    rows = np.array([[one.left, one.right, one.mono] for one in result.spectra])
    head = {
        "revision": revision,
        "index": index,
        "rate": mix.rate,
        "frames": audio.shape[1],
        "channels": audio.shape[0],
        "meters": meters.shape[0],
        "columns": [*COLUMNS, *(room_columns(mix.room) if mix.room.surround else ())],
        "pairs": result.points.shape[1],
        "spectra": rows.shape[0],
        "bands": rows.shape[2],
        "notches": [one.notches for one in result.spectra],
        "hand": before.shape[0],
        "reading": reading,
    }
    text = json.dumps(head).encode()
    text += b" " * (-len(text) % 4)
    parts = [_floats(part) for part in (audio, meters, result.points, rows, before)]
    body = b"".join([struct.pack("<I", len(text)), text, *parts])
    response = HttpResponse(body, content_type="application/octet-stream")
    response["Cache-Control"] = "private, no-store"
    return response


def _floats(values: np.ndarray) -> bytes:
    return np.ascontiguousarray(values, dtype="<f4").tobytes()
