"""The sides of a source that have a width, as the engine reads them: band by band, made for the stretch asked for."""

from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.dsp.band_split import BANDS, band_filters, half_length
from needle.dsp.pan_laws import Gains
from needle.mix.dealt_sounds import GeneratedAudio

Audio = NDArray[np.float32]
Spectra = NDArray[np.complex64]


@lru_cache(maxsize=16)
def _filter_spectra(rate: int, size: int) -> Spectra:
    """The spectra of the bands' filters over ``size`` frames: (BANDS, bins)."""
    return scipy.fft.rfft(band_filters(rate), size, axis=1)


class SideBands(GeneratedAudio):
    """The bands of a stereo sound's left channel and then those of its right: 2 × BANDS channels.

    It begins ``half_length(rate)`` frames before the sound and ends as many after it, for the filters read both ways.
    """

    def __init__(self, audio: Audio | GeneratedAudio, description: str, rate: int) -> None:
        self.audio, self.rate, self.half = audio, rate, half_length(rate)
        self.shape = (2 * BANDS, audio.shape[1] + 2 * self.half)
        self.text = f"{description} in bands"

    def between(self, low: int, high: int) -> Audio:
        """Its samples from frame ``low`` to ``high``, float32 (2 × BANDS, high - low)."""
        return self.mixed(low, high, None)

    def mixed(self, low: int, high: int, matrix: Gains | None) -> Audio:
        """The same, mixed by a ``matrix`` (rows, 2 × BANDS) that stands still: float32 (rows, high - low)."""
        rows = self.shape[0] if matrix is None else len(matrix)
        reach = 2 * self.half
        begin, end = max(low - reach, 0), min(high, self.audio.shape[1])
        if begin >= end:
            return np.zeros((rows, high - low), np.float32)
        sound = np.zeros((2, high - low + reach), np.float32)
        sound[:, begin - low + reach : end - low + reach] = self.audio[:, begin:end]
        # What wraps round falls into the frames before those that are asked for.
        size = scipy.fft.next_fast_len(sound.shape[1], real=True)
        spectra, filters = scipy.fft.rfft(sound, size, axis=1), _filter_spectra(self.rate, size)
        if matrix is None:
            bands = (spectra[:, np.newaxis] * filters).reshape(rows, -1)
        else:
            by_side = matrix.astype(np.float32).reshape(rows, 2, BANDS)
            bands = sum((by_side[:, side] @ filters) * spectra[side] for side in range(2))
        return np.ascontiguousarray(
            scipy.fft.irfft(bands, size, axis=1)[:, reach : reach + high - low], dtype=np.float32
        )


class StillBands(GeneratedAudio):
    """Bands as they come out of places that stand still: a channel for each row of ``matrix`` (rows, 2 × BANDS)."""

    def __init__(self, bands: SideBands, matrix: Gains) -> None:
        self.bands, self.matrix = bands, matrix
        self.shape = (len(matrix), bands.shape[1])
        self.text = f"{bands.text} {matrix.tolist()}"

    def between(self, low: int, high: int) -> Audio:
        """Its samples from frame ``low`` to ``high``, float32 (rows, high - low)."""
        return self.bands.mixed(low, high, self.matrix)
