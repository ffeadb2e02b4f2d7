"""K-weighting (ITU-R BS.1770-5, Annex 1): the head's shelf and the low-frequency roll-off."""

from functools import cache
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

WARM_UP_SECONDS = 0.1
"""The past (s) after which what was before no longer counts (the roll-off has decayed by 180 dB)."""


@cache
def k_weighting(rate: int) -> NDArray[np.float64]:
    """Both stages as second-order sections, shape (2, 6), for any sampling rate (Hz).

    The Recommendation tabulates 48 kHz; other rates follow from the same analogue filters by the
    bilinear transform, which gives the table back at 48 kHz.
    """
    return np.vstack([_shelf(rate), _roll_off(rate)])


def _shelf(rate: int) -> NDArray[np.float64]:
    gain_db, q, frequency = 3.999843853973347, 0.7071752369554196, 1681.974450955533
    k = np.tan(np.pi * frequency / rate)
    high = 10.0 ** (gain_db / 20.0)
    band = high**0.4996667741545416
    a0 = 1.0 + k / q + k * k
    b = [high + band * k / q + k * k, 2.0 * (k * k - high), high - band * k / q + k * k]
    a = [a0, 2.0 * (k * k - 1.0), 1.0 - k / q + k * k]
    return np.array([*b, *a]) / a0


def _roll_off(rate: int) -> NDArray[np.float64]:
    q, frequency = 0.5003270373238773, 38.13547087602444
    k = np.tan(np.pi * frequency / rate)
    a0 = 1.0 + k / q + k * k
    return np.array([1.0, -2.0, 1.0, 1.0, 2.0 * (k * k - 1.0) / a0, (1.0 - k / q + k * k) / a0])


class KWeighting:
    """A running K-weighting filter over consecutive stretches of (channels, frames)."""

    def __init__(self, rate: int, channels: int) -> None:
        self._sections = k_weighting(rate)
        self._state = np.zeros((len(self._sections), channels, 2))

    def __call__(self, audio: NDArray[np.floating[Any]]) -> NDArray[np.float64]:
        """The next stretch, weighted: float64 of the same shape."""
        if not audio.shape[-1]:
            return np.zeros(audio.shape)
        audio = np.asarray(audio, dtype=np.float64)
        weighted, self._state = scipy.signal.sosfilt(self._sections, audio, axis=-1, zi=self._state)
        return weighted
