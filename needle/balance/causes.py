"""Causes: what every source, with all that it sends, adds to the lean: the lean with it less the lean without it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from needle.balance.progress import Steps, stretches
from needle.dsp.k_weighting import KWeighting
from needle.dsp.loudness import integrated
from needle.metering.frames import FRAMES_PER_HOP, hop_frames, warm_up_frames
from needle.metering.lean import LEAN_LIMIT_DB, lean_db
from needle.metering.overview import finite
from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import Mix
from needle.render.cache import RenderCache
from needle.render.engine import render_audio

Values = NDArray[np.float64]
Audio = NDArray[np.float32]

SOURCE, RETURN = "source", "return"
_CACHE_BYTES = 256 << 20

HOPS_AT_ONCE = 200
"""Tenths of a second that are heard in one go."""


@dataclass(frozen=True)
class Part:
    """A source or a return that sounds in a mix."""

    id: str
    kind: str


@dataclass(frozen=True)
class Shares:
    """What each part of a mix gives to it, per tenth of a second: K-weighted, left and right.

    In a room the powers of its channels count for the sides on which they stand.

    ``whole`` (2, n): mean squares of the mix. ``own`` (parts, 2, n): of the part by itself; ``cross`` (parts, 2, n):
    mean of the part times the mix. A source is its direct sound and what comes of its sends; a return is all that
    comes out of it.
    """

    parts: tuple[Part, ...]
    whole: Values
    own: Values
    cross: Values

    @classmethod
    def joined(cls, stretches: Sequence["Shares"]) -> "Shares":
        """Those of consecutive stretches of time, of the same parts."""
        arrays = (
            np.concatenate([getattr(s, name) for s in stretches], axis=-1) for name in ("whole", "own", "cross")
        )
        return cls(stretches[0].parts, *arrays)

    @classmethod
    def side_by_side(cls, groups: Sequence["Shares"]) -> "Shares":
        """Those of several groups of parts, of the same stretch of time."""
        parts = tuple(part for group in groups for part in group.parts)
        own, cross = (np.concatenate([getattr(g, name) for g in groups]) for name in ("own", "cross"))
        return cls(parts, groups[0].whole, own, cross)

    def without(self, part: int) -> Values:
        """Mean squares (2, n) of the mix without a part: those of the difference of both."""
        return np.maximum(self.whole - 2.0 * self.cross[part] + self.own[part], 0.0)

    def between(self, first: int, last: int) -> "Shares":
        """The same from one tenth of a second up to another."""
        cut = slice(first, last)
        return replace(self, whole=self.whole[..., cut], own=self.own[..., cut], cross=self.cross[..., cut])


@dataclass(frozen=True)
class Cause:
    """What one part adds to a lean (dB, + right): ``adds`` is the lean with it less the lean without it.

    ``without``: the lean without it, None if nothing is left then. ``lean``: its own; ``loudness`` (LUFS) and
    ``share`` (0…1 of the mix's power) say how strong it is; None or 0 where it is silent.
    """

    id: str
    kind: str
    adds: float
    without: float | None
    lean: float | None
    loudness: float | None
    share: float


Gather = Callable[[Mix, int, int], Steps[Shares]]
"""Gathers the shares of all that sounds; whoever has more hands has one of their own."""


def parts_of(mix: Mix) -> list[Part]:
    """All that sounds: sources that are not muted, and returns that something reaches."""
    sources = [Part(source.id, SOURCE) for source in mix.sources if not source.muted]
    return sources + [Part(mix_return.id, RETURN) for mix_return in mix.returns if EVERYTHING.sent(mix, mix_return)]


def gathered(mix: Mix, parts: Sequence[Part], first: int, last: int, *, cache: RenderCache | None = None) -> Shares:
    """The shares of some parts from one tenth of a second of the piece up to another.

    ``cache`` keeps what comes of returns for other stretches.
    """
    hop, past = FRAMES_PER_HOP * hop_frames(mix.rate), warm_up_frames(mix.rate)
    start, stop, count = first * hop - past, last * hop, last - first
    cache = cache if cache is not None else RenderCache(_CACHE_BYTES)
    mix_audio = render_audio(mix, start, stop, cache=cache)

    def in_hops(audio: Audio) -> Values:
        return KWeighting(mix.rate, mix.outputs)(audio)[:, past:].reshape(mix.outputs, count, hop)

    def means(audio: Values, other: Values) -> Values:
        return np.asarray(mix.room.sides @ _means(audio, other))

    whole = in_hops(mix_audio)
    own, cross = [], []
    for part in parts:
        if part.kind == SOURCE and _bent(mix, part.id):
            alone = mix_audio - render_audio(_lacking(mix, part.id), start, stop, cache=cache)
        else:
            alone = render_audio(mix, start, stop, Listening(solo=frozenset({part.id})), cache=cache)
        weighted = in_hops(alone)
        own.append(means(weighted, weighted))
        cross.append(means(weighted, whole))
    shape = (len(parts), 2, count)
    return Shares(tuple(parts), means(whole, whole), np.reshape(own, shape), np.reshape(cross, shape))


def shares(mix: Mix, first: int, last: int) -> Steps[Shares]:
    """The shares of all that sounds, from one tenth of a second of the piece up to another (not included)."""
    parts, result, cache = parts_of(mix), [], RenderCache(_CACHE_BYTES)
    for low, high, done in stretches(first, last, HOPS_AT_ONCE):
        result.append(gathered(mix, parts, low, high, cache=cache))
        yield done
    return Shares.joined(result)


def _bent(mix: Mix, source: str) -> bool:
    """Whether a source reaches the mix through something that is not the sum of what goes in.

    What it gives is told by leaving it out then.
    """
    sends = next(other.sends for other in mix.sources if other.id == source)
    return any(other.id in sends and not other.muted and not other.chain.linear for other in mix.returns)


def _lacking(mix: Mix, source: str) -> Mix:
    return replace(mix, sources=tuple(other for other in mix.sources if other.id != source))


def _means(one: Values, other: Values) -> Values:
    return np.einsum("chs,chs->ch", one, other) / one.shape[2]


def causes(shares: Shares) -> list[Cause]:
    """What every part adds to the lean of all of ``shares``, in their order."""
    whole = shares.whole.mean(axis=1) if shares.whole.size else np.zeros(2)
    lean = finite(lean_db(*whole))
    result = []
    for index, part in enumerate(shares.parts):
        without = finite(lean_db(*shares.without(index).mean(axis=1))) if shares.whole.size else None
        own = shares.own[index]
        mean = own.mean(axis=1) if own.size else np.zeros(2)
        adds = 0.0 if lean is None else lean - (without or 0.0)
        result.append(
            Cause(
                id=part.id,
                kind=part.kind,
                adds=float(np.clip(adds, -LEAN_LIMIT_DB, LEAN_LIMIT_DB)),
                without=without,
                lean=finite(lean_db(*mean)),
                loudness=finite(integrated(own.sum(axis=0))),
                share=float(np.clip(mean.sum() / whole.sum(), 0.0, 1.0)) if whole.sum() > 0.0 else 0.0,
            )
        )
    return result


def ranked(found: list[Cause], side: float) -> list[Cause]:
    """Those that pull most to a side (its sign) first."""
    return sorted(found, key=lambda cause: -cause.adds * (1.0 if side >= 0.0 else -1.0))
