"""Deal: one part given out to several places in turn, note by note.

Events are the notes of a part, or the onsets found in its sound. An order says which place each goes to.
"""

import hashlib
import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, fields
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Lane, Point
from needle.automation.parameters import PARAMETERS
from needle.errors import NeedleError
from needle.stable_text import NEW, is_stored, stable_text
from needle.tempo import TempoMap
from needle.units import OFF_DB

Indices = NDArray[np.intp]

FEWEST_PLACES, MOST_PLACES = 2, 16
MOST_EVENTS = 20_000
AHEAD_SECONDS = 0.005
"""What sounds is at its place this long before it begins (s)."""

TOGETHER_SECONDS = 0.01
"""Notes that begin within this (s) are struck together and go to one place, where the order is one of turns."""

SOUNDS = {
    "stem": "The stem itself, which jumps from place to place.",
    "voice": "The notes played by the built-in voice: what rings on stays where it began.",
}


@dataclass(frozen=True)
class Event:
    """Something that begins at ``t`` (s), with its length (s), MIDI pitch and velocity (0…1)."""

    t: float
    seconds: float = 0.25
    pitch: float = 69.0
    velocity: float = 0.8


@dataclass(frozen=True, repr=False)
class Place:
    """A place that events are dealt to: ``pan`` and ``level`` (dB), and what makes it sound different.

    ``low_pass`` (Hz): nothing above it sounds, 0 leaves it open. A note or a slice of the stem is ``length`` times
    its own, ``transpose`` semitones higher (a slice is played faster then), and struck ``repeats`` times in all,
    ``repeat_interval`` beats apart, each ``fade`` dB softer; a slice fades out over ``release`` (s). In a room
    ``front`` and ``height`` tell where it is, as a source's do; None is where the source itself is.
    """

    id: str
    pan: float = 0.0
    level: float = 0.0
    low_pass: float = 0.0
    length: float = 1.0
    transpose: float = 0.0
    repeat_interval: float = 0.5
    repeats: int = 1
    fade: float = 3.0
    release: float = field(default=0.0, metadata=NEW)
    front: float | None = field(default=None, metadata=NEW)
    height: float | None = field(default=None, metadata=NEW)

    @property
    def shapes_slices(self) -> bool:
        """Whether the slices of a stem are heard otherwise there than as they stand in it."""
        return self.length != 1.0 or self.transpose != 0.0 or self.repeats > 1 or self.release > 0.0

    def __repr__(self) -> str:
        return stable_text(self, "Place")

    def as_dict(self) -> dict[str, Any]:
        """Its values as they are stored."""
        return {f.name: getattr(self, f.name) for f in fields(self) if is_stored(self, f)}

    def __post_init__(self) -> None:
        for name, (low, high, unit) in PLACE_LIMITS.items():
            value = getattr(self, name)
            if value is None and name in WHERE_IN_ROOM:
                continue
            if not (np.isfinite(value) and low <= value <= high):
                raise NeedleError(
                    "deal.place_value_out_of_range",
                    name=name.replace("_", " "),
                    value=value,
                    low=low,
                    high=high,
                    unit=unit,
                )
        if 0.0 < self.low_pass < LOWEST_TONE:
            raise NeedleError("deal.low_pass_out_of_range", lowest=LOWEST_TONE)


LOWEST_TONE, HIGHEST_TONE = 100.0, 20_000.0

PLACE_LIMITS: dict[str, tuple[float, float, str]] = {
    "pan": (-1.0, 1.0, "left to right"),
    "level": (OFF_DB, PARAMETERS["level"].high, "dB"),
    "low_pass": (0.0, HIGHEST_TONE, "Hz"),
    "length": (0.05, 8.0, "times its own"),
    "transpose": (-36.0, 36.0, "semitones"),
    "repeat_interval": (1.0 / 16.0, 16.0, "beats"),
    "repeats": (1, 16, "strikes"),
    "fade": (0.0, 24.0, "dB"),
    "release": (0.0, 2.0, "s"),
    "front": (-1.0, 1.0, "back to front"),
    "height": (-1.0, 1.0, "down to up"),
}

WHERE_IN_ROOM = ("front", "height")
"""What may be left to the source."""


@dataclass(frozen=True)
class Order:
    """A way to deal: ``give(events, places, seed)`` is the place's index for each event."""

    name: str
    title: str
    sentence: str
    give: Callable[[Sequence[Event], int, int], Indices]


def strikes(events: Sequence[Event]) -> Indices:
    """Which strike each event belongs to, counted from 0: what begins together is one."""
    turns = np.zeros(len(events), dtype=np.intp)
    began = None
    turn = -1
    for index, event in enumerate(events):
        if began is None or event.t - began > TOGETHER_SECONDS:
            began, turn = event.t, turn + 1
        turns[index] = turn
    return turns


def _in_turn(events: Sequence[Event], places: int, _seed: int) -> Indices:
    return strikes(events) % places


def _there_and_back(events: Sequence[Event], places: int, _seed: int) -> Indices:
    round_trip = np.array([*range(places), *range(places - 2, 0, -1)], dtype=np.intp)
    return round_trip[strikes(events) % len(round_trip)]


def _shuffled(events: Sequence[Event], places: int, seed: int) -> Indices:
    rng = np.random.Generator(np.random.PCG64(seed))
    turns = strikes(events)
    order: list[int] = []
    while len(order) <= int(turns.max(initial=0)):
        hand = rng.permutation(places)
        if order and hand[0] == order[-1]:
            # Never twice in a row, across two hands neither.
            hand = np.roll(hand, -1)
        order += hand.tolist()
    return np.array(order, dtype=np.intp)[turns]


def _ranked(values: Sequence[float], places: int) -> Indices:
    """The lowest values to the first place, the highest to the last, as evenly as the different values allow."""
    different, which = np.unique(np.round(values, 6), return_inverse=True)
    return np.minimum(which * places // max(len(different), 1), places - 1).astype(np.intp)


def _by_pitch(events: Sequence[Event], places: int, _seed: int) -> Indices:
    return _ranked([event.pitch for event in events], places)


def _by_velocity(events: Sequence[Event], places: int, _seed: int) -> Indices:
    return _ranked([event.velocity for event in events], places)


ORDERS = {
    order.name: order
    for order in (
        Order("in-turn", "in turn", "From the first place to the last, and again from the first.", _in_turn),
        Order("there-and-back", "there and back", "To the last place and back to the first.", _there_and_back),
        Order("shuffled", "shuffled", "Every place once in each round, never twice in a row, by a seed.", _shuffled),
        Order("by-pitch", "by pitch", "Low notes to the first place, high ones to the last.", _by_pitch),
        Order("by-velocity", "by strength", "Soft notes to the first place, strong ones to the last.", _by_velocity),
    )
}
"""Every order by name."""


def dealt(events: Sequence[Event], order: str, places: int, seed: int = 1) -> Indices:
    """The place (from 0) of each event, in the order of time; the same for the same seed.

    NeedleError for an order that there is not, or fewer than 2 or more than 16 places.
    """
    if order not in ORDERS:
        raise NeedleError("deal.unknown_order", order=order, choices=ORDERS)
    if not FEWEST_PLACES <= places <= MOST_PLACES:
        raise NeedleError("deal.place_count", least=FEWEST_PLACES, most=MOST_PLACES)
    return ORDERS[order].give(events, places, seed)


@dataclass(frozen=True)
class Deal:
    """A part that is dealt: its ``events`` in the order of time (s of the session), and the places they go to.

    ``sound``: the *stem* jumps, or a *voice* of this ``timbre`` plays the notes at ``rate`` (Hz); repeats count in
    beats of ``tempo``. ``dry`` (dB) is the part as it stands without being dealt, layered under; off if it is
    ``OFF_DB``.
    """

    events: tuple[Event, ...]
    places: tuple[Place, ...]
    order: str = "in-turn"
    seed: int = 1
    sound: str = "stem"
    timbre: str = "glass"
    dry: float = OFF_DB
    rate: int = 48000
    tempo: TempoMap = field(default_factory=TempoMap)

    def __post_init__(self) -> None:
        if self.sound not in SOUNDS:
            raise NeedleError("deal.unknown_sound", sound=self.sound, choices=SOUNDS)
        if any(a.t > b.t for a, b in itertools.pairwise(self.events)):
            raise NeedleError("deal.events_out_of_order")
        if len(self.events) > MOST_EVENTS:
            raise NeedleError("deal.too_many_notes", most=MOST_EVENTS)

    @property
    def has_dry(self) -> bool:
        """Whether the part is layered under as it stands."""
        return self.dry > OFF_DB

    @cached_property
    def turns(self) -> Indices:
        """The place of each event."""
        return dealt(self.events, self.order, len(self.places), self.seed)

    @cached_property
    def text(self) -> str:
        """A hash of all that it is."""
        return hashlib.blake2b(repr(self).encode(), digest_size=16).hexdigest()

    @cached_property
    def slices(self) -> list[tuple[float, float, int]]:
        """The stem cut at every strike: from when (s), until when (inf for the last), and the place it goes to."""
        belongs = strikes(self.events)
        each = np.unique(belongs)
        firsts, lasts = np.searchsorted(belongs, each, "left"), np.searchsorted(belongs, each, "right") - 1
        begins = [max(self.events[first].t - AHEAD_SECONDS, 0.0) for first in firsts]
        ends = [*begins[1:], np.inf]
        # One stem cannot be at two places: what is struck together is where the last of it is.
        return [(low, high, int(self.turns[last])) for low, high, last in zip(begins, ends, lasts, strict=True)]

    def gate(self, place: int) -> Lane:
        """1 while the stem is at a place and 0 elsewhere, over time (s); all places' gates add up to 1.

        What sounds before the first event is where that one is.
        """
        points = [Point(0.0, float(self.turns[0] == place if len(self.turns) else place == 0), "hold")]
        for begins, _, at in self.slices:
            value = float(at == place)
            if value != points[-1].value:
                points.append(Point(begins, value, "hold"))
        return Lane(tuple(points))


def spread(count: int, low: float = -1.0, high: float = 1.0) -> list[float]:
    """Pans of so many places, evenly from ``low`` to ``high``."""
    return [0.0] if count == 1 else np.round(np.linspace(low, high, count), 4).tolist()


def _named_apart(places: Sequence[dict[str, Any]]) -> str:
    """An id that no place has yet."""
    used_ids = {place["id"] for place in places}
    return next(name for number in itertools.count(1) if (name := f"p{number}") not in used_ids)


def arranged(
    places: Sequence[dict[str, Any]], act: str, which: str = "", count: int = 4, width: float = 1.0
) -> list[dict[str, Any]]:
    """Places after something was done with all of them, or with the one that is meant by its id.

    ``fresh``: so many new ones; ``add`` one at the end; ``duplicate``, ``remove`` the one; ``spread`` them evenly
    over what they cover, or over the whole field if that is one point; ``mirror`` left and right; ``reverse`` their
    order; ``width``: as far apart as this share (0…1) of the field about their middle; ``circle``: evenly round the
    listener, from the front to the right.
    NeedleError for anything else, and for too few or too many places.
    """
    result = [dict(place) for place in places]
    chosen = next((index for index, place in enumerate(result) if place["id"] == which), None)
    if act in ("duplicate", "remove") and chosen is None:
        raise NeedleError("deal.place_deleted")
    if act == "fresh":
        pans = spread(count) if FEWEST_PLACES <= count <= MOST_PLACES else [0.0] * count
        result = [Place(f"p{index + 1}", pan).as_dict() for index, pan in enumerate(pans)]
    elif act == "add":
        result.append(Place(_named_apart(result), 0.0).as_dict())
    elif act == "duplicate" and chosen is not None:
        result.insert(chosen + 1, {**result[chosen], "id": _named_apart(result)})
    elif act == "remove" and chosen is not None:
        del result[chosen]
    elif act == "spread":
        pans = [place["pan"] for place in result]
        low, high = (min(pans), max(pans)) if min(pans) < max(pans) else (-1.0, 1.0)
        result = [{**place, "pan": pan} for place, pan in zip(result, spread(len(result), low, high), strict=True)]
    elif act == "mirror":
        result = [{**place, "pan": -place["pan"] if place["pan"] else 0.0} for place in result]
    elif act == "reverse":
        result = result[::-1]
    elif act == "width":
        result = _widened(result, width)
    elif act == "circle":
        angles = [2.0 * np.pi * index / len(result) for index in range(len(result))]
        result = [
            {**place, "pan": round(float(np.sin(angle)), 4) + 0.0, "front": round(float(np.cos(angle)), 4) + 0.0}
            for place, angle in zip(result, angles, strict=True)
        ]
    else:
        raise NeedleError("deal.unknown_change", act=act)
    return checked_places(result)


def _widened(places: list[dict[str, Any]], width: float) -> list[dict[str, Any]]:
    """Places from one side of their middle to the other as far as ``width`` (0…1) says, within the field."""
    if not 0.0 < width <= 1.0:
        raise NeedleError("deal.width_out_of_range")
    pans = [place["pan"] for place in places]
    low, high = min(pans), max(pans)
    middle = min(max((low + high) / 2.0, width - 1.0), 1.0 - width)
    if high - low < 1e-6:
        fresh = spread(len(places), middle - width, middle + width)
    else:
        fresh = [round(middle + width * (2.0 * pan - low - high) / (high - low), 4) + 0.0 for pan in pans]
    return [{**place, "pan": pan} for place, pan in zip(places, fresh, strict=True)]


def checked_places(places: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Places as plain values, complete; NeedleError if one is not allowed, or there are too few or too many."""
    if not FEWEST_PLACES <= len(places) <= MOST_PLACES:
        raise NeedleError("deal.place_count", least=FEWEST_PLACES, most=MOST_PLACES)
    result = [Place(**place).as_dict() for place in places]
    if len({place["id"] for place in result}) < len(result):
        raise NeedleError("deal.duplicate_place")
    return result
