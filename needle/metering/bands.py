"""Twelfths of an octave: how strong left, right and what they share are, band by band, each tenth of a second.

From these come the spectrum of either side and of the mono fold, the notches where the two cancel, and what mono
costs in each third of an octave.
"""

from dataclasses import dataclass
from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.units import power_to_db

Values = NDArray[np.float64]

_EDGES = 1000.0 * 2.0 ** (np.arange(-66, 55) / 12.0)
CENTRES = np.sqrt(_EDGES[:-1] * _EDGES[1:])
"""Band centres from 23 Hz to 22 kHz (Hz); four after another make a band of ``THIRD_OCTAVES``."""

_FLOOR = 1e-12
_BIN_HZ = 10.0
"""A tenth of a second tells frequencies 10 Hz apart, at any rate."""


@cache
def _edges_in_bins(bins: int) -> Values:
    """Where the bands' edges lie among the bins; bin k reaches from k - 1/2 to k + 1/2."""
    return np.minimum(_EDGES / _BIN_HZ + 0.5, float(bins))


@cache
def _window(hop: int) -> NDArray[np.float32]:
    return scipy.signal.windows.hann(hop, sym=False).astype(np.float32)


def band_powers(audio: NDArray[np.float32], hop: int) -> NDArray[np.float32]:
    """Mean squares of left and right and the mean of their product in each band: (3, bands, hops).

    ``audio`` (2, frames) is a whole number of hops of ``hop`` samples (a tenth of a second). Each is seen through a
    Hann window, so a change in its middle counts more than one at its edge. A band shares the bins on its edges
    with its neighbours: all bands together hold exactly what lies between their ends.
    """
    count = audio.shape[1] // hop
    spectra = scipy.fft.rfft(audio.reshape(2, count, hop) * _window(hop), axis=-1)
    left, right = spectra
    each = np.stack([_squared(left), _squared(right), left.real * right.real + left.imag * right.imag])
    # One-sided: every bin but the outermost counts twice; the window keeps 3/8 of the power.
    scale = 2.0 / (0.375 * hop * hop)
    summed = np.zeros((*each.shape[:-1], each.shape[-1] + 1))
    np.cumsum(each, axis=-1, dtype=np.float64, out=summed[..., 1:])
    edges = _edges_in_bins(each.shape[-1])
    whole = np.minimum(edges.astype(int), each.shape[-1] - 1)
    at_edges = summed[..., whole] + (edges - whole) * each[..., whole]
    return (scale * np.diff(at_edges, axis=-1)).transpose(0, 2, 1).astype(np.float32)


def _squared(spectrum: NDArray[np.complex64]) -> NDArray[np.float32]:
    return spectrum.real**2 + spectrum.imag**2


@dataclass(frozen=True)
class Bands:
    """Mean squares of a stretch of time per band of ``CENTRES``: left, right, and the mean of their product."""

    left: Values
    right: Values
    cross: Values

    @classmethod
    def of(cls, powers: NDArray[np.floating]) -> "Bands":
        """Of ``band_powers``, over all their hops."""
        means = np.asarray(powers, dtype=np.float64).mean(axis=2) if powers.shape[2] else np.zeros(powers.shape[:2])
        return cls(*means)

    @property
    def mono(self) -> Values:
        """The fold (L + R)/√2."""
        return np.maximum((self.left + self.right) / 2.0 + self.cross, 0.0)

    def in_thirds(self) -> "Bands":
        """The same by thirds of an octave (``needle.metering.spectra.THIRD_OCTAVES``)."""
        return Bands(*(row.reshape(-1, 4).sum(axis=1) for row in (self.left, self.right, self.cross)))

    def mono_loss(self) -> Values:
        """How much weaker the fold is than both sides together, per band (dB, -60…0); nan where nothing is."""
        both = self.left + self.right
        audible = both > max(float(both.max(initial=0.0)) * 1e-7, _FLOOR)
        loss = 10.0 * np.log10(np.maximum(self.mono, 1e-30) / np.maximum(both, 1e-30))
        return np.where(audible, np.clip(loss, -60.0, 0.0), np.nan)

    def notches(self) -> list[tuple[float, float]]:
        """Where both sides cancel in mono: (Hz, dB) of each band that loses 6 dB and 3 dB more than those about it.

        In the order of their frequencies.
        """
        loss = self.mono_loss()
        result = []
        # What is nan is no candidate either.
        for band in (np.flatnonzero(loss[1:-1] <= _NOTCH_DB) + 1).tolist():
            around = [*loss[max(band - _AROUND, 0) : band], *loss[band + 1 : band + 1 + _AROUND]]
            highest = min(
                np.nanmax(loss[max(band - _AROUND, 0) : band], initial=-60.0),
                np.nanmax(loss[band + 1 : band + 1 + _AROUND], initial=-60.0),
            )
            if loss[band] <= highest - _DEEPER_DB and loss[band] <= np.nanmin(around, initial=0.0):
                result.append((float(CENTRES[band]), float(loss[band])))
        return result

    def in_db(self) -> dict[str, Values]:
        """Left, right and mono in dB per band."""
        return {name: power_to_db(getattr(self, name)) for name in ("left", "right", "mono")}


_AROUND = 4
_NOTCH_DB = -6.0
_DEEPER_DB = 3.0
