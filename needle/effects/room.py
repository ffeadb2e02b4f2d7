"""Room reverb: an exponentially decaying diffuse response, the same every time, that keeps the side it came from.

Noise that decays in octave bands, each with its own time (Jot & Chaigne 1991, Moorer 1979), behind a few early
reflections. What comes in on one side is answered on that side first and crosses over as it spreads.
"""

from dataclasses import replace

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.effects.base import Around, Effect, Setting, Settings

_SIXTY_DB = np.log(1000.0)
_OCTAVES = 125.0 * 2.0 ** np.arange(8)
_REFLECTIONS = 14
_SEED = 0x0A17
_MIN_TAPS = 64

_LOWEST_BAND_HZ, _BANDS_PER_OCTAVE, _ITERATIONS = 50.0, 6, 3
"""The bands in which diffuse responses are decorrelated, and how often."""

_SINGULAR_BELOW = 1e-4
"""The least eigenvalue of a covariance that can be inverted, over the mean of all."""


def response(
    rate: int, length: float, pre_delay: float, damping: float, size: float, crossing: float
) -> NDArray[np.float32]:
    """The room's answer, float32 (2 outputs, 2 inputs, taps): an impulse on one side comes out with unit energy.

    ``length`` (s) until it has decayed by 60 dB at 500 Hz and below; ``pre_delay`` in ms; ``damping`` 0…1
    shortens it towards the highs; ``size`` 0…1 sets how slowly it thickens; ``crossing`` is the far side's amplitude
    over the near side's.
    """
    return _responses(rate, length, pre_delay, damping, size, crossing)[0]


def early_response(
    rate: int, length: float, pre_delay: float, damping: float, size: float, crossing: float
) -> NDArray[np.float32]:
    """The early reflections of ``response`` alone, which tell where a sound came from."""
    return _responses(rate, length, pre_delay, damping, size, crossing)[1]


def _responses(
    rate: int, length: float, pre_delay: float, damping: float, size: float, crossing: float
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The whole response and its early part."""
    taps = max(round(length * rate), _MIN_TAPS)
    t = np.arange(taps) / rate
    near, far = 1.0 / np.hypot(1.0, crossing), crossing / np.hypot(1.0, crossing)
    start = round(pre_delay / 1000.0 * rate)
    whole = np.zeros((2, 2, start + taps), dtype=np.float32)
    early = np.zeros_like(whole)
    for output in (0, 1):
        for side in (0, 1):
            same = output == side
            rng = np.random.Generator(np.random.PCG64(_SEED + 2 * output + side))
            # The far side hears it a little later: the sound has to cross the room first.
            tail = _decaying_noise(rng, t, rate, length, damping) * _envelope(t, size, same)
            reflections = 0.6 * _unit(_reflections(rng, taps, rate, size, same))
            response = _unit(tail) + reflections
            gain = near if same else far
            whole[output, side, start:] = _unit(response) * gain
            early[output, side, start:] = reflections / np.sqrt((response**2).sum()) * gain
    return whole, early


def _envelope(t: NDArray[np.float64], size: float, near: bool) -> NDArray[np.float64]:
    """How a tail builds up, sooner on the side it came from, and fades over the last tenth of its taps."""
    build_up = 1.0 - np.exp(-t / ((0.001 + 0.02 * size) if near else (0.004 + 0.05 * size)))
    taps = len(t)
    return build_up * np.clip((taps - np.arange(taps)) / (0.1 * taps), 0.0, 1.0)


def diffuse_responses(
    rate: int, count: int, length: float, pre_delay: float, damping: float, size: float, crossing: float
) -> NDArray[np.float32]:
    """The tail as ``count`` loudspeakers play it, float32 (count, taps), no two of them correlated.

    All together are as strong as the tail of ``response`` to a sound on one side, and each as strong as the others in
    every sixth of an octave.
    """
    whole, early = _responses(rate, length, pre_delay, damping, size, crossing)
    tail = (whole - early).astype(np.float64)
    strength = float(np.sqrt((tail[:, 0] ** 2).sum()))
    taps = max(round(length * rate), _MIN_TAPS)
    t = np.arange(taps) / rate
    noises = [
        _decaying_noise(np.random.Generator(np.random.PCG64(_SEED + 16 + number)), t, rate, length, damping)
        for number in range(count)
    ]
    tails = _decorrelated(np.array(noises) * _envelope(t, size, near=False), rate)
    responses = np.zeros((count, tail.shape[2]), np.float32)
    responses[:, -taps:] = [_unit(one_tail) * strength / np.sqrt(count) for one_tail in tails]
    return responses


def _decorrelated(responses: NDArray[np.float64], rate: int) -> NDArray[np.float64]:
    """Responses (count, taps) near to those given, equally strong and uncorrelated in every band.

    In each band they are mixed by the inverse square root of their covariance, of all orthogonal sets the nearest
    (P.-O. Löwdin, J. Chem. Phys. 18, 1950); between bands the mixing matrices are interpolated. A band in which they
    are too short to be independent stays as it is.
    """
    taps = responses.shape[1]
    size = scipy.fft.next_fast_len(2 * taps, real=True)
    spectra = scipy.fft.rfft(responses, size)
    band_of_bin = _BANDS_PER_OCTAVE * np.log2(np.maximum(np.fft.rfftfreq(size, 1.0 / rate), 1.0) / _LOWEST_BAND_HZ)
    last = int(np.ceil(band_of_bin[-1]))
    band_of_bin = np.clip(band_of_bin, 0.0, last)
    edges = np.searchsorted(np.minimum(band_of_bin.astype(int), last - 1), np.arange(last + 1))
    for _ in range(_ITERATIONS):
        matrices = []
        for band in range(last + 1):
            # A band is a triangle from the centre of the one below to that of the one above.
            bins = slice(edges[max(band - 1, 0)], edges[min(band + 1, last)])
            weighted = spectra[:, bins] * np.sqrt(1.0 - np.abs(band_of_bin[bins] - band))
            matrices.append(_inverse_root((weighted @ weighted.conj().T).real))
        for band in range(last):
            bins = slice(edges[band], edges[band + 1])
            share = band_of_bin[bins] - band
            lower, upper = (matrix @ spectra[:, bins] for matrix in matrices[band : band + 2])
            spectra[:, bins] = lower * (1.0 - share) + upper * share
    return scipy.fft.irfft(spectra, size)[:, :taps]


def _inverse_root(covariance: NDArray[np.float64]) -> NDArray[np.float64]:
    """The inverse square root of a covariance, scaled to keep the mean power; the identity where it is singular."""
    powers, bases = np.linalg.eigh(covariance)
    mean = powers.mean()
    if not powers[0] > _SINGULAR_BELOW * mean > 0.0:
        return np.eye(len(powers))
    return (bases * np.sqrt(mean / powers)) @ bases.T


def _decaying_noise(
    rng: np.random.Generator, t: NDArray[np.float64], rate: int, length: float, damping: float
) -> NDArray[np.float64]:
    spectrum = scipy.fft.rfft(rng.standard_normal(len(t)))
    octave = np.log2(np.maximum(np.fft.rfftfreq(len(t), 1.0 / rate), 1.0) / _OCTAVES[0])
    total = np.zeros(len(t))
    for band in range(len(_OCTAVES)):
        away = octave - band
        lowest, highest = band == 0, band == len(_OCTAVES) - 1
        share = np.cos(np.clip(away, 0.0 if lowest else -1.0, 0.0 if highest else 1.0) * np.pi / 2.0) ** 2
        shorter = 1.0 - 0.88 * damping * max(band - 2, 0) / (len(_OCTAVES) - 3)
        total += scipy.fft.irfft(spectrum * share, len(t)) * np.exp(-_SIXTY_DB * t / (length * shorter))
    return total


def _reflections(rng: np.random.Generator, taps: int, rate: int, size: float, same: bool) -> NDArray[np.float64]:
    result = np.zeros(taps)
    last = (0.012 + 0.075 * size) * rate
    first = (0.001 if same else 0.003) * rate
    at = first + (last - first) * np.sort(rng.random(_REFLECTIONS))
    strength = rng.choice([-1.0, 1.0], _REFLECTIONS) * np.exp(-1.8 * np.arange(_REFLECTIONS) / _REFLECTIONS)
    inside = at < taps
    np.add.at(result, at[inside].astype(int), strength[inside])
    return result


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
    return response(around.rate, *response_settings(settings))


def response_taps(settings: Settings, rate: int) -> int:
    """The length of a room's responses (frames)."""
    return round(settings["pre_delay"] / 1000.0 * rate) + max(round(settings["length"] * rate), _MIN_TAPS)


def response_settings(settings: Settings) -> tuple[float, ...]:
    """A room's settings in the order in which the responses take them."""
    return tuple(settings[setting.name] for setting in _SETTINGS)


def _tail(settings: Settings, around: Around) -> int:
    return round((settings["pre_delay"] / 1000.0 + settings["length"]) * around.rate)


ROOM = Effect(
    "room",
    "room",
    "A space that answers on the side it is called from, and spreads.",
    _SETTINGS,
    response=_response,
    taps=lambda settings, around: response_taps(settings, around.rate),
    tail=_tail,
)

EARLY_ROOM = replace(
    ROOM,
    name="room-early",
    response=lambda settings, around: early_response(around.rate, *response_settings(settings)),
)
"""A room of which only the early reflections sound. It is not among the effects that can be chosen."""
