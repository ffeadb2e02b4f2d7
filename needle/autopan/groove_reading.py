"""The groove reading: what a pulse does to an attack on each beat, and how much of a part's accents it lets through.

Of each beat, half-beat and, in cycles of thirds, third-beat it reads the mean power of the 20 ms that follow, on each
side, in dB. What the sentence says holds for the rendered sound within 1 dB.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from needle.automation.curve import Values
from needle.autopan.pulse import Pulse, Pulsing
from needle.dsp.pan_laws import law_named
from needle.tempo import TempoMap

SILENT_DB, WEAK_DB, FULL_DB = -24.0, -9.0, -3.0
"""An attack is silent below the first, weak below the second, full above the third; between them its level counts."""

ATTACK_SECONDS = 0.02
"""How long an attack lasts."""

_SAMPLES = 240
_STARTS = 16
_ACCENT_SAMPLES = 9
_MOST_ACCENTS = 1500
_WORTH = 0.02
_DRAWN_PER_BEAT = 96

Sides = Callable[[Values], Values]


@dataclass(frozen=True)
class Mark:
    """A beat, half-beat or third-beat of the bar (in its units, from 1), and each side's gain of an attack there.

    Gains are the root of the mean power of ``ATTACK_SECONDS``.
    """

    beat: float
    left: float
    right: float


@dataclass(frozen=True)
class Claim:
    """What a reading says: that on ``sides`` attacks on ``beats`` come so loud, between ``low`` and ``high`` (dB).

    ``word``: silent, weak, between or full.
    """

    sides: tuple[str, ...]
    word: str
    beats: tuple[float, ...]
    low: float
    high: float


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
    """Every beat and half-beat of a bar (from 1), and its third-beats where the cycle is a number of them."""
    tempo = pulsing.tempo
    count, unit = tempo.metre_of_bar(bar)
    bar_beat, beat_length = tempo.beat_of_bar(bar), 4.0 / unit
    shares = {0.0, 0.5} | ({1.0 / 3.0, 2.0 / 3.0} if _in_thirds(pulsing) else set())
    offsets = (np.arange(_SAMPLES) + 0.5) / _SAMPLES * ATTACK_SECONDS
    result = []
    for beat in sorted(beat + share for beat in range(count) for share in shares):
        attack = tempo.seconds_at(bar_beat + beat * beat_length)
        gains = np.sqrt((side_gains(pulsing, attack + offsets, centre) ** 2).mean(axis=1))
        result.append(Mark(round(1.0 + beat, 4), *map(float, gains)))
    return result


def _in_thirds(pulsing: Pulsing) -> bool:
    """Whether its cycle is a number of thirds of a beat, and of no halves."""
    period = pulsing.pulse.period
    if pulsing.pulse.unit != "beats" or pulsing.moved:
        return False
    thirds, quarters = period * 3.0, period * 4.0
    whole = abs(thirds - round(thirds)) < 1e-6 or abs(1.0 / thirds - round(1.0 / thirds)) < 1e-6
    return whole and abs(quarters - round(quarters)) > 1e-6 and abs(1.0 / quarters - round(1.0 / quarters)) > 1e-6


def claims(marks: Sequence[Mark]) -> list[Claim]:
    """What is to be said of a bar, in the order in which it matters: silent, weak, between, full."""
    levels = {side: {mark.beat: _db(getattr(mark, side)) for mark in marks} for side in ("left", "right")}
    result = []
    for word in ("silent", "weak", "between", "full"):
        left, right = (
            {beat: db for beat, db in levels[side].items() if _word(db) == word} for side in ("left", "right")
        )
        both = [beat for beat in left if beat in right and (word == "silent" or abs(left[beat] - right[beat]) <= 1.0)]
        result += _by_level(("left", "right"), word, {beat: (left[beat], right[beat]) for beat in both})
        for side, side_levels in (("left", left), ("right", right)):
            result += _by_level((side,), word, {beat: (db,) for beat, db in side_levels.items() if beat not in both})
    return result


def _by_level(sides: tuple[str, ...], word: str, levels: dict[float, tuple[float, ...]]) -> list[Claim]:
    """One claim of all beats that are silent or full; of others one for each level, those within 1 dB together."""
    result: list[Claim] = []
    remaining = dict(levels)
    while remaining:
        limit = np.inf if word in ("silent", "full") else min(map(min, remaining.values())) + 1.0
        group = {beat: levels for beat, levels in remaining.items() if max(levels) <= limit}
        every_level = [db for levels in group.values() for db in levels]
        result.append(Claim(sides, word, tuple(sorted(group)), min(every_level), max(every_level)))
        remaining = {beat: levels for beat, levels in remaining.items() if beat not in group}
    return result


def _db(gain: float) -> float:
    return float(20.0 * np.log10(max(gain, 1e-6)))


def _word(level: float) -> str:
    return "silent" if level < SILENT_DB else "weak" if level < WEAK_DB else "between" if level <= FULL_DB else "full"


def silent(marks: Sequence[Mark]) -> dict[str, list[float]]:
    """Where attacks on ``left``, ``right`` and ``both`` are silent."""
    return _those(marks, lambda gain: gain < 10.0 ** (SILENT_DB / 20.0))


def full(marks: Sequence[Mark]) -> dict[str, list[float]]:
    """Where attacks on ``left``, ``right`` and ``both`` come full."""
    return _those(marks, lambda gain: gain > 10.0 ** (FULL_DB / 20.0))


def _those(marks: Sequence[Mark], test: Callable[[float], bool]) -> dict[str, list[float]]:
    left = [m.beat for m in marks if test(m.left)]
    right = [m.beat for m in marks if test(m.right)]
    return {"left": left, "right": right, "both": [beat for beat in left if beat in right]}


def every_bar(pulsing: Pulsing, bar: int) -> bool:
    """Whether all bars of this metre are alike, so that what is read of one holds for all."""
    pulse = pulsing.pulse
    if pulse.unit != "beats" or pulse.wave == "chance" or pulsing.moved:
        return False
    count, unit = pulsing.tempo.metre_of_bar(bar)
    cycles = count * 4.0 / unit / pulse.period
    return abs(cycles - round(cycles)) < 1e-9


def sentence(marks: Sequence[Mark], bar: int, in_every_bar: bool) -> str:
    """What becomes of an attack in a bar, in a sentence; of full beats nothing is said unless all are full."""
    beat_names = {
        "beat": [m.beat for m in marks if m.beat % 1.0 == 0.0],
        "half-beat": [m.beat for m in marks if m.beat % 1.0 == 0.5],
        "third-beat": [m.beat for m in marks if m.beat % 1.0 not in (0.0, 0.5)],
    }
    every_claim = claims(marks)
    silent_claims = [claim for claim in every_claim if claim.word == "silent"]
    level_claims = [claim for claim in every_claim if claim.word in ("weak", "between")]
    remaining = silent_claims + level_claims[:_MOST_LEVELS]
    clauses: list[str] = []
    while remaining:
        claim = remaining.pop(0)
        clause = f"{_subject(claim.sides)} {_verb(claim)} on {_beat_list(claim.beats, beat_names)}"
        if len(claim.sides) == 1:
            other = next((c for c in remaining if len(c.sides) == 1 and _verb(c) == _verb(claim)), None)
            if other is not None:
                remaining.remove(other)
                clause += f", {_subject(other.sides)} on {_beat_list(other.beats, beat_names)}"
        clauses.append(clause)
    text = "; ".join(clauses) or "every beat and half-beat comes full on both sides"
    text = text if in_every_bar else f"in bar {bar} {text}"
    return f"{text[0].upper()}{text[1:]}."


_MOST_LEVELS = 4
"""How many claims that are neither silent nor full a sentence makes; the figure shows the rest."""


def _subject(sides: tuple[str, ...]) -> str:
    return "both sides" if len(sides) == 2 else sides[0]


def _verb(claim: Claim) -> str:
    plural = len(claim.sides) == 2
    if claim.word == "silent":
        return "fall silent" if plural else "falls silent"
    level = f"−{round(abs((claim.low + claim.high) / 2.0))} dB"
    if claim.word == "weak":
        return f"{'are' if plural else 'is'} weak ({level})"
    return f"{'come' if plural else 'comes'} at {level}"


def _beat_list(beats: Sequence[float], beat_names: dict[str, list[float]]) -> str:
    whole = [name for name, named in beat_names.items() if named and set(named) <= set(beats)]
    rest = [beat_name(beat) for beat in beats if not any(beat in beat_names[name] for name in whole)]
    parts = [f"every {_joined(whole)}"] if whole else []
    return " and on ".join([*parts, *([_joined(rest)] if rest else [])])


def _joined(words: Sequence[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


def beat_name(beat: float) -> str:
    """A beat of a bar as it is written, such as 2½."""
    return f"{int(beat)}{_FRACTION_SIGNS[round(beat % 1.0, 2)]}"


_FRACTION_SIGNS = {0.0: "", 0.5: "½", 0.33: "⅓", 0.67: "⅔"}


@dataclass(frozen=True)
class Fit:
    """A flip and a start phase, and the share (0…1) of a part's accent energy that passes left, right and in all.

    In all is the mean of both sides as far as they pump together, and the better side as far as they are opposite.
    """

    flip: bool
    start_phase: float
    left: float
    right: float
    score: float


def passing(pulsing: Pulsing, times: Values, strengths: Values, centre: float = 0.0) -> Fit:
    """How much of the accents at ``times`` (s), of such ``strengths``, the pulse lets through as it is."""
    if len(times) > _MOST_ACCENTS:
        strongest = np.sort(np.argsort(strengths)[-_MOST_ACCENTS:])
        times, strengths = times[strongest], strengths[strongest]
    after = np.linspace(0.0, ATTACK_SECONDS, _ACCENT_SAMPLES)
    power = (side_gains(pulsing, times[:, np.newaxis] + after, centre) ** 2).mean(axis=2)
    weights = strengths**2
    left, right = (power @ weights) / max(float(weights.sum()), 1e-12)
    opposite = 1.0 if pulsing.pulse.form != "level" else np.sin(np.radians(pulsing.pulse.offset) / 2.0) ** 2
    score = (1.0 - opposite) * (left + right) / 2.0 + opposite * max(left, right)
    pulse = pulsing.pulse
    return Fit(pulse.flip, pulse.start_phase, float(left), float(right), float(min(score, 1.0)))


def best_fit(pulsing: Pulsing, times: Values, strengths: Values, centre: float = 0.0) -> Fit | None:
    """The flip and start phase that let most of the accents through, of 2 × 16; None if hardly more than now."""
    now = passing(pulsing, times, strengths, centre)
    results = max(
        (
            passing(
                replace(pulsing, pulse=replace(pulsing.pulse, flip=flip, start_phase=step / _STARTS)),
                times,
                strengths,
                centre,
            )
            for flip in (False, True)
            for step in range(_STARTS)
        ),
        key=lambda fit: round(fit.score, 6),
    )
    return results if results.score > now.score + _WORTH else None


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
