"""Seatings: named sets of places put down, and turned over, in one step.

Places are written as a listener in front of the players sees them. Sitting among them, left and right change sides.
Orchestral seats: Meyer, *Acoustics and the Performance of Music*, chapter 7 (American and German seating).
"""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from needle.errors import NeedleError


@dataclass(frozen=True)
class Seat:
    """A place with a name: ``pan`` -1…1, and half the width a stereo source covers. ``words`` find its source."""

    name: str
    pan: float
    span: float = 0.0
    words: tuple[str, ...] = ()


@dataclass(frozen=True)
class Seating:
    """A named set of seats."""

    name: str
    title: str
    seats: tuple[Seat, ...]

    def seat(self, name: str) -> Seat:
        """The seat of that name; NeedleError lists the seats if there is none."""
        result = next((seat for seat in self.seats if seat.name == name), None)
        if result is None:
            raise NeedleError(
                "seating.unknown_seat", title=self.title, name=name, choices=[s.name for s in self.seats]
            )
        return result


SEATINGS = {
    seating.name: seating
    for seating in (
        Seating(
            "thirds",
            "Left, centre, right",
            (Seat("Left", -1.0), Seat("Centre", 0.0), Seat("Right", 1.0)),
        ),
        Seating(
            "drum-kit",
            "Drum kit",
            (
                Seat("Low drum", 0.0, words=("kick", "bass drum", "low drum", "bd")),
                Seat("Snare", 0.08, words=("snare", "sn", "hand drum")),
                Seat("Hats", 0.42, words=("hat", "hats", "hihat", "hi-hat", "hh", "shaker")),
                Seat("High tom", 0.28, words=("tom 1", "high tom", "rack")),
                Seat("Middle tom", -0.08, words=("tom 2", "mid tom")),
                Seat("Floor tom", -0.45, words=("tom 3", "floor")),
                Seat("Ride", -0.6, words=("ride",)),
                Seat("Crash", 0.65, words=("crash", "cymbal")),
                Seat("Overheads", 0.0, 0.9, words=("overhead", "overheads", "oh")),
                Seat("Room", 0.0, 1.0, words=("room", "ambience")),
            ),
        ),
        Seating(
            "strings",
            "String sections",
            (
                Seat(
                    "Violins I", -0.65, 0.25, words=("violin 1", "violins 1", "violin i", "violins i", "vn1", "vl1")
                ),
                Seat("Violins II", -0.25, 0.22, words=("violin 2", "violins 2", "violin ii", "violins ii", "vn2")),
                Seat("Violas", 0.2, 0.2, words=("viola", "violas", "va")),
                Seat("Cellos", 0.5, 0.2, words=("cello", "cellos", "vc")),
                Seat("Basses", 0.75, 0.15, words=("double bass", "basses", "contrabass", "db")),
            ),
        ),
        Seating(
            "strings-opposite",
            "String sections, violins opposite",
            (
                Seat(
                    "Violins I", -0.65, 0.25, words=("violin 1", "violins 1", "violin i", "violins i", "vn1", "vl1")
                ),
                Seat("Cellos", -0.25, 0.2, words=("cello", "cellos", "vc")),
                Seat("Violas", 0.25, 0.2, words=("viola", "violas", "va")),
                Seat("Violins II", 0.65, 0.25, words=("violin 2", "violins 2", "violin ii", "violins ii", "vn2")),
                Seat("Basses", -0.7, 0.15, words=("double bass", "basses", "contrabass", "db")),
            ),
        ),
        Seating(
            "choir",
            "Choir",
            (
                Seat("Sopranos", -0.6, 0.25, words=("soprano", "sopranos", "sop")),
                Seat("Altos", 0.6, 0.25, words=("alto", "altos")),
                Seat("Tenors", 0.22, 0.2, words=("tenor", "tenors", "ten")),
                Seat("Basses", -0.22, 0.2, words=("bass voice", "basses", "bass")),
            ),
        ),
        Seating(
            "quartet",
            "Quartet",
            (
                Seat("First", -0.55, words=("first", "violin 1", "violin i", " i")),
                Seat("Second", -0.2, words=("second", "violin 2", "violin ii", " ii")),
                Seat("Third", 0.2, words=("third", "viola")),
                Seat("Fourth", 0.55, words=("fourth", "cello")),
            ),
        ),
        Seating(
            "low-to-high",
            "Low in the middle, high to the sides",
            (
                Seat("Lowest", 0.0, words=("bass", "engine", "low")),
                Seat("Low left", -0.25),
                Seat("Low right", 0.25),
                Seat("Middle left", -0.5),
                Seat("Middle right", 0.5),
                Seat("High left", -0.8, words=("concertina i",)),
                Seat("High right", 0.8, words=("concertina ii",)),
            ),
        ),
    )
}
"""The seatings that come with the application, by name."""


def seating_of(title: str, seats: Iterable[Mapping[str, object]]) -> Seating:
    """A seating of the user's own from plain values; NeedleError for a place out of the field or a name twice."""
    result = []
    for seat in seats:
        name, pan, span = str(seat["name"]).strip(), float(seat["pan"]), float(seat.get("span", 0.0))  # type: ignore[arg-type]
        if not name or not (np.isfinite(pan) and -1.0 <= pan <= 1.0 and -1.0 <= span <= 1.0):
            raise NeedleError("seating.seat_malformed")
        result.append(Seat(name, pan, span, (name.lower(),)))
    if not result:
        raise NeedleError("seating.no_seats")
    if len({seat.name for seat in result}) < len(result):
        raise NeedleError("seating.duplicate_seat")
    return Seating("", title, tuple(result))


def matched(seating: Seating, names: Sequence[str]) -> dict[str, str]:
    """A seat for each of the sources' names that speaks for one, each seat once: name → seat.

    The longest word that is found in a name decides; ties go to the seat that comes first.
    """
    result: dict[str, str] = {}
    occupied: set[str] = set()
    speaking = [
        (len(word), place, seat.name, _words(word))
        for place, seat in enumerate(seating.seats)
        for word in (seat.name.lower(), *seat.words)
    ]
    candidates = [
        (-length, order, place, name, seat)
        for order, (name, text) in enumerate((name, _words(name)) for name in names)
        for length, place, seat, words in speaking
        if words in text
    ]
    for _, _, _, name, seat in sorted(candidates):
        if name not in result and seat not in occupied:
            result[name] = seat
            occupied.add(seat)
    return result


def _words(text: str) -> str:
    """Words with a space on either side of each, so that only whole ones are found."""
    return f" {re.sub(r'[^a-z0-9]+', ' ', text.lower()).strip()} "


def seated(seat: Seat, mode: str, from_players: bool) -> dict[str, float]:
    """The values of a source in that way of panning on a seat, seen by the listener or ``from_players``' side."""
    pan = -seat.pan if from_players else seat.pan
    if mode == "sides":
        low, high = pan - seat.span, pan + seat.span
        left, right = (high, low) if from_players else (low, high)
        return {"pan_left": float(np.clip(left, -1.0, 1.0)), "pan_right": float(np.clip(right, -1.0, 1.0))}
    if mode == "span":
        return {"pan": pan, "span": -seat.span if from_players else seat.span}
    return {"pan": pan}


def flipped(values: Mapping[str, float | bool | str]) -> dict[str, float | bool]:
    """A source's values mirrored: every channel stands as far on the other side.

    ``values`` are a source's own; what comes back are those that change.
    """
    result: dict[str, float | bool] = {}
    for name in FLIPPED_PARAMETERS:
        if values.get(name):
            result[name] = -float(values[name])
    if values["mode"] == "balance":
        result["swap_channels"] = not values["swap_channels"]
        if values["invert_left"] != values["invert_right"]:
            result["invert_left"], result["invert_right"] = bool(values["invert_right"]), bool(values["invert_left"])
    return result


FLIPPED_PARAMETERS = ("pan", "pan_left", "pan_right", "span", "rotation")
"""Parameters whose lanes are mirrored with their source."""
