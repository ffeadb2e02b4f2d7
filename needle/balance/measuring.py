"""Measuring a mix from its segments: the meter frames of a whole piece or a passage, step by step."""

from collections.abc import Callable

from needle.balance.progress import Steps, stretches
from needle.metering.frames import Frames
from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import Mix
from needle.render.cache import RenderCache
from needle.render.segments import render_segments, segment_count

Measure = Callable[[Mix, Listening], Steps[Frames]]
"""Measures what one hears of a mix; whoever keeps what is known already has one of their own."""

_SEGMENTS_AT_ONCE = 32
_CACHE_BYTES = 256 << 20


def measured(mix: Mix, listening: Listening = EVERYTHING) -> Steps[Frames]:
    """The frames of the whole piece; the last segment may reach past its end."""
    result, cache = [], RenderCache(_CACHE_BYTES)
    for low, high, done in stretches(0, segment_count(mix), _SEGMENTS_AT_ONCE):
        result += [segment.frames for segment in render_segments(mix, low, high, listening, cache=cache)]
        yield done
    return Frames.joined(result) if result else Frames.silence(0)
