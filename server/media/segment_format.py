"""A segment as it goes over the wire: what is heard, what the meters show, and what a hand holds."""

import hashlib
from dataclasses import dataclass, replace
from uuid import UUID

import numpy as np

from needle.metering.frames import COLUMNS
from needle.metering.room import room_columns
from needle.mix.listening import Listening
from needle.mix.model import Mix
from needle.mix.monitors import HEAD
from needle.render.engine import render_before_placement
from needle.render.preview_tables import hand_reading
from needle.render.segments import lead_frames, segment_count, segment_frames, tail_frames
from server.common.errors import ApiError
from server.media import segments, wire
from server.media.heads import measured_heads, own_head
from server.media.mixes import source_of
from server.media.monitoring import MonitorParams
from server.media.shared_cache import shared_cache
from server.mixsessions.models import MixSession

_NOTHING_MEASURED: tuple = (np.zeros((0, 0), np.float32), np.zeros((0, 0, 2), np.float32), [])


@dataclass(frozen=True)
class SegmentQuery:
    """What somebody asks for of a segment, and what they have of it already.

    ``hand`` is held, and is ``free`` if the level is held too. ``past``: keys of the segments before as they sounded.
    ``audio_key``: of the sound that is there already, ``tag``: of that and its readings. ``unmeasured``: its sound
    alone is wanted.
    """

    index: int
    revision: int
    hand: str = ""
    free: bool = False
    past: str = ""
    form: wire.Form = "float"
    audio_key: str = ""
    tag: str = ""
    unmeasured: bool = False


@dataclass(frozen=True)
class SegmentAnswer:
    """``body`` is None where what is known is the same still."""

    tag: str
    body: bytes | None


def segment_answer(
    user_id: int, session: MixSession, monitoring: MonitorParams, query: SegmentQuery
) -> SegmentAnswer:
    """A segment in the form that ``server.media.segments_api.get_segment`` describes."""
    if monitoring.is_personal():
        own_head(user_id, monitoring.monitor.removeprefix(HEAD))
    mix = monitoring.mix(session, query.revision)
    if query.index >= segment_count(mix):
        raise ApiError("media.no_such_segment", 404)
    listening = monitoring.listening()
    if query.hand:
        source_of(mix, query.hand)
        listening = replace(listening, without_direct=listening.without_direct | {query.hand})
    past = query.past.split(",")
    key = segments.key_of(mix, query.index, listening)
    tag = _tag(session.id, key, segments.past_keys(mix, query.index, listening, past), query)
    if tag == query.tag:
        return SegmentAnswer(tag, None)
    return SegmentAnswer(tag, _body(user_id, mix, monitoring.listening(), listening, query, past))


def _tag(session: UUID, key: str, past: list[str], query: SegmentQuery) -> str:
    """What an answer is known by: its sound, what its meters go on from, and what is held."""
    hand = f"{session} {query.revision} {query.hand} {query.free}" if query.hand else ""
    readings = "" if query.unmeasured else past
    return hashlib.blake2b(f"{key} {readings} {hand}".encode(), digest_size=16).hexdigest()


def _body(
    user_id: int, mix: Mix, whole: Listening, listening: Listening, query: SegmentQuery, past: list[str]
) -> bytes:
    heads = measured_heads(user_id)
    if query.unmeasured:
        key, around = segments.sound_of(mix, query.index, listening, heads)
        result = segments.Sounding(key, around, *_NOTHING_MEASURED)
    else:
        result = segments.segment(mix, query.index, listening, heads, past)
    hand_audio, reading = np.zeros((0, result.around.shape[1]), np.float32), None
    if query.hand:
        hand_audio, reading = _before_placement(user_id, mix, whole, query)
    gain, blocks = 1.0, []
    if query.hand or query.audio_key != result.key:
        kept_as = f"{result.key}.{query.form}" if not query.hand else ""
        gain, blocks = _blocks(kept_as, query.form, np.concatenate([result.around, hand_audio]), mix.rate)
    detail = wire.detail_of(query.form)
    every = max(len(result.spectra) // detail.spectra, 1)
    spectra = result.spectra[every - 1 :: every]
    points = result.points[:, :: detail.points_every]
    head = {
        "revision": query.revision,
        "key": result.key,
        "index": query.index,
        "rate": mix.rate,
        "form": query.form,
        "frames": segment_frames(mix.rate),
        "lead": wire.lead_of(query.form, mix.rate),
        "tail": tail_frames(mix.rate),
        "channels": result.around.shape[0] if blocks else 0,
        "gain": gain,
        "meters": result.readings.shape[0],
        "columns": [*COLUMNS, *(room_columns(mix.room) if mix.room.surround else ())],
        "pairs": points.shape[1],
        "spectra": len(spectra),
        "bands": len(spectra[0].left) if spectra else 0,
        "notches": [one.notches for one in spectra],
        "hand": hand_audio.shape[0],
        "reading": reading,
    }
    sides = [side for one in spectra for side in (one.left, one.right, one.mono)]
    rows = np.stack(sides) if sides else np.zeros((0, 0))
    beside = [wire.pack_rows(result.readings), wire.pack_rows(rows), wire.pack_points(points)]
    return wire.packed(head, beside, blocks)


def _before_placement(user_id: int, mix: Mix, listening: Listening, query: SegmentQuery) -> tuple[wire.Audio, dict]:
    """A held source before its place, as long as what is around the segment, and what its place makes of it."""
    source, length = source_of(mix, query.hand), segment_frames(mix.rate)
    start, stop = query.index * length - lead_frames(mix.rate), (query.index + 1) * length + tail_frames(mix.rate)
    reading = hand_reading(mix, source, query.index * length / mix.rate, listening, measured_heads(user_id))
    if not listening.hears(source):
        return np.zeros((0, stop - start), np.float32), reading
    return render_before_placement(mix, source.id, start, stop, not query.free, for_hand=True), reading


def _blocks(key: str, form: wire.Form, around: wire.Audio, rate: int) -> tuple[float, list[bytes]]:
    """Audio in a form; what took work is kept under a key for whoever asks for it next."""
    if form == "float" or not key:
        return wire.pack_audio(form, around, rate)
    stored = shared_cache().get(key)
    if stored is None:
        gain, blocks = wire.pack_audio(form, around, rate)
        stored = [np.array([gain]), *(np.frombuffer(block, np.uint8) for block in blocks)]
        shared_cache().put(key, stored)
    return float(stored[0][0]), [part.tobytes() for part in stored[1:]]
