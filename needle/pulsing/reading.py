"""The groove reading: on which beats a pulse falls silent, and how much of a part's accents it lets through."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from needle.conventions import TempoMap
from needle.moving.lane import Values
from needle.placing.laws import law_named
from needle.pulsing.pulse import Pulse, Pulsing

SILENT_DB, FULL_DB = -12.0, -3.0
"""A beat is silent if the mean gain over its first quarter is below the first, full if it is above the second."""

_SHARE_OF_BEAT = 0.25
_SAMPLES = 64
_STARTS = 16
_ACCENT_SECONDS = 0.04
_ACCENT_SAMPLES = 9
_MOST_ACCENTS = 1500
_WORTH = 0.02
_DRAWN_PER_BEAT = 96
_LONGEST_ALIKE = 64

Sides = Callable[[Values], Values]


@dataclass(frozen=True)
class Mark:
    """A beat or half-beat of the bar (in its units, from 1): the mean gain of each side over its first quarter."""

    beat: float
    left: float
    right: float


def side_gains(pulsing: Pulsing, times: ArrayLike, centre: float = 0.0) -> Values:
    """The gains of left and right at each time (s), (2, *shape).

    What moves places is told by the constant-power law, hard to a side being 1, about ``centre``.
    """
    t = np.asarray(times, dtype=np.float64)
    sides = pulsing.sides(t)
    if sides is not None:
        return sides
    swing = swing_of(pulsing, t)
    return law_named("constant-power").gains(np.clip(centre + (0.0 if swing is None else swing[0]), -1.0, 1.0))


def swing_of(pulsing: Pulsing, times: Values) -> Values | None:
    """How far places swing from left to right, (2, *shape); what turns is told by how far it comes to a side."""
    turn = pulsing.turn(times)
    if turn is None:
        return pulsing.shift(times)
    across = -np.sin(np.radians(turn))
    return np.array([across, across])


def marks(pulsing: Pulsing, bar: int, centre: float = 0.0) -> list[Mark]:
    """Every beat and half-beat of a bar (from 1)."""
    tempo = pulsing.tempo
    count, unit = tempo.metre_of_bar(bar)
    begins, length = tempo.beat_of_bar(bar), 4.0 / unit
    found = []
    for half in range(2 * count):
        first = begins + half * length / 2.0
        beats = first + (np.arange(_SAMPLES) + 0.5) / _SAMPLES * _SHARE_OF_BEAT * length
        gains = side_gains(pulsing, [tempo.seconds_at(beat) for beat in beats], centre).mean(axis=1)
        found.append(Mark(1.0 + half / 2.0, *map(float, gains)))
    return found


def silent(marked: Sequence[Mark]) -> dict[str, list[float]]:
    """The beats and half-beats on which ``left``, ``right`` and ``both`` are silent."""
    return _those(marked, lambda gain: gain < 10.0 ** (SILENT_DB / 20.0))


def full(marked: Sequence[Mark]) -> dict[str, list[float]]:
    """The beats and half-beats on which ``left``, ``right`` and ``both`` are full."""
    return _those(marked, lambda gain: gain > 10.0 ** (FULL_DB / 20.0))


def _those(marked: Sequence[Mark], test: Callable[[float], bool]) -> dict[str, list[float]]:
    left = [m.beat for m in marked if test(m.left)]
    right = [m.beat for m in marked if test(m.right)]
    return {"left": left, "right": right, "both": [beat for beat in left if beat in right]}


def every_bar(pulsing: Pulsing, bar: int) -> bool:
    """Whether all bars of this metre are alike, so that what is read of one holds for all."""
    pulse = pulsing.pulse
    if pulse.unit != "beats" or pulse.wave == "chance" or pulsing.moved:
        return False
    count, unit = pulsing.tempo.metre_of_bar(bar)
    cycles = count * 4.0 / unit / pulse.period
    return abs(cycles - round(cycles)) < 1e-9


def sentence(marked: Sequence[Mark], bar: int, in_every_bar: bool) -> str:
    """What is silent when, in a sentence."""
    found = silent(marked)
    every = {
        "beat": [m.beat for m in marked if m.beat % 1.0 == 0.0],
        "half-beat": [m.beat for m in marked if m.beat % 1.0],
    }
    both = found["both"]
    left, right = ([b for b in found[side] if b not in both] for side in ("left", "right"))
    told = []
    if both:
        told.append(f"both sides fall silent on {_beats(both, every)}")
    if left and right:
        told.append(f"left falls silent on {_beats(left, every)}, right on {_beats(right, every)}")
    elif left or right:
        told.append(f"{'left' if left else 'right'} falls silent on {_beats(left or right, every)}")
    text = "; ".join(told) or "no side falls silent on a beat or half-beat"
    text = text if in_every_bar else f"in bar {bar} {text}"
    return f"{text[0].upper()}{text[1:]}."


def _beats(beats: Sequence[float], every: dict[str, list[float]]) -> str:
    whole = [name for name, all_of in every.items() if all_of and set(all_of) <= set(beats)]
    if len(whole) == 2:
        return "every beat and half-beat"
    if whole:
        rest = [beat for beat in beats if beat not in every[whole[0]]]
        return f"every {whole[0]}" + (f" and on {_listed(rest)}" if rest else "")
    return _listed(beats)


def _listed(beats: Sequence[float]) -> str:
    words = [f"{int(beat)}{'½' if beat % 1.0 else ''}" for beat in beats]
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


@dataclass(frozen=True)
class Fit:
    """A flip and a start, and the share (0…1) of a part's accent energy that passes on the left, right and in all.

    In all is the mean of both sides as far as they pump together, and the better side as far as they are opposite.
    """

    flip: bool
    start: float
    left: float
    right: float
    score: float


def passing(pulsing: Pulsing, times: Values, strengths: Values, centre: float = 0.0) -> Fit:
    """How much of the accents at ``times`` (s), of such ``strengths``, the pulse lets through as it is."""
    if len(times) > _MOST_ACCENTS:
        strongest = np.sort(np.argsort(strengths)[-_MOST_ACCENTS:])
        times, strengths = times[strongest], strengths[strongest]
    after = np.linspace(0.0, _ACCENT_SECONDS, _ACCENT_SAMPLES)
    power = (side_gains(pulsing, times[:, np.newaxis] + after, centre) ** 2).mean(axis=2)
    weights = strengths**2
    left, right = (power @ weights) / max(float(weights.sum()), 1e-12)
    opposite = 1.0 if pulsing.pulse.form != "level" else np.sin(np.radians(pulsing.pulse.offset) / 2.0) ** 2
    score = (1.0 - opposite) * (left + right) / 2.0 + opposite * max(left, right)
    pulse = pulsing.pulse
    return Fit(pulse.flip, pulse.start, float(left), float(right), float(min(score, 1.0)))


def best_fit(pulsing: Pulsing, times: Values, strengths: Values, centre: float = 0.0) -> Fit | None:
    """The flip and start that let most of the accents through, of 2 × 16; None if that is hardly more than now."""
    now = passing(pulsing, times, strengths, centre)
    found = max(
        (
            passing(
                replace(pulsing, pulse=replace(pulsing.pulse, flip=flip, start=step / _STARTS)),
                times,
                strengths,
                centre,
            )
            for flip in (False, True)
            for step in range(_STARTS)
        ),
        key=lambda fit: round(fit.score, 6),
    )
    return found if found.score > now.score + _WORTH else None


def figure(pulsing: Pulsing, bar: int, centre: float = 0.0) -> dict[str, Any]:
    """What is drawn of a bar: ``beats`` (in its units, from 1), the ``left`` and ``right`` gains there.

    ``places`` are how far what stands left and right is moved, for a pulse of places.
    """
    tempo = pulsing.tempo
    count, unit = tempo.metre_of_bar(bar)
    begins, length = tempo.beat_of_bar(bar), 4.0 / unit
    beats = np.linspace(0.0, count, count * _DRAWN_PER_BEAT + 1)
    times = np.array([tempo.seconds_at(begins + beat * length) for beat in beats])
    left, right = side_gains(pulsing, times, centre)
    shift = swing_of(pulsing, times)
    return {
        "beats": np.round(beats + 1.0, 5).tolist(),
        "left": np.round(left, 4).tolist(),
        "right": np.round(right, 4).tolist(),
        "places": None if shift is None else np.round(np.clip(centre + shift, -1.0, 1.0), 4).tolist(),
    }


def accents_in(tempo: TempoMap, bar: int, times: Values, strengths: Values, alike: bool) -> list[tuple[float, float]]:
    """What is struck in a bar: (beat in its units from 1, strength 0…1) each.

    If all bars are ``alike``, what is usual in bars of this metre: the mean strength at each sixteenth of a beat.
    """
    count, unit = tempo.metre_of_bar(bar)
    places = [tempo.bar_at(tempo.beat_at(float(t)) + 1e-6) for t in times]
    if not alike:
        return [(round(b, 4), float(s)) for (at, b), s in zip(places, strengths, strict=True) if at == bar]
    fine = 4
    bins = np.zeros(count * fine)
    bars = {at for at, _ in places if tempo.metre_of_bar(at) == (count, unit)}
    for (at, beat), strength in zip(places, strengths, strict=True):
        if at in bars:
            bins[round((beat - 1.0) * fine) % len(bins)] += strength
    bins /= max(len(bars), 1)
    most = max(float(bins.max(initial=0.0)), 1e-12)
    return [(1.0 + i / fine, float(b / most)) for i, b in enumerate(bins) if b > 0.02 * most]


NOTES = {
    1 / 16: "1/64",
    1 / 8: "1/32",
    1 / 4: "1/16",
    1 / 2: "1/8",
    1: "1/4",
    2: "1/2",
    4: "1/1",
    8: "2/1",
    16: "4/1",
}


def period_words(pulse: Pulse, bpm: float) -> dict[str, str]:
    """The cycle told as a note value, in beats and in Hz at a tempo: ``note`` is empty where none fits."""
    beats = pulse.period if pulse.unit == "beats" else bpm / 60.0 / pulse.rate
    note = ""
    for length, name in NOTES.items():
        for factor, word in ((1.0, ""), (1.5, " dotted"), (2.0 / 3.0, " triplet")):
            if not note and abs(beats - length * factor) < 1e-6 * length:
                note = f"{name} note{word}"
    hertz = bpm / 60.0 / beats
    return {"note": note, "beats": _beat_words(beats), "hertz": f"{hertz:.3g} Hz"}


_FRACTIONS = {0.5: "half a beat", 0.25: "a quarter of a beat", 0.125: "an eighth of a beat", 1.0: "a beat"}


def _beat_words(beats: float) -> str:
    return _FRACTIONS.get(round(beats, 6)) or f"{round(beats, 3):g} beats"
