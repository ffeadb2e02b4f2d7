"""Ways: which loudspeakers a source may sound from and how strong each group is, always and passage by passage."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Lane, Point
from needle.dsp.room_panner import apply_speaker_mask
from needle.errors import NeedleError
from needle.layouts import SPEAKER_GROUPS, Layout
from needle.tempo import TempoMap
from needle.units import OFF_DB, db_to_gain

Values = NDArray[np.float64]

HIGHEST_DB = 12.0
LEVELS = (*SPEAKER_GROUPS, "lfe")
"""What has a level of its own in a way."""

ALWAYS = ""
"""The key of the way that holds outside of all passages that have one of their own."""

WAY_DEFAULTS: dict[str, Any] = {"off": [], "levels": {}, "direct": 0.0, "ambient": 0.0}


@dataclass(frozen=True)
class Way:
    """``off``: names of speakers that may not sound. ``levels`` (dB) by group, those as they are at first left out.

    ``direct`` and ``ambient`` (dB) are the amounts of both parts of a stem that is spread over the room.
    """

    off: tuple[str, ...] = ()
    levels: tuple[tuple[str, float], ...] = ()
    direct: float = 0.0
    ambient: float = 0.0

    @classmethod
    def of(cls, stored: Mapping[str, Any]) -> "Way":
        """A way as it is stored."""
        levels = tuple(
            sorted(
                (name, float(v)) for name, v in stored["levels"].items() if v != (OFF_DB if name == "lfe" else 0.0)
            )
        )
        return cls(tuple(sorted(stored["off"])), levels, float(stored["direct"]), float(stored["ambient"]))


def checked_way(stored: Mapping[str, Any]) -> None:
    """NeedleError if a way is not allowed."""
    for name in (*stored["levels"].values(), stored["direct"], stored["ambient"]):
        if not (np.isfinite(name) and OFF_DB <= name <= HIGHEST_DB):
            raise NeedleError(f"A level in the room runs from off to {HIGHEST_DB:g} dB.")
    unknown = sorted(set(stored["levels"]) - set(LEVELS))
    if unknown:
        raise NeedleError(f"There is no group of loudspeakers “{unknown[0]}”. Choose {', '.join(LEVELS)}.")


@dataclass(frozen=True)
class Ways:
    """``always`` holds, but from ``start`` to ``end`` (s) of each of ``spans`` its own way; later spans win."""

    always: Way = field(default_factory=Way)
    spans: tuple[tuple[float, float, Way], ...] = ()

    @property
    def plain(self) -> bool:
        """Whether everything sounds from everywhere, as it is."""
        return self == PLAIN_WAYS

    @cached_property
    def all(self) -> tuple[Way, ...]:
        """Every way that holds at some time."""
        return tuple(dict.fromkeys([self.always, *(way for _, _, way in self.spans)]))

    @property
    def to_lfe(self) -> bool:
        return any(level > OFF_DB for way in self.all for name, level in way.levels if name == "lfe")

    @cached_property
    def lanes(self) -> tuple[Lane, ...]:
        """How far each of ``all`` holds over time, 0 or 1, ramped; none if there is only one."""
        if len(self.all) == 1:
            return ()
        edges = sorted({0.0, *(edge for start, end, _ in self.spans for edge in (max(start, 0.0), max(end, 0.0)))})
        active = [self.at(edge) for edge in edges]
        return tuple(
            Lane(tuple(Point(t, float(way == current), "hold") for t, current in zip(edges, active, strict=True)))
            for way in self.all
        )

    def at(self, seconds: float) -> Way:
        """The way that holds at a time (s)."""
        result = self.always
        for start, end, way in self.spans:
            if start <= seconds < end:
                result = way
        return result

    def shares(self, times: Values) -> dict[Way, Values]:
        """How far each way holds at each time, 0…1; together they are one."""
        if not self.lanes:
            return {self.always: np.ones(1)}
        return {way: lane.evaluate(times) for way, lane in zip(self.all, self.lanes, strict=True)}

    def text_between(self, low: float, high: float) -> str:
        """What it depends on between two times (s), as text."""
        near = tuple(span for span in self.spans if span[0] < high + 1.0 and span[1] > low - 1.0)
        return "" if self.plain else f"{self.always} {near}"

    def through(self, layout: Layout, powers: Values, times: Values) -> Values:
        """Powers (speakers, inputs, times) as these ways let them through, group levels left out."""
        if not any(way.off for way in self.all):
            return powers
        shares: dict[frozenset[str], Values] = {}
        for way, share in self.shares(times).items():
            off = frozenset(way.off)
            shares[off] = shares[off] + share if off in shares else share
        return apply_speaker_mask(layout, powers, shares)

    def group_gains(self, layout: Layout, times: Values) -> Values | None:
        """The gain of every speaker by its group's level, (speakers, times); None if all are 0 dB."""
        if not any(name != "lfe" for way in self.all for name, _ in way.levels):
            return None
        total: Values | float = 0.0
        for way, share in self.shares(times).items():
            levels = dict(way.levels)
            gains = np.array([float(db_to_gain(levels.get(s.group, 0.0))) for s in layout.speakers])
            total = total + gains[:, np.newaxis] * share
        return np.asarray(total)

    def gains(self, name: str, times: Values) -> Values:
        """The linear gain of ``direct``, ``ambient`` or ``lfe`` at each time; no LFE where it has no level."""
        total: Values | float = 0.0
        for way, share in self.shares(times).items():
            level = dict(way.levels).get("lfe", OFF_DB) if name == "lfe" else getattr(way, name)
            total = total + float(db_to_gain(level)) * share
        return np.asarray(total)


PLAIN_WAYS = Ways()


def ways_in(document: Mapping[str, Any], source: str, tempo: TempoMap) -> Ways:
    """The ways of a source in a session's document; those of passages that have gone count no more."""
    stored: Mapping[str, Any] = document["rooms"].get(source, {}).get("ways", {})
    if not stored:
        return PLAIN_WAYS
    result: Sequence[Any] = [
        (document["passages"][key], way) for key, way in stored.items() if key in document["passages"]
    ]
    spans = [(tempo.seconds_at(p["start"]), tempo.seconds_at(p["end"]), Way.of(way)) for p, way in result]
    spans.sort(key=lambda span: span[:2])
    return Ways(Way.of(stored.get(ALWAYS, WAY_DEFAULTS)), tuple(spans))
