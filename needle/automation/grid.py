"""Where the lines of a grid of bars, beats and their parts fall."""

import bisect
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from needle.errors import NeedleError
from needle.tempo import TempoMap

MOST_PARTS = 24


@dataclass(frozen=True)
class Grid:
    """A session's grid: every beat, as its metre counts, in ``parts`` even parts (3: triplets); 0 parts are bars."""

    tempo: TempoMap
    length: float
    parts: int = 4

    def __post_init__(self) -> None:
        if not 0 <= self.parts <= MOST_PARTS:
            raise NeedleError("grid.parts_out_of_range", most=MOST_PARTS)

    @cached_property
    def lines(self) -> NDArray[np.float64]:
        """The times (s) of all lines from the beginning to the first at or after the piece's end, ascending."""
        result: list[float] = []
        for bar in self.tempo.bars_until(self.length):
            beats, unit = self.tempo.metre_of_bar(bar)
            first = self.tempo.beat_of_bar(bar)
            count = 1 if self.parts == 0 else beats * self.parts
            step = beats * 4.0 / unit / count
            result += [self.tempo.seconds_at(first + i * step) for i in range(count)]
        bars = len(self.tempo.bars_until(self.length))
        return np.array([*result, self.tempo.seconds_at(self.tempo.beat_of_bar(bars + 1))])

    def nearest(self, at: float) -> float:
        """The time (s) of the line nearest to ``at``; the earlier of two that are equally near."""
        place = bisect.bisect_left(self.lines, at)
        around = self.lines[max(place - 1, 0) : place + 1]
        return float(min(around, key=lambda line: abs(line - at)))


def bars_words(tempo: TempoMap, start: float, end: float) -> str:
    """The bars that a stretch of time (s) touches, in words: "bar 17", "bars 17-21"."""
    first, last = (tempo.bar_sounding(t) for t in (start, max(end - 1e-3, start)))
    return f"bar {first}" if first == last else f"bars {first}–{last}"


def clock_words(seconds: float) -> str:
    """A time (s) in minutes, seconds and tenths: 0:43.6."""
    tenths = int(seconds * 10 + 1e-6)
    return f"{tenths // 600}:{tenths // 10 % 60:02}.{tenths % 10}"


def even_beats(tempo: TempoMap, start: float, end: float, count: int) -> list[float]:
    """The ``count`` + 1 edges (s) of as many stretches of equally many beats from ``start`` to ``end``."""
    first, last = tempo.beat_at(start), tempo.beat_at(end)
    inner = [tempo.seconds_at(first + (last - first) * i / count) for i in range(1, count)]
    return [start, *inner, end]
