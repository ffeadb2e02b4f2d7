"""Delivery: a stretch of the mix from the same segments that are heard, with its progress."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import Mix
from needle.mix.monitors import MONITORS, PAST, to_ears
from needle.render.cache import RenderCache
from needle.render.compile import MIX, compile_mix
from needle.render.engine import run
from needle.render.segments import segment_frames

_SEGMENTS_AT_ONCE = 32
_CACHE_BYTES = 128 << 20


def deliver(
    mix: Mix, start: int, stop: int, listening: Listening = EVERYTHING, at_ears: bool = False
) -> Iterator[tuple[float, NDArray[np.float32]]]:
    """The mix from frame ``start`` to ``stop`` in order: (share done so far, audio (channels of the layout, frames)).

    ``at_ears``: as two ears have it in that way of listening (2, frames).

    Memory does not grow with the length; who asks may stop between any two.
    """
    cache = RenderCache(_CACHE_BYTES)
    plan = compile_mix(mix, listening, cache=cache)
    step = _SEGMENTS_AT_ONCE * segment_frames(mix.rate)
    for low in range(start, stop, step):
        high = min(low + step, stop)
        done = (high - start) / (stop - start)
        if at_ears and (mix.room.surround or listening.monitor not in MONITORS):
            heard = run(plan, low - PAST, high, cache=cache)[MIX]
            yield done, to_ears(mix.room, listening.monitor, mix.rate, heard, PAST)
        else:
            yield done, run(plan, low, high, cache=cache)[MIX]
