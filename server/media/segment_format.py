"""A segment as it goes over the wire: what is monitoring, what the meters show, and what a hand holds."""

import json
import struct
from dataclasses import replace

import numpy as np

from needle.metering.frames import COLUMNS
from needle.metering.room import room_columns
from needle.render.engine import render_before_placement
from needle.render.preview_tables import hand_reading
from needle.render.segments import segment_count, segment_frames
from server.common.errors import ApiError
from server.media import segments
from server.media.heads import measured_heads
from server.media.mixes import source_of
from server.media.monitoring import MonitorParams
from server.mixsessions.models import MixSession


def segment_bytes(
    user_id: int,
    session: MixSession,
    index: int,
    revision: int,
    monitoring: MonitorParams,
    hand: str,
    free: bool,
    past: str,
) -> bytes:
    """A segment with its readings, in the form that ``server.media.segments_api.get_segment`` describes."""
    mix = monitoring.mix(session, revision)
    if index >= segment_count(mix):
        raise ApiError("media.no_such_segment", 404)
    listening = monitoring.listening()
    heads = measured_heads(user_id)
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
    result = segments.segment(mix, index, listening, heads, past.split(","))
    audio, meters = result.audio, result.readings
    rows = np.array([[spectra.left, spectra.right, spectra.mono] for spectra in result.spectra])
    head = {
        "revision": revision,
        "key": result.key,
        "index": index,
        "rate": mix.rate,
        "frames": audio.shape[1],
        "channels": audio.shape[0],
        "meters": meters.shape[0],
        "columns": [*COLUMNS, *(room_columns(mix.room) if mix.room.surround else ())],
        "pairs": result.points.shape[1],
        "spectra": rows.shape[0],
        "bands": rows.shape[2],
        "notches": [spectra.notches for spectra in result.spectra],
        "hand": before.shape[0],
        "reading": reading,
    }
    text = json.dumps(head).encode()
    text += b" " * (-len(text) % 4)
    parts = [_floats(part) for part in (audio, meters, result.points, rows, before)]
    return b"".join([struct.pack("<I", len(text)), text, *parts])


def _floats(values: np.ndarray) -> bytes:
    return np.ascontiguousarray(values, dtype="<f4").tobytes()
