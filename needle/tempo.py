"""The tempo map: beats in seconds, bars in beats, and a tempo from taps.

Beats count quarter notes from 0; bars count from 1.
"""

import itertools
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from needle.errors import NeedleError


@dataclass(frozen=True)
class TempoMap:
    """When each beat falls, and where the bars are; exact in both directions.

    ``tempos``: steps (beat, bpm), the first at beat 0, beats rising, 10 to 400 bpm.
    ``metres``: changes (bar, beats in a bar, beat unit), the first at bar 1, bars rising.
    A bar of 6/8 is three quarter-note beats long.
    """

    tempos: tuple[tuple[float, float], ...] = ((0.0, 120.0),)
    metres: tuple[tuple[int, int, int], ...] = ((1, 4, 4),)

    def __post_init__(self) -> None:
        object.__setattr__(self, "tempos", tuple((float(b), float(v)) for b, v in self.tempos))
        object.__setattr__(self, "metres", tuple((int(b), int(n), int(u)) for b, n, u in self.metres))
        if not self.tempos or self.tempos[0][0] != 0.0:
            raise NeedleError("tempo.first_tempo")
        if not self.metres or self.metres[0][0] != 1:
            raise NeedleError("tempo.first_metre")
        if any(not (10.0 <= bpm <= 400.0) for _, bpm in self.tempos):
            raise NeedleError("tempo.out_of_range")
        if any(not (1 <= n <= 32) or u not in (1, 2, 4, 8, 16, 32) for _, n, u in self.metres):
            raise NeedleError("tempo.metre_out_of_range")
        if not (_rising([b for b, _ in self.tempos]) and _rising([b for b, _, _ in self.metres])):
            raise NeedleError("tempo.changes_out_of_order")

    @cached_property
    def _tempo_seconds(self) -> list[float]:
        seconds = [0.0]
        for (beat, bpm), (next_beat, _) in zip(self.tempos, self.tempos[1:], strict=False):
            seconds.append(seconds[-1] + (next_beat - beat) * 60.0 / bpm)
        return seconds

    @cached_property
    def _metre_beats(self) -> list[float]:
        beats = [0.0]
        for (bar, n, unit), (next_bar, _, _) in zip(self.metres, self.metres[1:], strict=False):
            beats.append(beats[-1] + (next_bar - bar) * n * 4.0 / unit)
        return beats

    def seconds_at(self, beat: float) -> float:
        """Tell when a beat falls (s); beats before 0 run at the first tempo.

        Examples
        --------
        >>> TempoMap(((0.0, 120.0), (4.0, 60.0))).seconds_at(5.0)
        3.0
        """
        step = max(bisect_right([b for b, _ in self.tempos], beat) - 1, 0)
        start, bpm = self.tempos[step]
        return self._tempo_seconds[step] + (beat - start) * 60.0 / bpm

    def beat_at(self, seconds: float) -> float:
        """The beat sounding at a time (s): the inverse of ``seconds_at``."""
        step = max(bisect_right(self._tempo_seconds, seconds) - 1, 0)
        start, bpm = self.tempos[step]
        return start + (seconds - self._tempo_seconds[step]) * bpm / 60.0

    def beats_at(self, seconds: ArrayLike) -> NDArray[np.float64]:
        """``beat_at`` for many times (s), of any shape."""
        t = np.asarray(seconds, dtype=np.float64)
        step = self._steps_at(t)
        starts, bpm = np.array(self.tempos).T
        return starts[step] + (t - np.array(self._tempo_seconds)[step]) * bpm[step] / 60.0

    def bpm_at(self, seconds: ArrayLike) -> NDArray[np.float64]:
        """The tempo at each time (s), of any shape."""
        return np.array(self.tempos)[self._steps_at(np.asarray(seconds, dtype=np.float64)), 1]

    def _steps_at(self, seconds: NDArray[np.float64]) -> NDArray[np.intp]:
        return np.maximum(np.searchsorted(self._tempo_seconds, seconds, side="right") - 1, 0)

    def beat_of_bar(self, bar: int) -> float:
        """The beat on which ``bar`` (from 1) begins."""
        step = max(bisect_right([b for b, _, _ in self.metres], bar) - 1, 0)
        first, n, unit = self.metres[step]
        return self._metre_beats[step] + (bar - first) * n * 4.0 / unit

    def bar_at(self, beat: float) -> tuple[int, float]:
        """The bar (from 1) that holds ``beat``, and how far into it (in beat units, from 1)."""
        step = max(bisect_right(self._metre_beats, beat) - 1, 0)
        first, n, unit = self.metres[step]
        in_units = (beat - self._metre_beats[step]) * unit / 4.0
        bars, rest = divmod(in_units, n)
        return first + int(bars), rest + 1.0

    def bar_sounding(self, seconds: float) -> int:
        """The bar (from 1) that sounds at a time (s); what rounding leaves just before a bar line is on it."""
        return self.bar_at(self.beat_at(seconds) + 1e-6)[0]

    def metre_of_bar(self, bar: int) -> tuple[int, int]:
        """The metre in force in ``bar``: beats in a bar, beat unit."""
        step = max(bisect_right([b for b, _, _ in self.metres], bar) - 1, 0)
        return self.metres[step][1:]

    def bars_until(self, seconds: float) -> list[int]:
        """Every bar that begins before a time (s)."""
        bars = []
        bar = 1
        while self.seconds_at(self.beat_of_bar(bar)) < seconds - 1e-9:
            bars.append(bar)
            bar += 1
        return bars


def tempo_of_taps(times: Sequence[float]) -> float:
    """The tempo (bpm, to a tenth) of taps on the beat at rising times (s).

    The median of the last eight intervals, so that one slip of the hand does not count. NeedleError for fewer than
    two taps, or a tempo that no session can have.
    """
    intervals = np.diff(np.asarray(times, dtype=np.float64))[-8:]
    if not intervals.size or not (intervals > 0.0).all():
        raise NeedleError("tempo.tap_twice")
    bpm = 60.0 / float(np.median(intervals))
    if not 10.0 <= bpm <= 400.0:
        raise NeedleError("tempo.tapped_out_of_range", bpm=round(bpm))
    return round(bpm, 1)


def _rising(values: Sequence[float]) -> bool:
    return all(a < b for a, b in itertools.pairwise(values))
