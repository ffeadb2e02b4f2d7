"""Who plays what, bar by bar: thirteen sources as tracks of the whole piece.

D minor over eight bars. Dusk (1-8) and Cast off (9-16) gather, Open water (17-28) has the tune, Lights
ahead (29-40) answers it, Landing (41-48) lets go.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from demo import instruments as play
from demo.clock import BARS, BEAT, LENGTH, Track, fade, seconds

ROOTS = (38, 38, 36, 36, 34, 41, 43, 45)
CHORDS = (
    (50, 57, 62, 65), (50, 57, 62, 64), (48, 55, 60, 64), (48, 55, 60, 67),
    (46, 53, 58, 62), (53, 57, 60, 65), (55, 58, 62, 67), (57, 61, 64, 69),
)  # fmt: skip

# The tune, per bar of the eight: (beat, MIDI note, length in beats).
TUNE = (
    ((1, 74, 1.5), (2.5, 76, 0.5), (3, 77, 1), (4, 76, 1)),
    ((1, 74, 2), (3, 69, 1), (4, 72, 1)),
    ((1, 76, 1.5), (2.5, 74, 0.5), (3, 72, 1), (4, 67, 1)),
    ((1, 72, 3), (4, 74, 1)),
    ((1, 77, 1), (2, 76, 0.5), (2.5, 77, 0.5), (3, 74, 1), (4, 70, 1)),
    ((1, 72, 1.5), (2.5, 74, 0.5), (3, 77, 2)),
    ((1, 79, 1), (2, 77, 1), (3, 76, 0.5), (3.5, 74, 0.5), (4, 70, 1)),
    ((1, 73, 1), (2, 76, 1), (3, 69, 2)),
)

MALLET_FIGURES = (
    ((1, 0), (1.5, 1), (2, 2), (2.75, 3), (3.5, 2), (4, 1)),
    ((1.5, 3), (2, 2), (2.5, 1), (3.5, 2), (4.25, 3)),
)


def _swell(first: int, last: int, attack_bars: float, release_bars: float) -> NDArray[np.float64]:
    """An envelope over the whole piece: silent outside two bars, fading in and out."""
    level = np.zeros(Track().audio.shape[1])
    start, end = (round(seconds(bar) * 48000) for bar in (first, last))
    level[start:end] = fade(np.ones(end - start), attack_bars * 4 * BEAT, release_bars * 4 * BEAT)
    return level


def ferry_engine() -> Track:
    track = Track()
    track.lay(play.engine(LENGTH, BEAT) * (0.3 * _swell(2, 12, 3, 3) + _swell(8, 48, 3, 4)), 0.0)
    return track


def foghorn() -> Track:
    track = Track()
    for bar, second in ((3, False), (7, True), (15, True), (23, False), (31, True), (39, False), (45, True)):
        track.lay(play.foghorn(2.2 * BEAT, 45), seconds(bar))
        if second:
            track.lay(play.foghorn(1.4 * BEAT, 40), seconds(bar, 3.5), 0.8)
    return track


def bell_buoy() -> Track:
    """The swell rings it: about every five beats, never quite evenly, always on a half-beat."""
    track = Track()
    rng = np.random.Generator(np.random.PCG64(5))
    beat = 2.0
    while beat < BARS * 4 - 8:
        track.lay(play.bell(74), beat * BEAT, rng.uniform(0.5, 1.0))
        if rng.random() < 0.4:
            track.lay(play.bell(74), (beat + 0.5) * BEAT, rng.uniform(0.2, 0.4))
        beat += float(rng.choice([4.0, 5.0, 5.5, 6.5]))
    return track


def gulls() -> Track:
    track = Track(2)
    rng = np.random.Generator(np.random.PCG64(17))
    for bar in [1, 2, 4, 5, 6, 8, 9, 11, 28, 30, 33, 34, 37, 40, 41, 42, 43, 45, 46, 47]:
        for _ in range(int(rng.integers(1, 3))):
            cry = play.gull(int(rng.integers(1000)))
            place = float(rng.uniform(-1, 1))
            track.lay(cry, seconds(bar, rng.uniform(1, 4.4)), rng.uniform(0.35, 1.0), place)
    return track


def oars() -> Track:
    track = Track()
    for bar in range(12, 28):
        for stroke in (1, 3):
            weight = 0.6 + 0.4 * np.sin(np.pi * (bar - 11) / 17)
            track.lay(play.oar(bar * 10 + stroke), seconds(bar, stroke) - 0.3, weight * (1.0, 0.8)[stroke // 3])
    return track


def deck_voices() -> Track:
    """Four voices humming the chords, their deck's echo printed on both sides."""
    track = Track(2)
    for bar in [*range(9, 17), *range(29, 45)]:
        for i, midi in enumerate(CHORDS[(bar - 1) % 8][1:]):
            sung = play.voice(midi + (12 if midi < 60 else 0), 4 * BEAT + 0.3, bar * 7 + i)
            track.lay(sung, seconds(bar), 0.8, (-0.6, 0.1, 0.65)[i])
    track.audio = play.in_hall(track.audio, 71, 1.6, 1.1)
    return track


def _concertina(cents: float, late: float) -> Track:
    track = Track()
    for bar in range(17, 41):
        if bar in (23, 24, 31, 32):
            continue
        for beat, midi, beats in TUNE[(bar - 1) % 8]:
            at = seconds(bar, beat) + late
            track.lay(play.reed(midi, beats * BEAT * 0.94, cents), at, 0.85 + 0.15 * (beat == 1))
    return track


def concertina_one() -> Track:
    return _concertina(-3.0, 0.0)


def concertina_two() -> Track:
    return _concertina(4.0, 0.012)


def plucked_bass() -> Track:
    track = Track()
    for bar in range(9, 47):
        root = ROOTS[(bar - 1) % 8]
        steps = [(1, 0, 1.4), (2.5, 0, 0.5), (3, 7, 0.9), (4, 12, 0.5), (4.5, 7, 0.5)]
        if bar < 13 or bar >= 45:
            steps = [(1, 0, 2.4), (3.5, 7, 0.6)]
        for beat, step, beats in steps:
            track.lay(play.pluck(root + step, beats * BEAT + 0.25), seconds(bar, beat), 1.0 - 0.05 * step / 7)
    return track


def drum_strokes() -> list[tuple[float, bool, float]]:
    """Every stroke of the hand drum: (time s, low, weight)."""
    strokes = []
    for bar in range(9, 47):
        if bar in (16, 28, 40):
            pattern = [
                (1, True, 1),
                (2, False, 0.5),
                (3, True, 0.8),
                (3.5, False, 0.6),
                (4, False, 0.8),
                (4.5, False, 1),
            ]
        else:
            pattern = [
                (1, True, 1),
                (1.75, False, 0.35),
                (2.5, False, 0.7),
                (3, True, 0.75),
                (4, False, 0.8),
                (4.5, False, 0.45),
            ]
        if bar < 13 or bar >= 44:
            pattern = pattern[::3]
        strokes += [(seconds(bar, beat), low, weight) for beat, low, weight in pattern]
    return strokes


def hand_drum() -> Track:
    track = Track()
    for i, (at, low, weight) in enumerate(drum_strokes()):
        track.lay(play.frame_drum(low, 300 + i), at, weight)
    return track


def shaker() -> Track:
    track = Track()
    for bar in range(17, 45):
        for eighth in range(8):
            weight = (1.0, 0.45, 0.7, 0.5, 0.9, 0.45, 0.75, 0.6)[eighth]
            track.lay(play.shake(bar * 8 + eighth), seconds(bar, 1 + eighth / 2) - 0.02, weight)
    return track


def mallet_notes() -> list[tuple[float, int, float]]:
    """Every note of the glass mallets: (time s, MIDI note, weight)."""
    notes = []
    for bar in [*range(13, 17), *range(21, 25), *range(29, 41), *range(43, 47)]:
        chord = CHORDS[(bar - 1) % 8]
        for beat, step in MALLET_FIGURES[bar % 2]:
            notes.append((seconds(bar, beat), chord[step] + 24, 1.0 if beat == 1 else 0.7))
    return notes


def glass_mallets() -> Track:
    track = Track()
    for at, midi, weight in mallet_notes():
        track.lay(play.glass(midi), at, weight)
    return track


def wind_pad() -> Track:
    track = Track(2)
    for bar in range(1, BARS + 1):
        track.lay(play.wind_chord(list(CHORDS[(bar - 1) % 8]), 4 * BEAT + 0.3, 900 + bar), seconds(bar))
    track.audio *= fade(np.ones(track.audio.shape[1]), 6.0, 8.0)
    return track


SCORE: dict[str, Callable[[], Track]] = {
    "ferry-engine": ferry_engine,
    "foghorn": foghorn,
    "bell-buoy": bell_buoy,
    "gulls": gulls,
    "oars": oars,
    "deck-voices": deck_voices,
    "concertina-1": concertina_one,
    "concertina-2": concertina_two,
    "plucked-bass": plucked_bass,
    "hand-drum": hand_drum,
    "shaker": shaker,
    "glass-mallets": glass_mallets,
    "wind-pad": wind_pad,
}
"""Every source's track by its id."""
