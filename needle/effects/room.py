"""Room reverb: an exponentially decaying diffuse response, the same every time, that keeps the side it came from.

Noise that decays in octave bands, each with its own time (Jot & Chaigne 1991, Moorer 1979), behind a few early
reflections. What comes in on one side is answered on that side first and crosses over as it spreads.
"""

from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft

from needle.effects.base import Around, Effect, Setting, Settings

_SIXTY_DB = np.log(1000.0)
_OCTAVES = 125.0 * 2.0 ** np.arange(8)
_REFLECTIONS = 14
_SEED = 0x0A17
_FEWEST_TAPS = 64

_LOWEST, _BANDS, _ROUNDS = 50.0, 6, 3
"""Answers are made unlike in so many bands of an octave from the lowest (Hz) on, in so many rounds."""

_TOLD_APART = 1e-4
"""Answers can be told apart where the weakest of their mixtures has at least so much of the mean power."""


@lru_cache(maxsize=32)
def response(
    rate: int, length: float, pre_delay: float, damping: float, size: float, crossing: float
) -> NDArray[np.float32]:
    """The room's answer, float32 (2 outputs, 2 inputs, taps): an impulse on one side comes out with unit energy.

    ``length`` (s) until it has decayed by 60 dB at 500 Hz and below; ``pre_delay`` in ms; ``damping`` 0…1
    shortens it towards the highs; ``size`` 0…1 sets how slowly it thickens; ``crossing`` is the far side's amplitude
    over the near side's.
    """
    return _answers(rate, length, pre_delay, damping, size, crossing)[0]


@lru_cache(maxsize=32)
def early(
    rate: int, length: float, pre_delay: float, damping: float, size: float, crossing: float
) -> NDArray[np.float32]:
    """The early reflections of ``response`` alone: what tells where a sound came from."""
    return _answers(rate, length, pre_delay, damping, size, crossing)[1]


def _answers(
    rate: int, length: float, pre_delay: float, damping: float, size: float, crossing: float
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The whole answer and its early part."""
    taps = max(round(length * rate), _FEWEST_TAPS)
    t = np.arange(taps) / rate
    near, far = 1.0 / np.hypot(1.0, crossing), crossing / np.hypot(1.0, crossing)
    # The far side hears it a little later: the sound has to cross the room first.
    builds = {True: 1.0 - np.exp(-t / (0.001 + 0.02 * size)), False: 1.0 - np.exp(-t / (0.004 + 0.05 * size))}
    start = round(pre_delay / 1000.0 * rate)
    found = np.zeros((2, 2, start + taps), dtype=np.float32)
    first = np.zeros_like(found)
    for output in (0, 1):
        for side in (0, 1):
            same = output == side
            rng = np.random.Generator(np.random.PCG64(_SEED + 2 * output + side))
            tail = _decaying_noise(rng, t, rate, length, damping) * builds[same]
            tail *= np.clip((taps - np.arange(taps)) / (0.1 * taps), 0.0, 1.0)
            reflections = 0.6 * _unit(_reflections(rng, taps, rate, size, same))
            answer = _unit(tail) + reflections
            found[output, side, start:] = _unit(answer) * (near if same else far)
            first[output, side, start:] = reflections / np.sqrt((answer**2).sum()) * (near if same else far)
    return found, first


@lru_cache(maxsize=16)
def everywhere(
    rate: int, count: int, length: float, pre_delay: float, damping: float, size: float, crossing: float
) -> NDArray[np.float32]:
    """The tail as ``count`` loudspeakers play it, each by a noise of its own: float32 (count, taps).

    What one sound sends there comes out of all of them together as strong as the tail of ``response``, in every
    third of an octave equally from each, and no two of them alike.
    """
    whole, first = _answers(rate, length, pre_delay, damping, size, crossing)
    tail = (whole - first).astype(np.float64)
    strength = float(np.sqrt((tail[:, 0] ** 2).sum()))
    taps = max(round(length * rate), _FEWEST_TAPS)
    t = np.arange(taps) / rate
    builds = 1.0 - np.exp(-t / (0.004 + 0.05 * size))
    fade = np.clip((taps - np.arange(taps)) / (0.1 * taps), 0.0, 1.0)
    noises = [
        _decaying_noise(np.random.Generator(np.random.PCG64(_SEED + 16 + number)), t, rate, length, damping)
        for number in range(count)
    ]
    answers = _unlike(np.array(noises) * builds * fade, rate)
    found = np.zeros((count, tail.shape[2]), np.float32)
    found[:, tail.shape[2] - taps :] = [_unit(answer) * strength / np.sqrt(count) for answer in answers]
    return found


def _unlike(answers: NDArray[np.float64], rate: int) -> NDArray[np.float64]:
    """Answers (count, taps) of nearly those sounds, as strong as each other in every band, and uncorrelated.

    In each band they are mixed by the inverse root of their covariance (Löwdin 1950): of all bases the nearest one.
    A band in which they are too short to be told apart stays as it is.
    """
    taps = answers.shape[1]
    size = next_fast_len(2 * taps, real=True)
    spectra = rfft(answers, size)
    at = _BANDS * np.log2(np.maximum(np.fft.rfftfreq(size, 1.0 / rate), 1.0) / _LOWEST)
    highest = int(np.ceil(at[-1]))
    at = np.clip(at, 0.0, highest)
    lower = np.minimum(at.astype(int), highest - 1)
    edges = np.searchsorted(lower, np.arange(highest + 1))
    for _ in range(_ROUNDS):
        # Every band reaches to the middles of its neighbours, and the mixing goes over evenly from one to the next.
        mixing = []
        for band in range(highest + 1):
            inside = slice(edges[max(band - 1, 0)], edges[min(band + 1, highest)])
            here = spectra[:, inside] * np.sqrt(1.0 - np.abs(at[inside] - band))
            mixing.append(_inverse_root((here @ here.conj().T).real))
        for band in range(highest):
            inside = slice(edges[band], edges[band + 1])
            share = at[inside] - band
            here = spectra[:, inside]
            spectra[:, inside] = (mixing[band] @ here) * (1.0 - share) + (mixing[band + 1] @ here) * share
    return irfft(spectra, size)[:, :taps]


def _inverse_root(covariance: NDArray[np.float64]) -> NDArray[np.float64]:
    """What makes of sounds of that covariance sounds of the same power each and all told, uncorrelated."""
    powers, bases = np.linalg.eigh(covariance)
    mean = powers.mean()
    if not powers[0] > _TOLD_APART * mean > 0.0:
        return np.eye(len(powers))
    return (bases * np.sqrt(mean / powers)) @ bases.T


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
    return response(around.rate, *settings_of(settings))


def taps_of(settings: Settings, rate: int) -> int:
    """How long a room's responses are (frames)."""
    return round(settings["pre_delay"] / 1000.0 * rate) + max(round(settings["length"] * rate), _FEWEST_TAPS)


def settings_of(settings: Settings) -> tuple[float, ...]:
    """A room's settings in the order in which its responses take them."""
    return tuple(settings[setting.name] for setting in _SETTINGS)


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

EARLY = replace(ROOM, name="room-early", response=lambda settings, around: early(around.rate, *settings_of(settings)))
"""A room of which only the early reflections are heard: no effect to be chosen."""
