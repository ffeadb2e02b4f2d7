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
    """Half a second: ``audio`` float32 (2, rate / 2), as the ears have it, and its meter frames."""

    audio: NDArray[np.float32]
    frames: Frames


def segment_frames(rate: int) -> int:
    """Samples in a segment."""
    return rate // PER_SECOND


def segment_count(mix: Mix) -> int:
    """How many segments cover the mix; the last may reach past its end."""
    return -(-mix.frames // segment_frames(mix.rate))


def segment_key(mix: Mix, index: int, listening: Listening = EVERYTHING) -> str:
    """A hash of exactly what a segment, its meter frames included, depends on."""
    length = segment_frames(mix.rate)
    start = index * length
    return dependency_key(mix, start - warm_up_frames(mix.rate), start + length, listening)


def render_segments(
    mix: Mix,
    first: int,
    last: int,
    listening: Listening = EVERYTHING,
    heads: Responses | None = None,
    *,
    cache: RenderCache | None = None,
) -> Iterator[Segment]:
    """The segments from index ``first`` up to ``last`` (not included), rendered in runs.

    Meters measure what the way of listening makes of stereo; a room's measure its channels. ``heads`` gives measured
    heads for headphones, ``cache`` keeps what comes of returns and layers.
    """
    length, past = segment_frames(mix.rate), warm_up_frames(mix.rate)
    plan = compile_mix(mix, listening, cache=cache)
    for low in range(first, last, _BATCH):
        high = min(low + _BATCH, last)
        audio = run(plan, low * length - past, high * length, cache=cache)[MIX]
        frames = measure_frames(audio, mix.rate, past, mix.room)
        ears = audio[:, past:]
        if mix.room.surround or listening.monitor not in MONITORS:
            ears = to_ears(mix.room, listening.monitor, mix.rate, audio, past, heads)
        for i in range(high - low):
            at = i * length
            part = np.ascontiguousarray(ears[:, at : at + length])
            if listening.click:
                start = (low + i) * length
                part = part + click(mix.tempo, mix.rate, start, start + length)
            yield Segment(part, frames.between(i * METER_FRAMES, (i + 1) * METER_FRAMES))
