"""Segments and their meter readings, cached by exactly what they depend on.

Colleagues who hear the same share the work, and an edit at bar 30 leaves bar 1 where it is.
"""

from collections import defaultdict
from dataclasses import dataclass
from threading import Lock
from time import monotonic

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from needle.metering.frames import Frames, readings
from needle.metering.lean import (
    HOP_SECONDS,
    LONG_HOPS,
    SHORT_HOPS,
    Stretch,
    Tolerance,
    lean_curve,
    leaning_stretches,
)
from needle.rendering.mix import Listening, Mix
from needle.rendering.segments import (
    METER_FRAMES,
    PAST_SEGMENTS,
    Segment,
    lean_powers,
    render_segments,
    segment_count,
    segment_key,
)

AUDIO_BYTES = 256 * 2**20
FRAMES_KEPT = 40_000
_RUN = 16

_lock = Lock()
_audio: LRUCache[str, NDArray[np.float32]] = LRUCache(AUDIO_BYTES, getsizeof=lambda audio: audio.nbytes)
_frames: LRUCache[str, Frames] = LRUCache(FRAMES_KEPT)
_at_work: dict[str, Lock] = defaultdict(Lock)
_lean_turn = Lock()


def segment(mix: Mix, index: int, listening: Listening) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """A segment's audio (2, frames) and its meter readings (meter frames, columns)."""
    first = max(index - PAST_SEGMENTS, 0)
    keys = [segment_key(mix, i, listening) for i in range(first, index + 1)]
    with _lock:
        working = _at_work[keys[-1]]
    with working:
        with _lock:
            audio = _audio.get(keys[-1])
            frames = [_frames.get(key) for key in keys]
        missing = [place for place, found in enumerate(frames) if found is None]
        if audio is None or missing:
            # One run from the earliest that is missing costs less than each by itself.
            low = first + min(missing, default=index - first)
            for place, made in enumerate(render_segments(mix, low, index + 1, listening), start=low - first):
                _keep(keys[place], made)
                frames[place] = made.frames
                audio = made.audio
    with _lock:
        _at_work.pop(keys[-1], None)
    return audio, readings(Frames.joined(frames), METER_FRAMES)


@dataclass(frozen=True)
class Leaning:
    """The lean of the whole piece, as far as it is known: per 100 ms (nan where there is nothing to say)."""

    done: float
    short: NDArray[np.float64]
    long: NDArray[np.float64]
    stretches: list[Stretch]
    tolerance: Tolerance
    hop: float = HOP_SECONDS


def leaning(mix: Mix, budget: float = 0.25) -> Leaning:
    """The lean over the whole piece, working on it for ``budget`` seconds at the most.

    ``done`` is the share that is measured; asking again goes on from there. Only segments that an edit
    changed are measured again. Stretches are told once everything is known.
    """
    count = segment_count(mix)
    keys = [segment_key(mix, index) for index in range(count)]
    until = monotonic() + budget
    # One at a time: who waits for a turn finds done what the other did.
    mine = _lean_turn.acquire(timeout=budget)
    try:
        known, missing = _measure_missing(mix, keys, until if mine else 0.0)
    finally:
        if mine:
            _lean_turn.release()
    nothing, tolerance = Frames.silence(METER_FRAMES), Tolerance()
    powers = lean_powers(Frames.joined([known.get(index, nothing) for index in range(count)]))
    return Leaning(
        done=1.0 - len(missing) / max(count, 1),
        short=lean_curve(powers, SHORT_HOPS),
        long=lean_curve(powers, LONG_HOPS),
        stretches=[] if missing else leaning_stretches(powers, tolerance),
        tolerance=tolerance,
    )


def _measure_missing(mix: Mix, keys: list[str], until: float) -> tuple[dict[int, Frames], list[int]]:
    """Frames by segment index, after measuring what is missing until a moment; and what still is missing."""
    with _lock:
        known = {index: _frames[key] for index, key in enumerate(keys) if key in _frames}
    missing = [index for index in range(len(keys)) if index not in known]
    while missing and monotonic() < until:
        first = missing[0]
        run = [index for place, index in enumerate(missing[:_RUN]) if index == first + place]
        for index, made in zip(run, render_segments(mix, first, first + len(run)), strict=True):
            _keep(keys[index], made, with_audio=False)
            known[index] = made.frames
        del missing[: len(run)]
    return known, missing


def _keep(key: str, made: Segment, with_audio: bool = True) -> None:
    with _lock:
        _frames[key] = made.frames
        if with_audio:
            _audio[key] = made.audio
