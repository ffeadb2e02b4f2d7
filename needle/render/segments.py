"""Segments: the half-second pieces in which a mix is heard, measured and delivered.

Listening and delivery both ask for segments of the same grid, so what is heard is what is delivered.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from needle.metering.frames import FRAMES_PER_SECOND, Frames, measure_frames, warm_up_frames
from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import Mix
from needle.mix.monitors import MONITORS, Responses, to_ears
from needle.render.cache import RenderCache
from needle.render.click import click
from needle.render.compile import MIX, compile_mix
from needle.render.engine import run
from needle.render.fingerprints import dependency_key

PER_SECOND = 2
METER_FRAMES = FRAMES_PER_SECOND // PER_SECOND
PAST_SEGMENTS = 6
"""How many segments before one hold the past that its 3 s windows reach into."""

_BATCH = 64


@dataclass(frozen=True)
class Segment:
    """Half a second as it is heard, float32 (channels, frames), with what comes before and after; its meter frames.

    ``around`` has ``lead`` frames before the half second and ``tail`` after it.
    """

    around: NDArray[np.float32]
    lead: int
    tail: int
    frames: Frames

    @property
    def audio(self) -> NDArray[np.float32]:
        """The half second itself."""
        return self.around[:, self.lead : self.around.shape[1] - self.tail]


def segment_frames(rate: int) -> int:
    """Samples in a segment."""
    return rate // PER_SECOND


def segment_count(mix: Mix) -> int:
    """How many segments cover the mix; the last may reach past its end."""
    return -(-mix.frames // segment_frames(mix.rate))


def tail_frames(rate: int) -> int:
    """Samples after a segment (10 ms) through which it gives way to one of another revision."""
    return rate // 100


def lead_frames(rate: int) -> int:
    """Samples before a segment (80 ms) in which a lossy code comes to be what it is in the midst of a sound."""
    return rate * 8 // 100


def segment_key(mix: Mix, index: int, listening: Listening = EVERYTHING) -> str:
    """A hash of exactly what a segment, its tail and its meter frames included, depends on."""
    length = segment_frames(mix.rate)
    start = index * length
    return dependency_key(mix, start - warm_up_frames(mix.rate), start + length + tail_frames(mix.rate), listening)


def render_segments(
    mix: Mix,
    first: int,
    last: int,
    listening: Listening = EVERYTHING,
    heads: Responses | None = None,
    *,
    lead: int = 0,
    tail: int = 0,
    cache: RenderCache | None = None,
) -> Iterator[Segment]:
    """The segments from index ``first`` up to ``last`` (not included), rendered in runs.

    Each has ``lead`` frames before it, ``lead_frames`` at the most, and ``tail`` after it.

    Meters measure what the way of listening makes of stereo; a room's measure its channels. ``heads`` gives measured
    heads for headphones, ``cache`` keeps what comes of returns and layers.
    """
    length, past = segment_frames(mix.rate), warm_up_frames(mix.rate)
    plan = compile_mix(mix, listening, cache=cache)
    for low in range(first, last, _BATCH):
        high = min(low + _BATCH, last)
        audio = run(plan, low * length - past, high * length + tail, cache=cache)[MIX]
        frames = measure_frames(audio[:, : audio.shape[1] - tail], mix.rate, past, mix.room)
        heard = _heard(mix, listening, heads, audio, past - lead)
        for i in range(high - low):
            at, size = i * length, lead + length + tail
            part = _with_click(mix, listening, heard[:, at : at + size], (low + i) * length - lead)
            yield Segment(part, lead, tail, frames.between(i * METER_FRAMES, (i + 1) * METER_FRAMES))


def render_unmeasured(
    mix: Mix,
    index: int,
    listening: Listening = EVERYTHING,
    heads: Responses | None = None,
    *,
    lead: int = 0,
    tail: int = 0,
    cache: RenderCache | None = None,
) -> NDArray[np.float32]:
    """What is heard of a segment and around it as in ``render_segments``, in less time: no meter looks at it."""
    length = segment_frames(mix.rate)
    start, stop = index * length - lead, (index + 1) * length + tail
    past = warm_up_frames(mix.rate) - lead if _has_ears(mix, listening) else 0
    audio = run(compile_mix(mix, listening, cache=cache), start - past, stop, cache=cache)[MIX]
    return _with_click(mix, listening, _heard(mix, listening, heads, audio, past), start)


def _has_ears(mix: Mix, listening: Listening) -> bool:
    """Whether what is heard is more than the plan itself gives."""
    return mix.room.surround or listening.monitor not in MONITORS


def _heard(
    mix: Mix, listening: Listening, heads: Responses | None, audio: NDArray[np.float32], past: int
) -> NDArray[np.float32]:
    """What somebody hears of what a plan gives (channels, past + frames): (channels, frames)."""
    if not _has_ears(mix, listening):
        return audio[:, past:]
    return to_ears(mix.room, listening.monitor, mix.rate, audio, past, heads)


def _with_click(mix: Mix, listening: Listening, heard: NDArray[np.float32], start: int) -> NDArray[np.float32]:
    """What is heard from a frame on, in memory of its own, with the beats struck if somebody wishes."""
    result = np.ascontiguousarray(heard)
    if not listening.click:
        return result
    return result + click(mix.tempo, mix.rate, start, start + result.shape[1])
