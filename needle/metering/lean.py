"""The lean: how far a mix's weight stands to the right (+) or the left (-), now and through the piece."""

from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from needle.dsp.loudness import integrated, loudness_of
from needle.errors import NeedleError

Values = NDArray[np.float64]

HOP_SECONDS = 0.1
SHORT_HOPS = 4
LONG_HOPS = 30
LEAN_LIMIT_DB = 60.0
"""A mix with one side silent leans by this much (dB): beyond it a ratio says nothing more."""

_FULL_WEIGHT_LU, _NO_WEIGHT_LU = 10.0, 20.0
"""How far below the piece's loudness (LU) a moment still has full weight, and from where on it has none."""

UNDEFINED_BELOW_DB = -60.0
"""The lean is undefined (nan) where both sides together are weaker than this (dBFS, K-weighted)."""


def hops_in(seconds: float) -> int:
    """How many whole hops there are in a time (s)."""
    return int(seconds / HOP_SECONDS + 1e-6)


def hops_between(start: float, end: float, count: int) -> tuple[int, int]:
    """The first hop from ``start``, and the one after the last before ``end`` (s; 0: to the last), of ``count``."""
    return min(round(start / HOP_SECONDS), count), min(round(end / HOP_SECONDS), count) if end else count


def lean_db(left: Values, right: Values) -> Values:
    """10 log10(right / left) of K-weighted mean squares, dB, any shape; nan where too weak to say."""
    left, right = np.asarray(left, dtype=np.float64), np.asarray(right, dtype=np.float64)
    smallest = 1e-30
    ratio = 10.0 * np.log10(np.maximum(right, smallest) / np.maximum(left, smallest))
    weak = left + right < 10.0 ** (UNDEFINED_BELOW_DB / 10.0)
    return np.where(weak, np.nan, np.clip(ratio, -LEAN_LIMIT_DB, LEAN_LIMIT_DB))


def lean_curve(powers: Values, hops: int) -> Values:
    """The lean (dB) at the middle of each 100 ms hop, over a window of ``hops`` centred on it.

    ``powers``: K-weighted mean squares left and right per hop, shape (2, n). Windows are cut off at both
    ends of the piece. Drawn against time, the middle of a window is where the lean is; the needle, which
    cannot know what follows, reads the window that has just ended.
    """
    means = np.maximum(centred_mean(powers, hops), 0.0)
    return lean_db(means[0], means[1])


def centred_mean(values: Values, hops: int) -> Values:
    """Means over ``hops`` values about each along the last axis; windows are cut off at both ends."""
    n = values.shape[-1]
    summed = np.concatenate([np.zeros((*values.shape[:-1], 1)), np.cumsum(values, axis=-1)], axis=-1)
    low = np.maximum(np.arange(n) - hops // 2, 0)
    high = np.minimum(np.arange(n) + hops - hops // 2, n)
    return (summed[..., high] - summed[..., low]) / np.maximum(high - low, 1)


@dataclass(frozen=True)
class Stretch:
    """A stretch (s) through which the mix leans one way: mean over it and the worst moment (dB, + right)."""

    start: float
    end: float
    mean_db: float
    worst_db: float

    def as_dict(self) -> dict[str, float]:
        return asdict(self)


@dataclass(frozen=True)
class Tolerance:
    """What counts as leaning: more than ``db`` for at least ``seconds``, gaps below ``gap`` s bridged.

    NeedleError where ``db`` lies outside 0.1…12 or ``seconds`` outside 0.5…60.
    """

    db: float = 1.5
    seconds: float = 4.0
    gap: float = 1.0

    def __post_init__(self) -> None:
        if not 0.1 <= self.db <= 12.0:
            raise NeedleError("lean.tolerance_out_of_range")
        if not 0.5 <= self.seconds <= 60.0:
            raise NeedleError("lean.seconds_out_of_range")


def loudness_weights(powers: Values) -> Values:
    """How much each tenth of a second counts for what leans (0…1), (n,), by the loudness of the 3 s about it.

    What is 20 LU or more below the piece's integrated loudness counts for nothing, what is up to 10 LU below it
    whole, in between in proportion: a tail of reverb alone leans nowhere. ``powers`` as for ``lean_curve``, of all of
    the piece.
    """
    both = powers.sum(axis=0)
    whole = integrated(both)
    if not np.isfinite(whole):
        return np.ones(powers.shape[1])
    below = whole - loudness_of(np.maximum(centred_mean(both, LONG_HOPS), 1e-30))
    return np.clip((_NO_WEIGHT_LU - below) / (_NO_WEIGHT_LU - _FULL_WEIGHT_LU), 0.0, 1.0)


def weighted_lean(powers: Values) -> Values:
    """The 3 s lean (dB) at each tenth of a second, weighted by its loudness; nan where undefined."""
    return lean_curve(powers, LONG_HOPS) * loudness_weights(powers)


def leaning_stretches(powers: Values, tolerance: Tolerance = Tolerance()) -> list[Stretch]:
    """Where the 3 s lean stays out of tolerance on one side for too long, in the order of time.

    ``powers`` as for ``lean_curve``, of all of the piece. Each moment counts by its loudness (``loudness_weights``).
    """
    curve, weighted = lean_curve(powers, LONG_HOPS), weighted_lean(powers)
    result = []
    for side in (-1.0, 1.0):
        with np.errstate(invalid="ignore"):
            runs = _runs(weighted * side > tolerance.db)
        for first, last in _bridged(runs, tolerance.gap / HOP_SECONDS):
            if (last - first) * HOP_SECONDS >= tolerance.seconds - 1e-9:
                worst = curve[first + int(np.nanargmax(weighted[first:last] * side))]
                sums = powers[:, first:last].sum(axis=1)
                mean = 10.0 * np.log10(max(sums[1], 1e-30) / max(sums[0], 1e-30))
                mean = float(np.clip(mean, -LEAN_LIMIT_DB, LEAN_LIMIT_DB))
                result.append(
                    Stretch(round(first * HOP_SECONDS, 6), round(last * HOP_SECONDS, 6), mean, float(worst))
                )
    return sorted(result, key=lambda stretch: stretch.start)


def _runs(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[False], flags, [False]]).astype(np.int8)))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def _bridged(runs: list[tuple[int, int]], gap: float) -> list[tuple[int, int]]:
    joined: list[tuple[int, int]] = []
    for first, last in runs:
        if joined and first - joined[-1][1] < gap:
            joined[-1] = (joined[-1][0], last)
        else:
            joined.append((first, last))
    return joined
