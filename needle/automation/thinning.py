"""Thinning: fewer points for the same move, off by no more than a grain.

Ramer-Douglas-Peucker in the value: D. Douglas and T. Peucker, "Algorithms for the reduction of the number of points
required to represent a digitized line or its caricature", The Canadian Cartographer 10 (1973).
"""

import itertools
from collections.abc import Callable, Sequence

import numpy as np

from needle.automation.curve import Point, Values


def _itself(values: Values) -> Values:
    return values


def breakpoints(
    times: Values,
    values: Values,
    tolerance: float,
    scale: Callable[[Values], Values] = _itself,
    bounds: Sequence[int] | None = None,
) -> list[int]:
    """Indices of the corners of lines between which straight lines are off by ``tolerance`` at the most.

    ``times`` (s) rising, ``values`` (corners,) or (lines, corners). The error is that of ``scale(values)``: of gains,
    for example, where the values are dB. ``bounds``, by default both ends, are always among the indices. Thinning
    twice is thinning once.
    """
    indices = set(bounds if bounds is not None else (0, len(times) - 1))
    pieces = list(itertools.pairwise(sorted(indices)))
    while pieces:
        low, high = pieces.pop()
        if high - low < 2:
            continue
        share = (times[low + 1 : high] - times[low]) / (times[high] - times[low])
        first, last = values[..., low, np.newaxis], values[..., high, np.newaxis]
        error = np.abs(scale(values[..., low + 1 : high]) - scale(first + share * (last - first)))
        error = error.reshape(-1, high - low - 1).max(axis=0)
        worst = int(np.argmax(error))
        if error[worst] > tolerance:
            middle = low + 1 + worst
            indices.add(middle)
            pieces += [(low, middle), (middle, high)]
    return sorted(indices)


def thinned(points: Sequence[Point], grain: float) -> tuple[Point, ...]:
    """The points without those that the straight lines between the others tell as well, within ``grain``.

    Points where the lane jumps, and those that lead on or are led to by another shape than *straight*, stay.
    """
    thin: list[Point] = []
    run: list[Point] = []

    def finish() -> None:
        if run:
            times, values = (np.array([getattr(p, name) for p in run]) for name in ("t", "value"))
            thin.extend(run[i] for i in breakpoints(times, values, grain))
            run.clear()

    for point in points:
        if run and point.t == run[-1].t:
            finish()
        run.append(point)
        if point.shape != "straight":
            finish()
    finish()
    return tuple(thin)
