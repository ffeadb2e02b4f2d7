"""Thinning: fewer points for the same move, off by no more than a grain.

Ramer-Douglas-Peucker in the value: D. Douglas and T. Peucker, "Algorithms for the reduction of the number of points
required to represent a digitized line or its caricature", The Canadian Cartographer 10 (1973).
"""

from collections.abc import Callable, Sequence

import numpy as np

from needle.moving.lane import Point, Values


def _itself(values: Values) -> Values:
    return values


def kept_of(times: Values, values: Values, grain: float, told: Callable[[Values], Values] = _itself) -> list[int]:
    """Which of a line's corners to keep, so that the straight line through them is off by ``grain`` at the most.

    ``times`` (s) rising, ``values`` of the same shape (corners,). How far it is off is told in ``told(values)``, for
    example in gain where the values are dB. Keeping twice is keeping once.
    """
    kept = {0, len(times) - 1}
    waiting = [(0, len(times) - 1)]
    while waiting:
        low, high = waiting.pop()
        if high - low < 2:
            continue
        share = (times[low + 1 : high] - times[low]) / (times[high] - times[low])
        line = values[low] + share * (values[high] - values[low])
        off = np.abs(told(values[low + 1 : high]) - told(line))
        worst = int(np.argmax(off))
        if off[worst] > grain:
            middle = low + 1 + worst
            kept.add(middle)
            waiting += [(low, middle), (middle, high)]
    return sorted(kept)


def thinned(points: Sequence[Point], grain: float) -> tuple[Point, ...]:
    """The points without those that the straight lines between the others tell as well, within ``grain``.

    Points where the lane jumps, and those that lead on or are led to by another shape than *straight*, stay.
    """
    found: list[Point] = []
    run: list[Point] = []

    def finish() -> None:
        if run:
            times, values = (np.array([getattr(p, name) for p in run]) for name in ("t", "value"))
            found.extend(run[i] for i in kept_of(times, values, grain))
            run.clear()

    for point in points:
        if run and point.t == run[-1].t:
            finish()
        run.append(point)
        if point.shape != "straight":
            finish()
    finish()
    return tuple(found)
