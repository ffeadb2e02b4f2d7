"""How far a mix may lean, tenth of a second by tenth of a second, while it is being evened."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from needle.errors import NeedleError
from needle.metering.lean import (
    HOP_SECONDS,
    LONG_HOPS,
    Stretch,
    Tolerance,
    lean_curve,
    leaning_stretches,
    loudness_weights,
)

Values = NDArray[np.float64]

_ROUNDING_DB = 0.05
_LEAST_WEIGHT = 0.05
"""Moments of a smaller weight are not evened."""


@dataclass(frozen=True)
class Bounds:
    """``limits`` (dB; nan where anything goes): the tolerance where the mix is to be evened (``inside``).

    What is soft counts less (``needle.metering.lean.loudness_weights``), so that more is let go there. Wherever else
    a proposal has made a stretch of its own, no farther than it leans ``now``. A short lean elsewhere matters not.
    ``before``: the stretches that were there elsewhere. ``worst``: how far each stretch that is to be evened leans at
    the most, with its tenths of seconds.
    """

    limits: Values
    now: Values
    inside: NDArray[np.bool_]
    tolerance: Tolerance
    before: tuple[Stretch, ...]
    weights: Values
    worst: tuple[tuple[slice, float], ...]

    @classmethod
    def of(cls, powers: Values, scope: Sequence[tuple[float, float]], tolerance: Tolerance) -> "Bounds":
        lean = lean_curve(powers, LONG_HOPS)
        times = (np.arange(len(lean)) + 0.5) * HOP_SECONDS
        inside = np.zeros(len(lean), dtype=bool)
        for start, end in scope:
            inside |= (times >= start) & (times < end)
        if np.isnan(lean[inside]).all():
            raise NeedleError("balance.range_is_silent")
        weights = loudness_weights(powers)
        counts = inside & ~np.isnan(lean) & (weights > _LEAST_WEIGHT)
        limits = np.where(counts, tolerance.db / np.maximum(weights, _LEAST_WEIGHT), np.nan)
        outside = tuple(s for s in leaning_stretches(powers, tolerance) if not _touches(s, inside))
        ranges = [slice(*np.searchsorted(times, edges)) for edges in scope]
        worst = tuple((hops, _most(lean[hops] * weights[hops])) for hops in ranges)
        return cls(limits, lean, inside, tolerance, outside, weights, worst)

    def excess(self, powers: Values) -> float:
        """By how much a mix is out of them at its worst (dB); 0 or less if it is not.

        That is where it was to be evened, or in a stretch elsewhere that was not there, or not as bad.
        """
        over = [self.excess_inside(powers)]
        over += [abs(s.worst_db) - limit for s, limit in self._elsewhere(powers) if abs(s.worst_db) > limit]
        return max(over)

    def excess_inside(self, powers: Values) -> float:
        """The same only where it was to be evened."""
        return _most(self._weighted(powers)[self.inside]) - self.tolerance.db

    def none_worse(self, powers: Values) -> bool:
        """Whether no stretch leans farther than it did, neither one that is to be evened nor one elsewhere."""
        weighted = self._weighted(powers)
        inside_holds = all(_most(weighted[span]) <= worst + _ROUNDING_DB for span, worst in self.worst)
        return inside_holds and all(abs(s.worst_db) <= limit for s, limit in self._elsewhere(powers))

    def _weighted(self, powers: Values) -> Values:
        """The lean, weighted by the loudness before anything was changed."""
        return lean_curve(powers, LONG_HOPS) * self.weights

    def violation(self, powers: Values) -> float:
        """How much leaning there is, stretches elsewhere included: dB out of tolerance times tenths of seconds."""
        over = np.nan_to_num(np.abs(self._weighted(powers)) - self.tolerance.db)
        counted = self.inside.copy()
        for stretch in leaning_stretches(powers, self.tolerance):
            counted[_hops(stretch)] = True
        return float(np.maximum(over[counted], 0.0).sum())

    def narrowed(self, powers: Values) -> "Bounds":
        """With the stretches that a proposal made elsewhere ruled out."""
        limits = self.limits.copy()
        for stretch, _ in self._elsewhere(powers):
            hops = _hops(stretch)
            limits[hops] = np.where(
                np.isnan(limits[hops]), np.fmax(np.abs(self.now[hops]), self._allowed(hops)), limits[hops]
            )
        return replace(self, limits=limits)

    def _allowed(self, here: slice) -> Values:
        return self.tolerance.db / np.maximum(self.weights[here], _LEAST_WEIGHT)

    def _elsewhere(self, powers: Values) -> Iterator[tuple[Stretch, float]]:
        """Stretches where nothing was to be evened, with the worst that may be there."""
        for stretch in leaning_stretches(powers, self.tolerance):
            if not _touches(stretch, self.inside):
                there = [abs(s.worst_db) for s in self.before if s.start < stretch.end and stretch.start < s.end]
                yield stretch, max([*there, self.tolerance.db]) + (_ROUNDING_DB if there else 0.0)


def _most(lean: Values) -> float:
    """The farthest that it leans to either side (dB); 0 where it leans nowhere."""
    return float(np.nanmax(np.abs(lean), initial=0.0)) if lean.size and not np.isnan(lean).all() else 0.0


def _touches(stretch: Stretch, inside: NDArray[np.bool_]) -> bool:
    return bool(inside[_hops(stretch)].any())


def _hops(stretch: Stretch) -> slice:
    return slice(round(stretch.start / HOP_SECONDS), round(stretch.end / HOP_SECONDS))
