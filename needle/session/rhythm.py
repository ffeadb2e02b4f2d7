"""Pulses and deals as a session's document holds them: what they are at first, and what they come to.

``document["pulses"]`` holds a pulse by the thing it moves (a source's id, ``group:…``, ``return:…``, ``send:…``),
``document["deals"]`` a deal by its source, and ``document["events"]`` the events that a source's part has.
"""

import itertools
from collections.abc import Mapping
from dataclasses import MISSING, fields
from typing import Any

from needle.automation.curve import Lane
from needle.automation.parameters import PARAMETERS
from needle.autopan.pulse import LANES, LARGEST_SEED, Pulse, Pulsing
from needle.dealing.deal import (
    MOST_EVENTS,
    ORDERS,
    SOUNDS,
    Deal,
    Event,
    Place,
    checked_places,
)
from needle.dealing.voice import tail_seconds, timbre_named
from needle.errors import NeedleError
from needle.tempo import TempoMap
from needle.units import OFF_DB

Stored = Mapping[str, Any]

PULSE_DEFAULTS: dict[str, Any] = {**Pulse().as_dict(), "before_conversion": {"lanes": {}, "off": [], "values": {}}}
"""A pulse where nobody has set anything. ``before_conversion`` holds what was there before it was converted."""

DEAL_DEFAULTS: dict[str, Any] = {
    "on": True,
    "order": "in-turn",
    "seed": 1,
    "sound": "stem",
    "timbre": "glass",
    "dry": OFF_DB,
    "places": [],
}

PLACE_VALUES: dict[str, Any] = {place.name: place.default for place in fields(Place) if place.default is not MISSING}
"""Everything that can be set of a place of a deal, and what it is at first."""

PLACE_DEFAULTS = {name: value for name, value in Place("").as_dict().items() if name != "id"}
"""What is always stored of a place, where nobody has set anything."""

EVENT_KINDS = {"notes": "notes of a MIDI file (beats)", "onsets": "onsets found in the stem (s of the stem)"}

LONGEST_NOTE = 1e4


def check_pulse(stored: Stored) -> None:
    """NeedleError if one of a pulse's values is not allowed."""
    Pulse.of(stored)


def check_deal(stored: Stored) -> None:
    """NeedleError if one of a deal's values is not allowed."""
    if stored["order"] not in ORDERS:
        raise NeedleError("deal.unknown_order", order=stored["order"], choices=ORDERS)
    if stored["sound"] not in SOUNDS:
        raise NeedleError("deal.unknown_sound", sound=stored["sound"], choices=SOUNDS)
    timbre_named(stored["timbre"])
    if not 0 <= stored["seed"] <= LARGEST_SEED:
        raise NeedleError("deal.seed_out_of_range", most=LARGEST_SEED)
    if not OFF_DB <= stored["dry"] <= PARAMETERS["level"].high:
        raise NeedleError("deal.dry_level_out_of_range")
    checked_places(stored["places"])


def check_events(stored: Stored) -> None:
    """NeedleError if events are not as they must be: (when, length, pitch, velocity) each, in the order of time."""
    if stored["kind"] not in EVENT_KINDS:
        raise NeedleError("deal.unknown_events", kind=stored["kind"], choices=EVENT_KINDS)
    items = stored["items"]
    if len(items) > MOST_EVENTS:
        raise NeedleError("deal.too_many_notes", most=MOST_EVENTS)
    if any(a[0] > b[0] for a, b in itertools.pairwise(items)):
        raise NeedleError("deal.events_out_of_order")
    for when, length, pitch, velocity in items:
        if not (0.0 <= when <= 1e6 and 0.0 <= length <= LONGEST_NOTE and 0.0 <= pitch <= 127.0):
            raise NeedleError("deal.note_malformed")
        if not 0.0 <= velocity <= 1.0:
            raise NeedleError("deal.velocity_out_of_range")


def pulsing_in(document: Stored, owner: str, tempo: TempoMap, lanes: dict[str, Lane]) -> Pulsing | None:
    """The pulse of a thing, if it has one that is on; its own lanes are taken out of ``lanes``."""
    moved = {name: lanes.pop(name) for name in LANES if name in lanes}
    stored = document["pulses"].get(owner)
    if not stored or not stored["on"]:
        return None
    return Pulsing(Pulse.of(stored), tempo, moved)


def events_in(document: Stored, source: str, tempo: TempoMap) -> tuple[Event, ...]:
    """The events of a source's part, at their times in the session (s)."""
    stored = document["events"].get(source)
    if not stored:
        return ()
    if stored["kind"] == "onsets":
        start = document["sources"][source]["start"]
        return tuple(Event(start + when, *rest) for when, *rest in stored["items"])
    result = []
    for when, length, pitch, velocity in stored["items"]:
        begins = tempo.seconds_at(when)
        result.append(Event(begins, tempo.seconds_at(when + length) - begins, pitch, velocity))
    return tuple(result)


def deal_in(document: Stored, source: str, tempo: TempoMap, even_off: bool = False) -> Deal | None:
    """The deal of a source, if there is one that is on and has something to deal; ``even_off``: or is off."""
    stored = document["deals"].get(source)
    if not stored or not (stored["on"] or even_off):
        return None
    events = events_in(document, source, tempo)
    voiced = stored["sound"] == "voice"
    if not events or (voiced and document["events"][source]["kind"] != "notes"):
        return None
    known = {f.name for f in fields(Place)}
    places = tuple(Place(**{k: v for k, v in place.items() if k in known}) for place in stored["places"])
    return Deal(
        events=events,
        places=places,
        order=stored["order"],
        seed=stored["seed"],
        sound=stored["sound"],
        timbre=stored["timbre"],
        dry=stored["dry"],
        rate=document["session"]["rate"],
        tempo=tempo,
    )


def _slices_until(deal: Deal, source: Stored, tempo: TempoMap) -> float:
    """When (s) the slices of a stem have sounded, repeated and drawn out."""
    ends = source["start"] + source["seconds"]
    result = ends
    for begins, until, at in deal.slices:
        place = deal.places[at]
        own = (min(until, ends) - begins) * place.length * 2.0 ** (-place.transpose / 12.0)
        again = tempo.seconds_at(tempo.beat_at(begins) + (place.repeats - 1) * place.repeat_interval)
        result = max(result, again + own + place.release)
    return result


def sounds_until(document: Stored, source: str, tempo: TempoMap) -> float:
    """When (s) a dealt part has sounded, tails and repeats included; 0 where that is when its stem has."""
    deal = deal_in(document, source, tempo)
    if deal is None:
        return 0.0
    if deal.sound == "stem":
        return _slices_until(deal, document["sources"][source], tempo)
    longest = max(place.length for place in deal.places)
    last = max(tempo.beat_at(e.t) for e in deal.events) + max(
        (p.repeats - 1) * p.repeat_interval for p in deal.places
    )
    ends = max(event.t + longest * event.seconds for event in deal.events)
    return max(ends, tempo.seconds_at(last) + longest * deal.events[-1].seconds) + tail_seconds(deal.timbre)
