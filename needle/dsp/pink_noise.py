"""Pink noise by which a loudspeaker is told from the others: as much power in every octave, the same every time."""

import numpy as np
from numpy.typing import NDArray

BURST_SECONDS = 0.8
BURST_DB = -20.0
"""RMS of a burst between its fades, in dBFS: the usual level for setting loudspeakers."""

WHOLE_RANGE = (20.0, 20_000.0)
LOW_RANGE = (20.0, 120.0)
"""What a low-frequency channel carries (Hz)."""

_FADE_SECONDS = 0.02
_SEED = 20


def pink_burst(
    rate: int, seconds: float = BURST_SECONDS, band: tuple[float, float] = WHOLE_RANGE
) -> NDArray[np.float32]:
    """A burst of pink noise.

    Parameters
    ----------
    rate
        Sampling rate in Hz.
    seconds
        How long it is.
    band
        Between which frequencies (Hz) it has its power; the upper one is limited to half the rate.

    Returns
    -------
    ndarray
        float32 (rate × seconds,), ``BURST_DB`` RMS over the whole of it before it is faded in and out.
    """
    count = round(rate * seconds)
    frequencies = np.fft.rfftfreq(count, 1.0 / rate)
    inside = (frequencies >= band[0]) & (frequencies <= min(band[1], rate / 2.0))
    phases = np.random.default_rng(_SEED).uniform(0.0, 2.0 * np.pi, len(frequencies))
    spectrum = np.zeros(len(frequencies), np.complex128)
    spectrum[inside] = np.exp(1j * phases[inside]) / np.sqrt(frequencies[inside])
    noise = np.fft.irfft(spectrum, count)
    noise *= 10.0 ** (BURST_DB / 20.0) / np.sqrt(np.mean(noise**2))
    fade = np.sin(0.5 * np.pi * np.linspace(0.0, 1.0, round(_FADE_SECONDS * rate))) ** 2
    noise[: len(fade)] *= fade
    noise[-len(fade) :] *= fade[::-1]
    return noise.astype(np.float32)
