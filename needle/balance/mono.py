"""What falls away in mono, source by source: the part of each one's power that its fold loses where it stands."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from needle.metering.spectra import THIRD_OCTAVES, Spectrum, in_bands, powers
from needle.mix.model import Mix, MixSource
from needle.render.placement_analysis import mono_loss, response
from needle.render.source_gains import level_gain, values_at

_MONO = np.array([[[1.0, 1.0]]]) / np.sqrt(2.0)
_WORTH_TELLING_DB = -0.5


@dataclass(frozen=True)
class Thinned:
    """``loss`` (dB, K-weighted): how much weaker the source's fold is than both its sides.

    ``band`` (Hz): the third of an octave in which most of its power goes, ``band_loss`` what it loses there.
    ``weight``: the power lost, as a share of all that the sources have.
    """

    source: str
    loss: float
    band: float
    band_loss: float
    weight: float


def thinned(mix: Mix, spectrum_of: Callable[[MixSource], Spectrum], at: float) -> list[Thinned]:
    """The sources that lose in mono at a moment (s), those first whose loss takes most from the mix.

    Their direct sound only, told by the mean spectrum of each: a source that just rests counts as well.
    """
    result, everything = [], 0.0
    for source in mix.sources:
        if source.muted:
            continue
        spectrum = spectrum_of(source)
        through = response(mix, source, at, spectrum.frequencies)
        strength = float(level_gain(source, values_at(source, np.array([at])))[0]) ** 2
        both, folded = powers(spectrum, through).sum(), powers(spectrum, _MONO @ through).sum()
        everything += strength * both
        loss = mono_loss(spectrum, through)
        if loss > _WORTH_TELLING_DB:
            continue
        in_both, in_fold = in_bands(spectrum, through), in_bands(spectrum, _MONO @ through)
        band = int(np.argmax(in_both - in_fold))
        band_loss = 10.0 * np.log10(max(in_fold[band], 1e-30) / max(in_both[band], 1e-30))
        lost = strength * max(both - folded, 0.0)
        result.append(Thinned(source.id, loss, float(THIRD_OCTAVES[band]), float(max(band_loss, -60.0)), lost))
    shared = [Thinned(t.source, t.loss, t.band, t.band_loss, t.weight / max(everything, 1e-30)) for t in result]
    return sorted(shared, key=lambda one: -one.weight)
