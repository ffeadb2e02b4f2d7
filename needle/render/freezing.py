"""Freezing: a source's own sound, with its places, pulses and deal, kept as two sides so that it costs no work.

Its level, trim and group level are left out, so that they can still be set. What is frozen sounds only as long as
everything that it was made of is as it was.
"""

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.mix.dealt_sounds import GeneratedAudio
from needle.mix.listening import Listening
from needle.mix.model import Mix, MixSource
from needle.render.cache import RenderCache, digest
from needle.render.compile import MIX, compile_mix
from needle.render.engine import run
from needle.render.fingerprints import layer_text, source_text
from needle.render.source_gains import LEVELS

Audio = NDArray[np.float32]

_AT_ONCE_SECONDS = 8
_CACHE_BYTES = 128 << 20
_LONGEST_TAIL_SECONDS = 30


def bare(source: MixSource) -> MixSource:
    """The source without what can still be set of a frozen one, and not frozen."""
    lanes = {name: lane for name, lane in source.lanes.items() if name not in LEVELS}
    levels: dict[str, Any] = dict.fromkeys(LEVELS, 0.0)
    return replace(source, **levels, lanes=lanes, sends={}, muted=False, frozen=None, frozen_fingerprint="")


def key_of(mix: Mix, source: MixSource) -> str:
    """A hash of all that a source's frozen sound is made of."""
    unset = bare(source)
    last = max(last_frame(mix, unset), mix.frames)
    whole = source_text(mix, unset, 0, last)
    layers = [f"{layer.muted} {layer_text(mix, unset, layer, 0, last)}" for layer in unset.layers]
    room = f"{mix.layout} {unset.direct_muted}" if mix.room.surround or layers else ""
    return digest(f"{mix.rate} {mix.law} {mix.centre_zero} {mix.tempo} {whole}{room}{''.join(layers)}")


def last_frame(mix: Mix, source: MixSource) -> int:
    """Where the last of it has sounded (frames)."""
    parts = [part.in_bands(mix.rate) for part in source.parts]
    ends = (part.offset + part.audio.shape[1] + part.longest_delay(mix.rate) for part in parts)
    return min(max(ends, default=0), mix.frames + _LONGEST_TAIL_SECONDS * mix.rate)


def frozen_sound(mix: Mix, source_id: str) -> Iterator[tuple[float, Audio]]:
    """What is frozen of a source, from the session's first frame on: (share done, audio (2, frames)) in order."""
    source = bare(next(s for s in mix.sources if s.id == source_id))
    alone = replace(mix, sources=(source,), returns=())
    stop, step = last_frame(mix, source), _AT_ONCE_SECONDS * mix.rate
    cache = RenderCache(_CACHE_BYTES)
    plan = compile_mix(alone, Listening())
    for low in range(0, stop, step):
        high = min(low + step, stop)
        yield high / stop, run(plan, low, high, cache=cache)[MIX]


def as_frozen(mix: Mix, frozen: dict[str, tuple[Audio | GeneratedAudio, str]]) -> Mix:
    """The mix with what has been frozen of its sources, by id: the sound and the key it was made with.

    Where anything has changed since, the source sounds as it is.
    """
    if not frozen:
        return mix
    sources = []
    for source in mix.sources:
        result = frozen.get(source.id)
        if result is not None and key_of(mix, source) == result[1]:
            source = replace(source, frozen=result[0], frozen_fingerprint=result[1])
        sources.append(source)
    return replace(mix, sources=tuple(sources))
