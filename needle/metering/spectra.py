"""A source's own spectrum, and what becomes of its weight on the way to two loudspeakers and to one.

Everything that is said of a placement in dB (what a balance throws away, what a mode or a law changes, what a double
adds, what mono costs) is measured on the source itself: its cross-power spectrum through the placement's response.
"""

import itertools
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.dsp.k_weighting import k_weighting

Values = NDArray[np.float64]
Complex = NDArray[np.complex128]

_WINDOW = 4096
_MANY_CHANNELS = 4
_SHORT_WINDOW = 512
_FLOOR = 1e-24

THIRD_OCTAVES = 1000.0 * 2.0 ** (np.arange(-16, 14) / 3.0)
"""Centres of the third-octave bands from 25 Hz to 20 kHz (Hz; IEC 61260-1, base 2)."""


@dataclass(frozen=True)
class Spectrum:
    """``cross`` (bins, channels, channels): mean cross-power at ``frequencies`` (Hz); ``weight``: K-weighting."""

    frequencies: Values
    cross: Complex
    weight: Values

    @property
    def channels(self) -> int:
        return self.cross.shape[1]

    @property
    def silent(self) -> bool:
        """Whether there is nothing to weigh."""
        return bool(self.weighted.trace().real < _FLOOR)

    @property
    def weighted(self) -> Complex:
        """K-weighted mean cross-powers (channels, channels)."""
        return np.einsum("f,fij->ij", self.weight, self.cross)


def spectrum_of(stretches: Iterable[NDArray[np.float32]], channels: int, rate: int) -> Spectrum:
    """The mean spectrum of audio that comes in stretches of (channels, any number of frames)."""
    size = _WINDOW if channels <= _MANY_CHANNELS else _SHORT_WINDOW
    window = scipy.signal.windows.hann(size, sym=False).astype(np.float32)
    bins = size // 2 + 1
    total = np.zeros((bins, channels, channels), dtype=np.complex128)
    frames = 0
    rest = np.zeros((channels, size // 2), dtype=np.float32)
    for stretch in stretches:
        frames += stretch.shape[1]
        joined = np.concatenate([rest, stretch], axis=1)
        count = max((joined.shape[1] - size // 2) // (size // 2), 0)
        if count:
            total += _cross(joined, window, count)
        rest = joined[:, count * (size // 2) :]
    # What is left is heard too: a source may be shorter than one window.
    padded = np.pad(rest, ((0, 0), (0, 2 * size - rest.shape[1])))
    total += _cross(padded, window, 2)
    frequencies = np.arange(bins) * rate / size
    _, response = scipy.signal.sosfreqz(k_weighting(rate), frequencies, fs=rate)
    # Half-overlapped Hann windows weigh every sample 0.75 on the mean; one-sided bins count twice.
    sides = np.where((np.arange(bins) == 0) | (np.arange(bins) == bins - 1), 1.0, 2.0)
    scale = sides / (size * 0.75 * max(frames, 1))
    return Spectrum(frequencies, total * scale[:, np.newaxis, np.newaxis], np.abs(response) ** 2)


def _cross(audio: NDArray[np.float32], window: NDArray[np.float32], count: int) -> Complex:
    size = len(window)
    step = size // 2
    strides = (audio.strides[0], audio.strides[1] * step, audio.strides[1])
    pieces = np.lib.stride_tricks.as_strided(audio, (audio.shape[0], count, size), strides, writeable=False)
    result = np.zeros((step + 1, audio.shape[0], audio.shape[0]), dtype=np.complex128)
    for low in range(0, count, 256):
        spectra = scipy.fft.rfft(pieces[:, low : low + 256] * window, axis=-1)
        spectra = spectra.transpose(2, 0, 1).astype(np.complex128)
        result += spectra @ spectra.conj().transpose(0, 2, 1)
    return result


def powers(spectrum: Spectrum, response: Complex) -> Values:
    """K-weighted mean squares at each output: (outputs,).

    ``response`` (bins or 1, outputs, channels) is what becomes of the channels on the way.
    """
    return np.einsum("f,fo->o", spectrum.weight, _per_bin(spectrum, response))


def in_bands(spectrum: Spectrum, response: Complex) -> Values:
    """Mean squares (not weighted) in each third octave, summed over the outputs: (bands,)."""
    each = _per_bin(spectrum, response).sum(axis=1)
    edges = np.concatenate([THIRD_OCTAVES * 2.0 ** (-1.0 / 6.0), [THIRD_OCTAVES[-1] * 2.0 ** (1.0 / 6.0)]])
    place = np.searchsorted(spectrum.frequencies, edges)
    width = spectrum.frequencies[1] - spectrum.frequencies[0]
    result = np.empty(len(THIRD_OCTAVES))
    for band, (low, high) in enumerate(itertools.pairwise(place)):
        # Low bands are narrower than a bin: the nearest one stands for them.
        nearest = min(round(THIRD_OCTAVES[band] / width), len(each) - 1)
        result[band] = each[low:high].sum() if high > low else each[nearest]
    return result


def _per_bin(spectrum: Spectrum, response: Complex) -> Values:
    wide = np.broadcast_to(response, (len(spectrum.frequencies), *response.shape[1:]))
    return np.maximum(np.einsum("foi,fij,foj->fo", wide, spectrum.cross, wide.conj()).real, 0.0)
