"""Moves that are taken along: a stretch of one or several lanes as a clip, and where it may be put down again."""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from needle.automation.curve import Lane
from needle.automation.splice import Points, piece_of, plain_lane
from needle.errors import NeedleError
from needle.tempo import TempoMap

MOST_PLACES = 512


@dataclass(frozen=True)
class Clip:
    """What was copied: ``seconds`` long, from ``start`` (s) on; per parameter the points, from 0 s on."""

    start: float
    seconds: float
    lanes: Mapping[str, Points]

    def at(self, time: float, tempo: TempoMap, by_beats: bool = True) -> "Clip":
        """The clip as it is at another time (s): as many beats long there, or as many seconds."""
        if time == self.start or not by_beats or len(tempo.tempos) == 1:
            return replace(self, start=time)
        first, beat = tempo.beat_at(self.start), tempo.beat_at(time)

        def carried(t: float) -> float:
            return tempo.seconds_at(beat + tempo.beat_at(self.start + t) - first) - time

        lanes = {
            name: tuple(replace(p, t=carried(p.t) if p.t else 0.0) for p in points)
            for name, points in self.lanes.items()
        }
        return Clip(time, carried(self.seconds), lanes)


def clip_of(lanes: Mapping[str, tuple[Lane, float]], start: float, end: float) -> Clip:
    """A clip of the stretch from ``start`` to ``end`` (s) of lanes, each with its static value."""
    if not 0.0 <= start < end:
        raise NeedleError("clip.range_is_empty")
    result = {}
    for name, (lane, static) in lanes.items():
        piece = piece_of(plain_lane(lane, static, start), start, end)
        moved = [replace(p, t=p.t - start) for p in piece]
        result[name] = (*moved[:-1], replace(moved[-1], t=end - start))
    return Clip(start, end - start, result)


@dataclass(frozen=True)
class PastePlace:
    """A time (s) at which a clip may be put down, why there, and how alike the sound is (0…1; 1 where not asked)."""

    at: float
    why: str
    alike: float = 1.0


def every_bars(tempo: TempoMap, start: float, every: int, until: float) -> list[PastePlace]:
    """Every so many bars after ``start`` (s), at the same distance from the bar, as long as the piece lasts."""
    if not 1 <= every <= 999:
        raise NeedleError("clip.repeat_out_of_range")
    bar, _ = tempo.bar_at(tempo.beat_at(start))
    into = tempo.beat_at(start) - tempo.beat_of_bar(bar)
    result = []
    for count in range(1, MOST_PLACES + 1):
        at = tempo.seconds_at(tempo.beat_of_bar(bar + count * every) + into)
        if at >= until:
            break
        result.append(PastePlace(at, f"bar {bar + count * every}"))
    return result


def on_passages(
    tempo: TempoMap, passages: Iterable[Mapping[str, Any]], name: str, start: float, until: float
) -> list[PastePlace]:
    """In every passage of a ``name``, as far into it as ``start`` (s) is into the passage that it lies in.

    Where ``start`` lies in none, at the beginning of each. The place that the clip comes from is left out.
    """
    rows = sorted(passages, key=lambda row: row["start"])
    beat = tempo.beat_at(start)
    home = next((row for row in rows if row["start"] <= beat + 1e-9 < row["end"]), None)
    into = beat - home["start"] if home else 0.0
    result = []
    for row in rows:
        at = max(tempo.seconds_at(row["start"] + into), 0.0)
        if row["name"] == name and at < until and not math.isclose(at, start, abs_tol=1e-6):
            bar, _ = tempo.bar_at(row["start"] + into + 1e-9)
            result.append(PastePlace(at, f"{name}, bar {bar}"))
    return result[:MOST_PLACES]
