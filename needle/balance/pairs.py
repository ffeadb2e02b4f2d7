"""Pairs: two sources, or two sets of them, side by side over a passage, and the trim that evens them."""

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from needle.balance.measuring import Measure
from needle.balance.progress import Steps, within
from needle.dsp.loudness import integrated, loudness_of
from needle.errors import NeedleError
from needle.metering.lean import lean_db
from needle.metering.overview import Overview, finite
from needle.mix.listening import Listening
from needle.mix.model import Mix

Values = NDArray[np.float64]

STEP_DB = 0.5
SILENT_LUFS = -70.0
"""A side that is softer has nothing to compare (BS.1770-5's absolute gate)."""


@dataclass(frozen=True)
class Side:
    """How a set of sources measures by itself, with all that it sends: loudness (LUFS, gated) and lean (dB)."""

    loudness: float | None
    lean: float | None


@dataclass(frozen=True)
class Pair:
    """Both sides; ``difference``: how much louder the first is (dB; None where one is silent); ``trims``: ways to
    even them, each what is added to the first and to the second (dB, half-decibel steps)."""

    first: Side
    second: Side
    difference: float | None
    trims: tuple[tuple[float, float], ...]


def compared(mix: Mix, first: Collection[str], second: Collection[str], measure: Measure) -> Steps[Pair]:
    """Two sets of sources side by side, over what ``measure`` measures.

    NeedleError if one is empty, they share a source, or one is not there.
    """
    if not first or not second:
        raise NeedleError("balance.pair_needs_both_sides")
    if set(first) & set(second):
        raise NeedleError("balance.source_on_both_sides")
    missing = (set(first) | set(second)) - {source.id for source in mix.sources}
    if missing:
        raise NeedleError("balance.pair_source_removed")
    first_frames = yield from within(measure(mix, Listening(solo=frozenset(first))), 0.0, 0.5)
    other = yield from within(measure(mix, Listening(solo=frozenset(second))), 0.5, 1.0)
    sides = _side(Overview(first_frames).powers), _side(Overview(other).powers)
    loudness, against = sides[0].loudness, sides[1].loudness
    louder = None if loudness is None or against is None else loudness - against
    return Pair(*sides, difference=louder, trims=tuple(trims(louder or 0.0)))


def _side(powers: Values) -> Side:
    loudness = integrated(powers.sum(axis=0))
    if not np.isfinite(loudness) and powers.size:
        # Too short for a gated block: what there is, unless that is silence.
        mean = float(loudness_of(powers.sum(axis=0).mean()))
        loudness = mean if mean > SILENT_LUFS else loudness
    lean = lean_db(*powers.mean(axis=1)) if powers.size else np.nan
    return Side(finite(loudness), finite(lean))


def trims(difference: float) -> list[tuple[float, float]]:
    """Ways to even a difference (dB, + if the first is louder) in half-decibel steps: the louder down, the softer up,
    and where it can be parted, something of both."""
    steps = round(difference / STEP_DB)
    if not steps:
        return []
    result = [(-steps, 0), (0, steps)] if steps > 0 else [(0, steps), (-steps, 0)]
    if abs(steps) > 1:
        half = int(np.ceil(abs(steps) / 2)) * (1 if steps > 0 else -1)
        result.append((-half, steps - half) if steps > 0 else (-(steps - half), half))
    return [(first * STEP_DB, second * STEP_DB) for first, second in result]
