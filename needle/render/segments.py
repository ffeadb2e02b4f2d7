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
        heard = audio[:, past - lead :]
        if mix.room.surround or listening.monitor not in MONITORS:
            heard = to_ears(mix.room, listening.monitor, mix.rate, audio, past - lead, heads)
        for i in range(high - low):
            at, size = i * length, lead + length + tail
            part = np.ascontiguousarray(heard[:, at : at + size])
            if listening.click:
                start = (low + i) * length - lead
                part = part + click(mix.tempo, mix.rate, start, start + size)
            yield Segment(part, lead, tail, frames.between(i * METER_FRAMES, (i + 1) * METER_FRAMES))
