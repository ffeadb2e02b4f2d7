"""The built-in voice: struck notes made of decaying partials, in a few timbres.

A small stand-in for an instrument, so that the notes of a part can be heard at their places without one.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from needle.errors import NeedleError

Audio = NDArray[np.float32]

_GONE = 60.0
"""A note has ended when it has decayed by so many dB."""

_ATTACK_SECONDS = 0.002
_STRENGTH = 0.25
"""The peak of a note at full velocity, before partials meet."""

_CURVE = 1.6
_PER_DB = float(np.log(10.0) / 20.0)


@dataclass(frozen=True)
class Timbre:
    """``partials``: (times the fundamental, strength, time constant of its decay in s) at middle C.

    Higher notes decay faster. ``release`` (s) is the time constant of the damping where a note ends.
    """

    name: str
    title: str
    partials: tuple[tuple[float, float, float], ...]
    release: float


TIMBRES = {
    timbre.name: timbre
    for timbre in (
        Timbre("glass", "glass bars", ((1, 1.0, 0.9), (1.003, 0.3, 1.1), (3.93, 0.25, 0.26), (9.2, 0.07, 0.07)), 0.5),
        Timbre("wood", "wooden bars", ((1, 1.0, 0.22), (3.98, 0.3, 0.08), (9.7, 0.1, 0.03)), 0.1),
        Timbre(
            "string",
            "plucked string",
            tuple((n * (1 + 0.0002 * n * n), 0.8 / n, 1.3 / n**0.7) for n in range(1, 11)),
            0.08,
        ),
        Timbre(
            "bell",
            "small bell",
            ((0.5, 0.35, 2.0), (1, 0.8, 1.6), (1.19, 0.4, 1.2), (1.5, 0.25, 0.9), (2, 0.4, 0.8), (2.74, 0.2, 0.4)),
            1.2,
        ),
        Timbre("pipe", "soft pipe", ((1, 1.0, 4.0), (2, 0.35, 3.0), (3, 0.12, 2.0)), 0.06),
    )
}
"""Every timbre by name."""


def timbre_named(name: str) -> Timbre:
    """The timbre of that name; NeedleError lists the names if there is none."""
    try:
        return TIMBRES[name]
    except KeyError:
        raise NeedleError("deal.unknown_timbre", name=name, choices=TIMBRES) from None


def tail_seconds(timbre: str) -> float:
    """How long (s) a note goes on after it is damped."""
    return timbre_named(timbre).release * _GONE * _PER_DB


def velocity_gain(velocity: float) -> float:
    """The linear gain of a note struck with a velocity (0…1)."""
    return float(np.clip(velocity, 0.0, 1.0)) ** _CURVE


def note(timbre: str, pitch: float, seconds: float, rate: int) -> Audio:
    """A note at full velocity from its strike to the end of its tail: float32 (frames,), the same every time.

    ``pitch`` in MIDI numbers (69 is 440 Hz), ``seconds`` until it is damped, ``rate`` in Hz.
    """
    return _note(timbre_named(timbre), round(float(pitch), 3), round(float(seconds), 3), rate)


@lru_cache(maxsize=160)
def _note(timbre: Timbre, pitch: float, seconds: float, rate: int) -> Audio:
    frequency = 440.0 * 2.0 ** ((pitch - 69.0) / 12.0)
    quicker = 2.0 ** (-(pitch - 60.0) / 36.0)
    longest = max(decay for _, _, decay in timbre.partials) * quicker * _GONE * _PER_DB
    damped = seconds + timbre.release * _GONE * _PER_DB
    t = np.arange(round(min(longest, damped) * rate) + 1) / rate
    sound = np.zeros_like(t)
    for ratio, strength, decay in timbre.partials:
        if frequency * ratio < 0.45 * rate:
            sound += strength * np.sin(2.0 * np.pi * frequency * ratio * t) * np.exp(-t / (decay * quicker))
    damping = np.exp(-np.maximum(t - seconds, 0.0) / timbre.release)
    fade = np.clip((t[-1] - t) / 0.01, 0.0, 1.0)
    return (_STRENGTH * sound * np.clip(t / _ATTACK_SECONDS, 0.0, 1.0) * damping * fade).astype(np.float32)
