"""Segments and their meter readings, cached by exactly what they depend on.

Colleagues who hear the same share the work, and an edit at bar 30 leaves bar 1 where it is.
"""

import hashlib
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
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
from needle.mix.monitors import Responses
from needle.render.cache import RenderCache
from needle.render.segments import (
    METER_FRAMES,
    PAST_SEGMENTS,
    Segment,
    render_segments,
    segment_count,
    segment_key,
)
from server.audio import workers

AUDIO_BYTES = 256 * 2**20
FRAME_BYTES = 192 * 2**20
RENDERED = RenderCache(512 * 2**20)
"""What comes of returns and layers, of this process, whatever it renders."""
_RUN = 64

_lock = Lock()
_audio: LRUCache[str, NDArray[np.float32]] = LRUCache(AUDIO_BYTES, getsizeof=lambda audio: audio.nbytes)
_frames: LRUCache[str, Frames] = LRUCache(FRAME_BYTES, getsizeof=lambda frames: frames.nbytes)
_at_work: dict[str, Lock] = defaultdict(Lock)


@dataclass(frozen=True)
class Sounding:
    """A segment to be heard: ``audio`` (2, frames), its meter ``readings`` (meter frames, columns).

    ``points`` (meter frames, pairs, 2) of the phase picture; ``spectra``, one a tenth of a second, each over the
    400 ms that it ends.
    """

    audio: NDArray[np.float32]
    readings: NDArray[np.float32]
    points: NDArray[np.float32]
    spectra: list[Spectra]


def segment(mix: Mix, index: int, listening: Listening, heads: Responses | None = None) -> Sounding:
    """A segment and what the meters show through it; ``heads`` gives measured heads."""
    first = max(index - PAST_SEGMENTS, 0)
    keys = [segment_key(mix, i, listening) for i in range(first, index + 1)]
    with _lock:
        working = _at_work[keys[-1]]
    with working:
        with _lock:
            audio = _audio.get(keys[-1])
            frames = [_frames.get(key) for key in keys]
        missing = [place for place, result in enumerate(frames) if result is None]
        if audio is None or missing:
            # One run from the earliest that is missing costs less than each by itself.
            low = first + min(missing, default=index - first)
            run = render_segments(mix, low, index + 1, listening, heads, cache=RENDERED)
            for place, part in enumerate(run, start=low - first):
                _keep(keys[place], part)
                frames[place] = part.frames
                audio = part.audio
    with _lock:
        _at_work.pop(keys[-1], None)
    past = Frames.joined(frames)
    hops = METER_FRAMES // FRAMES_PER_HOP
    ends = range(past.bands.shape[2] - hops + 1, past.bands.shape[2] + 1)
    return Sounding(
        audio=audio,
        readings=_shown(mix, past),
        points=phase_points(audio, hop_frames(mix.rate)),
        spectra=[Spectra.of(past.bands[..., max(end - SHORT_HOPS, 0) : end]) for end in ends],
    )


def _shown(mix: Mix, past: Frames) -> NDArray[np.float32]:
    """What the meters show of a segment, and in a room what those of its channels do."""
    result = readings(past, METER_FRAMES)
    if not mix.room.surround:
        return result
    return np.concatenate([result, room_readings(mix.room, past, METER_FRAMES)], axis=1)


def known_frames(mix: Mix, listening: Listening = EVERYTHING) -> Steps[Frames]:
    """The meter frames of the whole piece: those that are kept, and those that an edit changed measured again.

    Workers measure several runs at a time; whoever gives up leaves those that have not begun.
    """
    keys = [segment_key(mix, index, listening) for index in range(segment_count(mix))]
    with _lock:
        known = {index: _frames[key] for index, key in enumerate(keys) if key in _frames}
    runs = list(_runs([index for index in range(len(keys)) if index not in known]))
    packed = workers.Packed(mix) if runs else None
    waiting = [
        workers.submit(workers.MEASURING, first // _RUN, frames_between, packed, first, last, listening)
        for first, last in runs
    ]
    with workers.awaiting(waiting):
        for (first, last), future in zip(runs, waiting, strict=True):
            for index, frames in zip(range(first, last), future.result(), strict=True):
                known[index] = frames
                with _lock:
                    _frames[keys[index]] = frames
            yield len(known) / len(keys)
    return Frames.joined([known[index] for index in range(len(keys))]) if keys else Frames.silence(0)


def frames_between(mix: Mix, first: int, last: int, listening: Listening) -> list[Frames]:
    """The meter frames of some segments in a row, as a worker measures them."""
    return [result.frames for result in render_segments(mix, first, last, listening, cache=RENDERED)]


def shares_between(mix: Mix, parts: Sequence[Part], first: int, last: int) -> Shares:
    """The shares of some parts, as a worker gathers them."""
    return gathered(mix, parts, first, last, cache=RENDERED)


@cached(LRUCache(512), key=lambda session, revision, first, last, _mix: (session, revision, first, last), lock=Lock())
def content_between(session: UUID, revision: int, first: int, last: int, mix: Mix) -> str:
    """A key for exactly what a session's mix sounds like from one tenth of a second up to another."""
    hops = METER_FRAMES // FRAMES_PER_HOP
    parts = [segment_key(mix, index) for index in range(first // hops, -(-last // hops))]
    return hashlib.blake2b(f"{first} {last} {parts}".encode(), digest_size=16).hexdigest()


def known_shares(mix: Mix, first: int, last: int) -> Steps[Shares]:
    """The shares of all that sounds from one tenth of a second up to another, gathered by the workers."""
    parts, packed = parts_of(mix), workers.Packed(mix)
    cuts = list(stretches(first, last, HOPS_AT_ONCE))
    groups = [parts[group :: workers.COUNT] for group in range(workers.COUNT)]
    waiting = [
        workers.submit(workers.GATHERING, number, shares_between, packed, group, low, high)
        for low, high, _ in cuts
        for number, group in enumerate(groups)
    ]
    result = []
    with workers.awaiting(waiting):
        for number, (_, _, share) in enumerate(cuts):
            at_once = waiting[number * len(groups) : (number + 1) * len(groups)]
            result.append(Shares.side_by_side([future.result() for future in at_once]))
            yield share
    return Shares.joined(result)


def known_covariances(mix: Mix, sources: Sequence[str], blocks: int) -> Steps[NDArray[np.float64]]:
    """The covariances of a mix and some sources, gathered by the workers that measure its stretches."""
    packed, cuts = workers.Packed(mix), list(stretches(0, blocks, BLOCKS_AT_ONCE))
    waiting = [
        workers.submit(workers.MEASURING, low // _RUN, covariances_of, packed, tuple(sources), low, high)
        for low, high, _ in cuts
    ]
    parts = []
    with workers.awaiting(waiting):
        for future, (_, _, done) in zip(waiting, cuts, strict=True):
            parts.append(future.result())
            yield done
    return np.concatenate(parts)


def covariances_of(mix: Mix, sources: Sequence[str], low: int, high: int) -> NDArray[np.float64]:
    """The covariances of some half seconds, as a worker gathers them."""
    return covariances_between(mix, sources, low, high, cache=RENDERED)


def _runs(missing: list[int]) -> Iterator[tuple[int, int]]:
    """Neighbours among indices, so that a run's past is rendered once: (first, last + 1).

    None reaches over an edge between two workers' stretches.
    """
    first = 0
    for place in range(1, len(missing) + 1):
        if place == len(missing) or missing[place] != missing[place - 1] + 1 or missing[place] % _RUN == 0:
            yield missing[first], missing[place - 1] + 1
            first = place


def _keep(key: str, result: Segment) -> None:
    with _lock:
        _frames[key] = result.frames
        _audio[key] = result.audio
