"""A click on the beats, for one person's ears only: it is part of no mix, and no meter shows it."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from needle.tempo import TempoMap

Audio = NDArray[np.float32]

_SECONDS = 0.03
_BAR_HZ, _BEAT_HZ = 1760.0, 1320.0
_BAR_GAIN, _BEAT_GAIN = 0.35, 0.22


@lru_cache(maxsize=16)
def _struck(first: bool, rate: int) -> Audio:
    t = np.arange(round(_SECONDS * rate)) / rate
    hertz, gain = (_BAR_HZ, _BAR_GAIN) if first else (_BEAT_HZ, _BEAT_GAIN)
    return (gain * np.sin(2.0 * np.pi * hertz * t) * np.exp(-t / 0.006)).astype(np.float32)


def click(tempo: TempoMap, rate: int, start: int, stop: int) -> Audio:
    """The click from frame ``start`` to ``stop``: float32 (stop - start,). The first beat of a bar is higher.

    A beat is the metre's own unit.
    """
    out = np.zeros(max(stop - start, 0), np.float32)
    length = round(_SECONDS * rate)
    bar, _ = tempo.bar_at(max(tempo.beat_at(max(start - length, 0) / rate), 0.0))
    while True:
        begins = tempo.beat_of_bar(bar)
        if round(tempo.seconds_at(begins) * rate) >= stop:
            return out
        count, unit = tempo.metre_of_bar(bar)
        for beat in range(count):
            first = round(tempo.seconds_at(begins + beat * 4.0 / unit) * rate)
            low, high = max(first, start), min(first + length, stop)
            if low < high:
                out[low - start : high - start] += _struck(beat == 0, rate)[low - first : high - first]
        bar += 1
