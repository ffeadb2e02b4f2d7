"""The sides of a source that have a width, as the engine reads them: band by band, made for the stretch asked for."""

import numpy as np
from numpy.typing import NDArray
from scipy.signal import oaconvolve

from needle.placing.bands import BANDS, band_filters, half_length
from needle.rendering.dealing import DealtSound

Audio = NDArray[np.float32]


class SideBands(DealtSound):
    """The bands of a stereo sound's left channel and then those of its right: 2 × BANDS channels.

    It begins ``half_length(rate)`` frames before the sound and ends as many after it, for the filters read both ways.
    """

    def __init__(self, audio: Audio | DealtSound, described: str, rate: int) -> None:
        self.audio, self.rate, self.half = audio, rate, half_length(rate)
        self.shape = (2 * BANDS, audio.shape[1] + 2 * self.half)
        self.text = f"{described} in bands"

    def between(self, low: int, high: int) -> Audio:
        """Its samples from frame ``low`` to ``high``, float32 (2 × BANDS, high - low)."""
        reach = 2 * self.half
        sound = np.zeros((2, high - low + reach), np.float32)
        begin, end = max(low - reach, 0), min(high, self.audio.shape[1])
        if begin >= end:
            return np.zeros((2 * BANDS, high - low), np.float32)
        sound[:, begin - low + reach : end - low + reach] = self.audio[:, begin:end]
        bands = oaconvolve(sound[:, np.newaxis], band_filters(self.rate)[np.newaxis], axes=2)
        return np.ascontiguousarray(bands[:, :, reach : reach + high - low].reshape(2 * BANDS, -1), dtype=np.float32)
