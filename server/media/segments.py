"""Segments and their meter readings, cached by exactly what they depend on.

Colleagues who hear the same share the work, and an edit at bar 30 leaves bar 1 where it is.
"""

import hashlib
import re
from collections.abc import Iterator, Sequence
from contextlib import closing
from dataclasses import dataclass, fields
from threading import Lock
from uuid import UUID

import numpy as np
from cachetools import LRUCache, cached
from numpy.typing import NDArray

from needle.balance.causes import HOPS_AT_ONCE, Part, Shares, gathered, parts_of
from needle.balance.lean_model import BLOCKS_AT_ONCE, covariances_between
from needle.balance.progress import Steps, stretches
from needle.metering.frames import FRAMES_PER_HOP, Frames, hop_frames, readings
from needle.metering.lean import SHORT_HOPS
from needle.metering.picture import Spectra, phase_points
from needle.metering.room import room_readings
from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import Mix
from needle.mix.monitors import Responses, to_ears
from needle.render.cache import RenderCache
from needle.render.segments import (
    METER_FRAMES,
    PAST_SEGMENTS,
    lead_frames,
    render_segments,
    render_unmeasured,
    segment_count,
    segment_key,
    tail_frames,
)
from server.common.pool import in_parallel, part_count
from server.media.shared_cache import shared_cache
from server.media.shared_mix import SharedMix

RENDERED = RenderCache(384 * 2**20)
"""What comes of returns and layers, of this process, whatever it renders."""
_FRAME_BYTES = 64 * 2**20
_RUN = 32
_KEY = re.compile(r"[0-9a-f]{32}")
"""What the key of a segment's meter frames looks like."""

_lock = Lock()
_frames: LRUCache[str, Frames] = LRUCache(_FRAME_BYTES, getsizeof=lambda frames: frames.nbytes)
"""Those that this process has looked at last; all are in the cache that the processes share."""
_keys: LRUCache[tuple[int, Listening], tuple[Mix, dict[int, str]]] = LRUCache(8)


@dataclass(frozen=True)
class Sounding:
    """A segment to be heard: its meter ``readings`` (meter frames, columns), and its sound.

    ``around`` (channels, ``lead_frames`` + frames + ``tail_frames``) is what is heard, a little more at both ends.
    ``points`` (meter frames, pairs, 2) of the phase picture; ``spectra``, one a tenth of a second, each over the
    400 ms that it ends. ``key`` is of its meter frames: with it a later segment is measured on from this one.
    """

    key: str
    around: NDArray[np.float32]
    readings: NDArray[np.float32]
    points: NDArray[np.float32]
    spectra: list[Spectra]


def segment(
    mix: Mix, index: int, listening: Listening, heads: Responses | None = None, past: Sequence[str] = ()
) -> Sounding:
    """A segment and what the meters show through it; ``heads`` gives measured heads.

    ``past``: keys of the segments before it as they sounded, the nearest last, empty where they were this mix. Meters
    whose windows reach back show those, so that a change in the midst costs one segment and not its whole past.
    """
    first = max(index - PAST_SEGMENTS, 0)
    keys = [key_of(mix, i, listening) for i in range(first, index + 1)]
    sounded = _sounded(keys, past)
    frames = [_sounded_frames(mix, old) or _kept_frames(key) for old, key in zip(sounded, keys, strict=True)]
    stored = shared_cache().get(_audio_key(keys[-1]))
    around = stored[0] if stored else None
    missing = [place for place, result in enumerate(frames) if result is None]
    if around is None or missing:
        # One run from the earliest that is missing costs less than each by itself.
        low = first + min(missing, default=index - first)
        lead, tail = lead_frames(mix.rate), tail_frames(mix.rate)
        run = render_segments(mix, low, index + 1, listening, heads, lead=lead, tail=tail, cache=RENDERED)
        for place, part in enumerate(run, start=low - first):
            _keep_frames(keys[place], part.frames)
            shared_cache().put(_audio_key(keys[place]), [part.around])
            frames[place] = part.frames
            around = part.around
    reach = Frames.joined(frames)
    hops = METER_FRAMES // FRAMES_PER_HOP
    ends = range(reach.bands.shape[2] - hops + 1, reach.bands.shape[2] + 1)
    return Sounding(
        key=keys[-1],
        around=around,
        readings=_meter_readings(mix, reach),
        points=phase_points(_two_of(mix, listening, around), hop_frames(mix.rate)),
        spectra=[Spectra.of(reach.bands[..., max(end - SHORT_HOPS, 0) : end]) for end in ends],
    )


def sound_of(
    mix: Mix, index: int, listening: Listening, heads: Responses | None = None
) -> tuple[str, NDArray[np.float32]]:
    """The key of a segment and what is heard of it and around it, without anything that meters show."""
    key = key_of(mix, index, listening)
    if stored := shared_cache().get(_audio_key(key)):
        return key, stored[0]
    lead, tail = lead_frames(mix.rate), tail_frames(mix.rate)
    around = render_unmeasured(mix, index, listening, heads, lead=lead, tail=tail, cache=RENDERED)
    shared_cache().put(_audio_key(key), [around])
    return key, around


def _two_of(mix: Mix, listening: Listening, around: NDArray[np.float32]) -> NDArray[np.float32]:
    """What the phase picture shows of what is heard: both sides, or the fold of a room's channels."""
    audio = around[:, lead_frames(mix.rate) : around.shape[1] - tail_frames(mix.rate)]
    if audio.shape[0] == 2:
        return audio
    return to_ears(mix.room, "stereo", mix.rate, audio, 0)


def past_keys(mix: Mix, index: int, listening: Listening, past: Sequence[str]) -> list[str]:
    """Keys of the segments before one: as they sounded where that is told, else as they are now."""
    keys = [key_of(mix, i, listening) for i in range(max(index - PAST_SEGMENTS, 0), index)]
    return [old or key for old, key in zip(_sounded([*keys, ""], past), keys, strict=False)]


def _sounded(keys: Sequence[str], past: Sequence[str]) -> list[str]:
    """What is told of how segments sounded, for each of ``keys``, of which the last is of the segment itself."""
    return [*[""] * len(keys), *past, ""][-len(keys) :]


def _meter_readings(mix: Mix, past: Frames) -> NDArray[np.float32]:
    """What the meters show of a segment, and in a room what those of its channels do."""
    result = readings(past, METER_FRAMES)
    if not mix.room.surround:
        return result
    return np.concatenate([result, room_readings(mix.room, past, METER_FRAMES)], axis=1)


def key_of(mix: Mix, index: int, listening: Listening) -> str:
    """``segment_key``, worked out once for a mix (this very one) while it is among the last asked for."""
    with _lock:
        # The mix is kept beside its keys, so that no other one can come to have its identity.
        _, known = _keys.setdefault((id(mix), listening), (mix, {}))
    if index not in known:
        known[index] = segment_key(mix, index, listening)
    return known[index]


def _audio_key(key: str) -> str:
    return f"{key}.audio"


def _kept_frames(key: str) -> Frames | None:
    """The meter frames of a segment, if any process has measured them."""
    with _lock:
        result = _frames.get(key)
    if result is None and (arrays := shared_cache().get(key)):
        result = Frames(*arrays)
        with _lock:
            _frames[key] = result
    return result


def _sounded_frames(mix: Mix, key: str) -> Frames | None:
    """The meter frames of a segment that has sounded, if they are known and of the mix's layout."""
    frames = _kept_frames(key) if _KEY.fullmatch(key) else None
    count = len(mix.room.channels) if mix.room.surround else 0
    return frames if frames is not None and frames.channels.shape[1] == count else None


def _keep_frames(key: str, frames: Frames) -> bool:
    """Keep the meter frames of a segment, for other processes too where there is room."""
    with _lock:
        _frames[key] = frames
    return shared_cache().put(key, [getattr(frames, field.name) for field in fields(Frames)])


def known_frames(mix: Mix, listening: Listening = EVERYTHING) -> Steps[Frames]:
    """The meter frames of the whole piece: those that are kept, and those that an edit changed measured again.

    Several runs are measured side by side; whoever gives up leaves those that have not begun.
    """
    keys = [key_of(mix, index, listening) for index in range(segment_count(mix))]
    known = {index: frames for index, key in enumerate(keys) if (frames := _kept_frames(key)) is not None}
    runs = list(_runs([index for index in range(len(keys)) if index not in known]))
    shared_mix = SharedMix(mix)
    work = [(first // _RUN, measure_between, (shared_mix, first, last, listening)) for first, last in runs]
    for (first, last), measured in zip(runs, in_parallel(work), strict=True):
        for index in range(first, last):
            frames = measured.get(index) or _kept_frames(keys[index])
            if frames is None:  # it had to make room meanwhile
                (frames,) = measure_between(shared_mix, index, index + 1, listening, tell=True).values()
            known[index] = frames
        yield len(known) / len(keys)
    return Frames.joined([known[index] for index in range(len(keys))]) if keys else Frames.silence(0)


def measure_between(
    shared_mix: SharedMix, first: int, last: int, listening: Listening, *, tell: bool = False
) -> dict[int, Frames]:
    """Measure some segments in a row, and keep their meter frames; those for which there was no room (or all)."""
    mix, left = shared_mix.mix, {}
    for index, result in enumerate(render_segments(mix, first, last, listening, cache=RENDERED), start=first):
        is_shared = _keep_frames(key_of(mix, index, listening), result.frames)
        if tell or not is_shared:
            left[index] = result.frames
    return left


@cached(LRUCache(512), key=lambda session, revision, first, last, _mix: (session, revision, first, last), lock=Lock())
def content_between(session: UUID, revision: int, first: int, last: int, mix: Mix) -> str:
    """A key for exactly what a session's mix sounds like from one tenth of a second up to another."""
    hops = METER_FRAMES // FRAMES_PER_HOP
    parts = [segment_key(mix, index) for index in range(first // hops, -(-last // hops))]
    return hashlib.blake2b(f"{first} {last} {parts}".encode(), digest_size=16).hexdigest()


def known_shares(mix: Mix, first: int, last: int) -> Steps[Shares]:
    """The shares of all that sounds from one tenth of a second up to another, gathered side by side."""
    parts, shared_mix = parts_of(mix), SharedMix(mix)
    cuts = list(stretches(first, last, HOPS_AT_ONCE))
    count = part_count()
    groups = [parts[group::count] for group in range(count)]
    work = [
        (number, shares_between, (shared_mix, group, low, high))
        for low, high, _ in cuts
        for number, group in enumerate(groups)
    ]
    result = []
    with closing(in_parallel(work)) as gathered_shares:
        for _, _, share in cuts:
            result.append(Shares.side_by_side([next(gathered_shares) for _ in groups]))
            yield share
    return Shares.joined(result)


def shares_between(shared_mix: SharedMix, parts: Sequence[Part], first: int, last: int) -> Shares:
    """The shares of some parts between two tenths of a second."""
    return gathered(shared_mix.mix, parts, first, last, cache=RENDERED)


def known_covariances(mix: Mix, sources: Sequence[str], blocks: int) -> Steps[NDArray[np.float64]]:
    """The covariances of a mix and some sources, gathered by the processes that measure its stretches."""
    shared_mix, cuts = SharedMix(mix), list(stretches(0, blocks, BLOCKS_AT_ONCE))
    work = [(low // _RUN, covariances_of, (shared_mix, tuple(sources), low, high)) for low, high, _ in cuts]
    parts = []
    for part, (_, _, done) in zip(in_parallel(work), cuts, strict=True):
        parts.append(part)
        yield done
    return np.concatenate(parts)


def covariances_of(shared_mix: SharedMix, sources: Sequence[str], low: int, high: int) -> NDArray[np.float64]:
    """The covariances of some half seconds."""
    return covariances_between(shared_mix.mix, sources, low, high, cache=RENDERED)


def _runs(missing: list[int]) -> Iterator[tuple[int, int]]:
    """Neighbours among indices, so that a run's past is rendered once: (first, last + 1).

    None reaches over an edge between the stretches of two processes.
    """
    first = 0
    for place in range(1, len(missing) + 1):
        if place == len(missing) or missing[place] != missing[place - 1] + 1 or missing[place] % _RUN == 0:
            yield missing[first], missing[place - 1] + 1
            first = place
