"""The instruments of Night Ferry: each gives one sound, the same samples every time."""

from collections.abc import Iterable
from functools import cache

import numpy as np
from scipy.signal import butter, fftconvolve, sosfilt

from demo.clock import RATE, Sound, fade, hertz, times


def noise(seed: int, length: float) -> Sound:
    """White noise of unit variance from a seed."""
    return np.random.Generator(np.random.PCG64(seed)).standard_normal(round(length * RATE))


def band(sound: Sound, low: float, high: float) -> Sound:
    """The sound between two frequencies (Hz), second order."""
    return sosfilt(butter(2, [low, high], "bandpass", fs=RATE, output="sos"), sound)


def below(sound: Sound, frequency: float) -> Sound:
    """The sound below a frequency (Hz), second order."""
    return sosfilt(butter(2, frequency, "lowpass", fs=RATE, output="sos"), sound)


def partials(length: float, tones: list[tuple[float, float, float]]) -> Sound:
    """Decaying sines: (frequency Hz, amplitude, decay time constant s) each."""
    t = times(length)
    return sum(a * np.sin(2 * np.pi * f * t) * np.exp(-t / d) for f, a, d in tones)


def harmonics(phase: Sound, weights: Iterable[complex]) -> Sound:
    """Σ w_n sin(n × phase), from the first harmonic up; a weight's angle shifts its harmonic."""
    turn = np.exp(1j * phase)
    power, total = turn.copy(), np.zeros_like(phase)
    for weight in weights:
        total += (weight * power).imag
        power *= turn
    return total


def engine(length: float, beat: float) -> Sound:
    """A slow two-stroke diesel through the deck: two firings a beat, the first of each pair heavier."""
    t = times(length)
    hull = sum(np.sin(2 * np.pi * 36.7 * n * t + n) / n**1.1 for n in (1, 2, 3, 4, 6))
    stroke = (t % (beat / 2)) / (beat / 2)
    weight = np.where((t // (beat / 2)) % 2 == 0, 1.0, 0.62)
    thump = np.exp(-stroke * 5.0) * (1 - np.exp(-stroke * 60.0)) * weight
    rattle = band(noise(11, length), 180, 900) * thump * 0.5
    return hull * (0.35 + 0.9 * thump) + rattle


def foghorn(length: float, midi: float) -> Sound:
    """One blast: a brass reed that swells, holds, and sags a semitone as the air runs out."""
    t = times(length)
    sag = -1.0 * np.clip((t - length + 0.5) / 0.5, 0, 1) ** 2 + 0.3 * np.exp(-t / 0.08)
    phase = 2 * np.pi * np.cumsum(hertz(midi + sag)) / RATE
    bright = 0.6 + 0.4 * np.clip(t / 0.5, 0, 1)
    reed = sum(np.sin(n * phase) / n ** (1.5 - 0.5 * bright) for n in range(1, 14))
    reed += 0.5 * sum(np.sin(n * phase * 1.5) / n**1.2 for n in range(1, 8))
    return fade(reed + 0.15 * band(noise(21, length), 200, 1500), 0.16, 0.3)


@cache
def bell(midi: float) -> Sound:
    """A buoy's bell: a minor-third partial over the hum note, and a clapper."""
    f = hertz(midi)
    tones = [
        (0.5, 0.5, 3.2),
        (1, 1, 2.4),
        (1.19, 0.7, 1.9),
        (1.5, 0.35, 1.5),
        (2, 0.6, 1.3),
        (2.74, 0.4, 0.8),
    ]
    ring = partials(5.0, [(f * r, a, d) for r, a, d in tones] + [(f * 3.76, 0.3, 0.4), (f * 5.1, 0.2, 0.2)])
    ring[: RATE // 50] += band(noise(31, 0.02), 2000, 8000) * 0.6
    return fade(ring, 0.001, 0.4)


def gull(seed: int) -> Sound:
    """A few falling cries."""
    rng = np.random.Generator(np.random.PCG64(seed))
    cries = []
    for _ in range(int(rng.integers(2, 5))):
        length = float(rng.uniform(0.16, 0.42))
        t = times(length)
        top = rng.uniform(1500, 2100)
        pitch = top * (0.72 + 0.4 * np.sin(np.pi * np.clip(t / length * 1.1, 0, 1)) ** 0.7)
        phase = 2 * np.pi * np.cumsum(pitch * (1 + 0.02 * np.sin(2 * np.pi * 31 * t))) / RATE
        cries.append(fade(np.sin(phase) + 0.5 * np.sin(2 * phase) + 0.2 * np.sin(3 * phase), 0.03, 0.08))
        cries.append(np.zeros(round(rng.uniform(0.05, 0.16) * RATE)))
    return np.concatenate(cries)


def oar(seed: int) -> Sound:
    """One stroke: the creak of the rowlock, the blade going in, the pull, and drops off the blade."""
    t = times(1.25)
    creak_pitch = 210 + 160 * np.clip(t / 0.28, 0, 1) + 25 * np.sin(2 * np.pi * 23 * t)
    creak = np.sign(np.sin(2 * np.pi * np.cumsum(creak_pitch) / RATE)) * np.exp(-(((t - 0.14) / 0.08) ** 2))
    splash = band(noise(seed, 1.25), 500, 5200) * np.exp(-(((t - 0.36) / 0.09) ** 2)) * 1.3
    pull = band(noise(seed + 1, 1.25), 220, 1500) * np.exp(-(((t - 0.62) / 0.2) ** 2))
    drops = band(noise(seed + 2, 1.25), 2500, 9000) * (np.sin(2 * np.pi * 9 * t) > 0.93) * np.clip(t - 0.8, 0, 1)
    return fade(0.35 * band(creak, 250, 2600) + splash + 0.8 * pull + 2.0 * drops, 0.01, 0.1)


_VOWEL = ((500, 1.0), (950, 0.6), (2500, 0.18), (3300, 0.1))


def voice(midi: float, length: float, seed: int) -> Sound:
    """A hummed "oh": harmonics under four formants, with its own vibrato."""
    t = times(length)
    rng = np.random.Generator(np.random.PCG64(seed))
    depth, speed = rng.uniform(0.12, 0.28), rng.uniform(4.6, 5.6)
    wander = rng.uniform(-0.08, 0.08) + depth * np.sin(2 * np.pi * speed * t + rng.uniform(0, 6)) * np.clip(t, 0, 1)
    f = hertz(midi + wander)
    phase = 2 * np.pi * np.cumsum(f) / RATE
    formants = (
        0.02 + sum(a / (1 + ((n * hertz(midi) - centre) / 110) ** 2) for centre, a in _VOWEL)
        for n in range(1, int(5000 / hertz(midi)))
    )
    return fade(harmonics(phase, formants), 0.25, 0.45)


def hall(seed: int, length: float) -> Sound:
    """A diffuse stereo response that decays by 60 dB over ``length`` (s): the deck's own echo."""
    t = times(length)
    sides = [below(noise(seed + side, length), 4200) * np.exp(-6.9 * t / length) for side in (0, 1)]
    return np.array(sides) * 0.02


def in_hall(dry: Sound, seed: int, length: float, wet: float) -> Sound:
    """Stereo ``dry`` (2, n) with the hall of each side mixed in, same length."""
    response = hall(seed, length)
    echo = np.array([fftconvolve(dry.mean(axis=0), side)[: dry.shape[1]] for side in response])
    return dry + wet * echo


def reed(midi: float, length: float, cents: float, breath: float = 1.0) -> Sound:
    """A concertina note: two brass reeds a few cents apart behind a leather bellows."""
    t = times(length)
    tone = np.zeros_like(t)
    for detune in (cents - 4.0, cents + 4.5):
        phase = 2 * np.pi * hertz(midi + detune / 100) * t
        count = min(14, int(9000 / hertz(midi)))
        tone += harmonics(phase, ((1.0 if n % 2 else 0.75) / n**0.9 * np.exp(0.4j * n) for n in range(1, count + 1)))
    bellows = 0.75 + 0.25 * np.sin(np.pi * np.clip(t / max(length, 0.1), 0, 1)) * breath
    return fade(below(tone, 4500) * bellows, 0.035, 0.06)


@cache
def pluck(midi: float, length: float) -> Sound:
    """A plucked bass string: harmonics that die the faster the higher, plucked a fifth along."""
    f = hertz(midi)
    tones = [(f * n * (1 + 0.0002 * n * n), np.sin(np.pi * n * 0.2) / n, 1.4 / n**0.8) for n in range(1, 16)]
    string = partials(length, tones)
    string[: RATE // 100] += 0.2 * below(noise(41, 0.01), 1500)
    return fade(string, 0.003, min(0.08, length / 3))


def frame_drum(low: bool, seed: int) -> Sound:
    """A hand drum: the open low stroke, or the dry high one at the rim."""
    t = times(0.7 if low else 0.25)
    if low:
        pitch = 88 + 34 * np.exp(-t / 0.035)
        skin = np.sin(2 * np.pi * np.cumsum(pitch) / RATE) * np.exp(-t / 0.16)
        skin += 0.35 * np.sin(2 * np.pi * 171 * t) * np.exp(-t / 0.07)
        return fade(skin + 0.25 * below(noise(seed, 0.7), 900) * np.exp(-t / 0.02), 0.001, 0.1)
    slap = band(noise(seed, 0.25), 700, 4200) * np.exp(-t / 0.028)
    return fade(slap + 0.5 * np.sin(2 * np.pi * 390 * t) * np.exp(-t / 0.05), 0.001, 0.05)


def shake(seed: int) -> Sound:
    """One movement of a shaker."""
    t = times(0.14)
    return fade(band(noise(seed, 0.14), 4500, 13000) * np.exp(-(((t - 0.03) / 0.028) ** 2)), 0.004, 0.03)


@cache
def glass(midi: float) -> Sound:
    """A glass bar under a soft mallet: nearly a pure tone, with two glints above it."""
    f = hertz(midi)
    bar = partials(2.4, [(f, 1.0, 0.75), (f * 3.93, 0.25, 0.22), (f * 9.2, 0.08, 0.06), (f * 1.003, 0.3, 0.9)])
    return fade(bar, 0.002, 0.3)


def wind_chord(notes: list[int], length: float, seed: int) -> Sound:
    """A flat, sustained chord of blown pipes, wide across two sides: (2, n)."""
    t = times(length)
    sides = []
    for side in (0, 1):
        tone = np.zeros_like(t)
        for i, midi in enumerate(notes):
            detune = (-1) ** (i + side) * (3 + i) / 100
            phase = 2 * np.pi * hertz(midi + detune) * t + 1.7 * i + side
            tone += harmonics(phase, (1.0, 0.4 * np.exp(1j * side), 0.16))
        air = band(noise(seed + side, length), 300, 2400) * 0.35
        sides.append(tone + air)
    return fade(np.array(sides), 0.3, 0.3)
