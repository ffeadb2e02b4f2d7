"""The overview: what consecutive meter frames say together of a whole piece or a passage, and over its time."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.dsp.loudness import (
    MOMENTARY_HOPS,
    SHORT_TERM_HOPS,
    integrated,
    loudness_of,
    loudness_range,
    sliding_mean,
)
from needle.metering.bands import Bands
from needle.metering.frames import (
    FRAMES_PER_HOP,
    LONG_FRAMES,
    SHORT_FRAMES,
    Frames,
    correlation,
    mono_loss_db,
)
from needle.metering.lean import (
    LONG_HOPS,
    SHORT_HOPS,
    Stretch,
    Tolerance,
    centred_mean,
    lean_curve,
    lean_db,
    leaning_stretches,
)
from needle.units import power_to_db

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Overview:
    """Readings of ``frames``, each worked out when it is first asked for.

    ``weights`` are what either side counts in loudness (BS.1770-5 Annex 1): halves where one channel is shown on
    both. Curves have one value per tenth of a second, nan where there is nothing to say.
    """

    frames: Frames
    weights: tuple[float, float] = (1.0, 1.0)

    @cached_property
    def powers(self) -> Values:
        """K-weighted mean squares of left and right per tenth of a second, (2, n)."""
        return self.frames.in_hops("weighted")

    @cached_property
    def _loudness_powers(self) -> Values:
        if self.frames.channels.shape[1]:
            return self.frames.in_hops("loud")
        return np.asarray(self.weights) @ self.powers

    @property
    def hops(self) -> int:
        return self.powers.shape[1]

    def lean(self, hops: int = LONG_HOPS) -> Values:
        """The lean (dB) over windows of so many tenths of a second, each in the middle of its window."""
        return lean_curve(self.powers, hops)

    @property
    def short_lean(self) -> Values:
        return self.lean(SHORT_HOPS)

    def stretches(self, tolerance: Tolerance = Tolerance()) -> list[Stretch]:
        """Where it leans for too long."""
        return leaning_stretches(self.powers, tolerance)

    def momentary(self) -> Values:
        """Momentary loudness (LUFS, 400 ms), in the middle of its window."""
        return self._loudness_curve(MOMENTARY_HOPS)

    def short_term(self) -> Values:
        """Short-term loudness (LUFS, 3 s), in the middle of its window."""
        return self._loudness_curve(SHORT_TERM_HOPS)

    def _loudness_curve(self, hops: int) -> Values:
        loudness = loudness_of(centred_mean(self._loudness_powers, hops))
        return np.where(loudness > -120.0, loudness, np.nan)

    def correlation(self) -> Values:
        """How alike the sides are, over 3 s."""
        power, cross = (centred_mean(self.frames.in_hops(name), LONG_HOPS) for name in ("power", "cross"))
        return correlation(power, cross)

    def mono_loss(self) -> Values:
        """What mono loses (dB, K-weighted), over 3 s."""
        weighted, cross = (
            centred_mean(self.frames.in_hops(name), LONG_HOPS) for name in ("weighted", "weighted_cross")
        )
        return mono_loss_db(weighted.sum(axis=0), cross)

    def true_peaks(self) -> Values:
        """The highest true peak of either side in each tenth of a second (dBTP)."""
        highest = self.frames.true_peak.max(axis=0)[: self.hops * FRAMES_PER_HOP]
        return power_to_db(np.square(highest.reshape(-1, FRAMES_PER_HOP).max(axis=1)))

    def bands(self) -> Bands:
        """The mean spectrum of both sides and their fold."""
        return Bands.of(self.frames.bands)

    def figures(self) -> dict[str, float | None]:
        """One number for each thing that is measured over all of it; None where there is nothing to say."""
        weighed = self._loudness_powers
        frames = self.frames
        mean, power = (getattr(frames, name).mean(axis=1) if frames.count else np.zeros(2) for name in _SIDES)
        cross, plain = (float(getattr(frames, name).mean()) if frames.count else 0.0 for name in _CROSSES)
        # The loudest moment may begin at any meter frame.
        fine = frames.loud if frames.channels.shape[1] else np.asarray(self.weights) @ frames.weighted
        momentary = loudness_of(sliding_mean(fine, SHORT_FRAMES)).max(initial=-np.inf)
        short_term = loudness_of(sliding_mean(fine, LONG_FRAMES)).max(initial=-np.inf)
        return {
            "integrated_lufs": finite(integrated(weighed)),
            "momentary_max_lufs": finite(momentary),
            "short_term_max_lufs": finite(short_term),
            "loudness_range_lu": finite(loudness_range(weighed)),
            "true_peak_dbtp": _peak_db(frames.true_peak),
            "sample_peak_dbfs": _peak_db(frames.peak),
            "lean_db": finite(lean_db(*mean)),
            "correlation": finite(correlation(power, np.array(plain))),
            "mono_loss_db": finite(mono_loss_db(mean.sum(), np.array(cross))),
        }

    def curves(self) -> dict[str, Values]:
        """Every curve by name."""
        return {
            "lean_short": self.short_lean,
            "lean_long": self.lean(),
            "momentary": self.momentary(),
            "short_term": self.short_term(),
            "true_peak": self.true_peaks(),
            "correlation": self.correlation(),
            "mono_loss": self.mono_loss(),
        }


_SIDES = ("weighted", "power")
_CROSSES = ("weighted_cross", "cross")


def finite(value: Any) -> float | None:
    """A number that JSON can carry; None for nan and infinities."""
    return float(value) if np.isfinite(value) else None


def listed(values: Values, digits: int = 3) -> list[float | None]:
    """A curve as a list that JSON can carry."""
    return [None if np.isnan(value) else round(float(value), digits) for value in values]


def _peak_db(peaks: Values) -> float | None:
    highest = float(peaks.max(initial=0.0))
    return float(20.0 * np.log10(highest)) if highest > 0.0 else None
