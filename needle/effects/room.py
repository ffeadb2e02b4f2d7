"""Room reverb: an exponentially decaying diffuse response, the same every time, that keeps the side it came from.

Noise that decays in octave bands, each with its own time (Jot & Chaigne 1991, Moorer 1979), behind a few early
reflections. What comes in on one side is answered on that side first and crosses over as it spreads.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, rfft

from needle.effects.base import Around, Effect, Setting, Settings

_SIXTY_DB = np.log(1000.0)
_OCTAVES = 125.0 * 2.0 ** np.arange(8)
_REFLECTIONS = 14
_SEED = 0x0A17


@lru_cache(maxsize=32)
def response(
    rate: int, length: float, pre_delay: float, damping: float, size: float, crossing: float
) -> NDArray[np.float32]:
    """The room's answer, float32 (2 outputs, 2 inputs, taps): an impulse on one side comes out with unit energy.

    ``length`` (s) until it has decayed by 60 dB at 500 Hz and below; ``pre_delay`` in ms; ``damping`` 0…1
    shortens it towards the highs; ``size`` 0…1 sets how slowly it thickens; ``crossing`` is the far side's amplitude
    over the near side's.
    """
    taps = max(round(length * rate), 64)
    t = np.arange(taps) / rate
    near, far = 1.0 / np.hypot(1.0, crossing), crossing / np.hypot(1.0, crossing)
    # The far side hears it a little later: the sound has to cross the room first.
    builds = {True: 1.0 - np.exp(-t / (0.001 + 0.02 * size)), False: 1.0 - np.exp(-t / (0.004 + 0.05 * size))}
    start = round(pre_delay / 1000.0 * rate)
    found = np.zeros((2, 2, start + taps), dtype=np.float32)
    for output in (0, 1):
        for side in (0, 1):
            same = output == side
            rng = np.random.Generator(np.random.PCG64(_SEED + 2 * output + side))
            tail = _decaying_noise(rng, t, rate, length, damping) * builds[same]
            tail *= np.clip((taps - np.arange(taps)) / (0.1 * taps), 0.0, 1.0)
            early = _reflections(rng, taps, rate, size, same)
            answer = _unit(tail) + 0.6 * _unit(early)
            found[output, side, start:] = _unit(answer) * (near if same else far)
    return found


def _decaying_noise(
    rng: np.random.Generator, t: NDArray[np.float64], rate: int, length: float, damping: float
) -> NDArray[np.float64]:
    spectrum = rfft(rng.standard_normal(len(t)))
    octave = np.log2(np.maximum(np.fft.rfftfreq(len(t), 1.0 / rate), 1.0) / _OCTAVES[0])
    total = np.zeros(len(t))
    for band in range(len(_OCTAVES)):
        away = octave - band
        lowest, highest = band == 0, band == len(_OCTAVES) - 1
        share = np.cos(np.clip(away, 0.0 if lowest else -1.0, 0.0 if highest else 1.0) * np.pi / 2.0) ** 2
        shorter = 1.0 - 0.88 * damping * max(band - 2, 0) / (len(_OCTAVES) - 3)
        total += irfft(spectrum * share, len(t)) * np.exp(-_SIXTY_DB * t / (length * shorter))
    return total


def _reflections(rng: np.random.Generator, taps: int, rate: int, size: float, same: bool) -> NDArray[np.float64]:
    found = np.zeros(taps)
    last = (0.012 + 0.075 * size) * rate
    first = (0.001 if same else 0.003) * rate
    at = first + (last - first) * np.sort(rng.random(_REFLECTIONS))
    strength = rng.choice([-1.0, 1.0], _REFLECTIONS) * np.exp(-1.8 * np.arange(_REFLECTIONS) / _REFLECTIONS)
    inside = at < taps
    np.add.at(found, at[inside].astype(int), strength[inside])
    return found


def _unit(answer: NDArray[np.float64]) -> NDArray[np.float64]:
    energy = np.sqrt((answer**2).sum())
    return answer / energy if energy > 0.0 else answer


_SETTINGS = (
    Setting("length", "Length", 0.1, 8.0, 1.6, "s", 0.1),
    Setting("pre_delay", "Pre-delay", 0.0, 200.0, 12.0, "ms", 1.0),
    Setting("damping", "Damping", 0.0, 1.0, 0.5, "", 0.05),
    Setting("size", "Size", 0.0, 1.0, 0.5, "", 0.05),
    Setting("crossing", "Crossing over", 0.0, 1.0, 0.4, "", 0.05),
)


def _response(settings: Settings, around: Around) -> NDArray[np.float32]:
    return response(around.rate, *(settings[setting.name] for setting in _SETTINGS))


def _tail(settings: Settings, around: Around) -> int:
    return round((settings["pre_delay"] / 1000.0 + settings["length"]) * around.rate)


ROOM = Effect(
    "room",
    "room",
    "A space that answers on the side it is called from, and spreads.",
    _SETTINGS,
    response=_response,
    tail=_tail,
)
