"""Speaker routing: which loudspeakers a source sounds from and how strong each group is, by passage."""

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
from needle.stable_text import stable_text
from needle.tempo import TempoMap
from needle.units import OFF_DB, db_to_gain

Values = NDArray[np.float64]

HIGHEST_DB = 12.0
LEVELS = (*SPEAKER_GROUPS, "lfe")
"""What has a level of its own in a route."""

ALWAYS = ""
"""The key of the route that holds outside of all passages that have one of their own."""

ROUTE_DEFAULTS: dict[str, Any] = {"off": [], "levels": {}, "direct": 0.0, "ambient": 0.0}


@dataclass(frozen=True, repr=False)
class SpeakerRoute:
    """``off``: names of speakers that may not sound. ``levels`` (dB) by group, those as they are at first left out.

    ``direct`` and ``ambient`` (dB) are the amounts of both parts of a stem that is spread over the room.
    """

    off: tuple[str, ...] = ()
    levels: tuple[tuple[str, float], ...] = ()
    direct: float = 0.0
    ambient: float = 0.0

    def __repr__(self) -> str:
        return stable_text(self, "Way")

    @classmethod
    def of(cls, stored: Mapping[str, Any]) -> "SpeakerRoute":
        """A route as it is stored."""
        levels = tuple(
            sorted(
                (name, float(v)) for name, v in stored["levels"].items() if v != (OFF_DB if name == "lfe" else 0.0)
            )
        )
        return cls(tuple(sorted(stored["off"])), levels, float(stored["direct"]), float(stored["ambient"]))


def check_route(stored: Mapping[str, Any]) -> None:
    """NeedleError if a route is not allowed."""
    for name in (*stored["levels"].values(), stored["direct"], stored["ambient"]):
        if not (np.isfinite(name) and OFF_DB <= name <= HIGHEST_DB):
            raise NeedleError("speakers.level_out_of_range", highest=HIGHEST_DB)
    unknown = sorted(set(stored["levels"]) - set(LEVELS))
    if unknown:
        raise NeedleError("speakers.unknown_group", unknown=unknown[0], choices=LEVELS)


@dataclass(frozen=True)
class SpeakerRouting:
    """``always`` holds, but from ``start`` to ``end`` (s) of each of ``spans`` its own route; later spans win."""

    always: SpeakerRoute = field(default_factory=SpeakerRoute)
    spans: tuple[tuple[float, float, SpeakerRoute], ...] = ()

    @property
    def plain(self) -> bool:
        """Whether everything sounds from everywhere, as it is."""
        return self == PLAIN_ROUTING

    @cached_property
    def all(self) -> tuple[SpeakerRoute, ...]:
        """Every route that holds at some time."""
        return tuple(dict.fromkeys([self.always, *(route for _, _, route in self.spans)]))

    @property
    def to_lfe(self) -> bool:
        return any(level > OFF_DB for route in self.all for name, level in route.levels if name == "lfe")

    @cached_property
    def lanes(self) -> tuple[Lane, ...]:
        """How far each of ``all`` holds over time, 0 or 1, ramped; none if there is only one."""
        if len(self.all) == 1:
            return ()
        edges = sorted({0.0, *(edge for start, end, _ in self.spans for edge in (max(start, 0.0), max(end, 0.0)))})
        active = [self.at(edge) for edge in edges]
        return tuple(
            Lane(tuple(Point(t, float(route == current), "hold") for t, current in zip(edges, active, strict=True)))
            for route in self.all
        )

    def at(self, seconds: float) -> SpeakerRoute:
        """The route that holds at a time (s)."""
        result = self.always
        for start, end, route in self.spans:
            if start <= seconds < end:
                result = route
        return result

    def shares(self, times: Values) -> dict[SpeakerRoute, Values]:
        """How far each route holds at each time, 0…1; together they are one."""
        if not self.lanes:
            return {self.always: np.ones(1)}
        return {route: lane.evaluate(times) for route, lane in zip(self.all, self.lanes, strict=True)}

    def text_between(self, low: float, high: float) -> str:
        """What it depends on between two times (s), as text."""
        near = tuple(span for span in self.spans if span[0] < high + 1.0 and span[1] > low - 1.0)
        return "" if self.plain else f"{self.always} {near}"

    def through(self, layout: Layout, powers: Values, times: Values) -> Values:
        """Powers (speakers, inputs, times) as these routes let them through, group levels left out."""
        if not any(route.off for route in self.all):
            return powers
        shares: dict[frozenset[str], Values] = {}
        for route, share in self.shares(times).items():
            off = frozenset(route.off)
            shares[off] = shares[off] + share if off in shares else share
        return apply_speaker_mask(layout, powers, shares)

    def group_gains(self, layout: Layout, times: Values) -> Values | None:
        """The gain of every speaker by its group's level, (speakers, times); None if all are 0 dB."""
        if not any(name != "lfe" for route in self.all for name, _ in route.levels):
            return None
        total: Values | float = 0.0
        for route, share in self.shares(times).items():
            levels = dict(route.levels)
            gains = np.array([float(db_to_gain(levels.get(s.group, 0.0))) for s in layout.speakers])
            total = total + gains[:, np.newaxis] * share
        return np.asarray(total)

    def gains(self, name: str, times: Values) -> Values:
        """The linear gain of ``direct``, ``ambient`` or ``lfe`` at each time; no LFE where it has no level."""
        total: Values | float = 0.0
        for route, share in self.shares(times).items():
            level = dict(route.levels).get("lfe", OFF_DB) if name == "lfe" else getattr(route, name)
            total = total + float(db_to_gain(level)) * share
        return np.asarray(total)


PLAIN_ROUTING = SpeakerRouting()


def speaker_routing_in(document: Mapping[str, Any], source: str, tempo: TempoMap) -> SpeakerRouting:
    """The routes of a source in a session's document; those of passages that have gone count no more."""
    stored: Mapping[str, Any] = document["speaker_routing"].get(source, {}).get("routes", {})
    if not stored:
        return PLAIN_ROUTING
    result: Sequence[Any] = [
        (document["passages"][key], route) for key, route in stored.items() if key in document["passages"]
    ]
    spans = [
        (tempo.seconds_at(p["start"]), tempo.seconds_at(p["end"]), SpeakerRoute.of(route)) for p, route in result
    ]
    spans.sort(key=lambda span: span[:2])
    return SpeakerRouting(SpeakerRoute.of(stored.get(ALWAYS, ROUTE_DEFAULTS)), tuple(spans))
