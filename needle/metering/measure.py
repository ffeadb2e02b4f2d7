"""Everything that can be said of a finished stretch of audio, gathered in one pass of any length."""

from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.dsp.k_weighting import KWeighting
from needle.dsp.kernels.products import side_products
from needle.dsp.loudness import (
    integrated,
    loudness_of,
    loudness_range,
    sliding_mean,
)
from needle.dsp.true_peak import TruePeak
from needle.layouts import Layout, fold, layout_of_file
from needle.metering.frames import FRAMES_PER_HOP, FRAMES_PER_SECOND, LONG_FRAMES, SHORT_FRAMES, mono_loss_db
from needle.metering.lean import Tolerance, lean_db, leaning_stretches

_AT_ONCE = 1 << 15


class Measurement:
    """Takes in consecutive stretches of (channels, frames) and says what they measure together.

    Memory grows with the length only by a few numbers per 100 ms. A ``layout`` says where channels stand; without one
    it is the usual one of so many.
    """

    def __init__(self, rate: int, channels: int, layout: Layout | None = None) -> None:
        layout = layout or layout_of_file(channels)
        self.rate = rate
        self.channels = channels
        self._weighting = KWeighting(rate, channels)
        self._true_peak = TruePeak(channels)
        self._sample_peak = 0.0
        self._steps: list[NDArray[np.float64]] = []
        self._rest = np.zeros((channels, 0))
        self._frames = 0
        self._plain = np.zeros(3)
        self._weighted = np.zeros(channels)
        self._folded = np.zeros(3)
        self._sides = None if layout is None or channels < 2 else layout.sides
        self._fold = None if layout is None else np.ascontiguousarray(fold(layout), dtype=np.float64)
        self._counts = np.ones(channels) if layout is None else layout.weights

    def __call__(self, audio: NDArray[np.floating[Any]]) -> None:
        """Take in the next stretch."""
        if not audio.shape[1]:
            return
        for low in range(0, audio.shape[1], _AT_ONCE):
            self._take(audio[:, low : low + _AT_ONCE])

    def _take(self, audio: NDArray[np.floating[Any]]) -> None:
        """Take in a stretch that is short enough to stay in the processor's cache."""
        self._sample_peak = max(self._sample_peak, float(audio.max()), -float(audio.min()))
        self._true_peak(audio)
        weighted = self._weighting(audio)
        if self._sides is not None:
            self._plain += self._products(np.asarray(audio, np.float64))
            self._folded += self._products(weighted)
        self._weighted += np.einsum("ct,ct->c", weighted, weighted)
        self._gather(weighted)

    def _products(self, audio: NDArray[np.float64]) -> NDArray[np.float64]:
        """The energies of the stereo fold's sides, and their product."""
        out = np.zeros(3)
        if self._fold is not None:
            side_products(np.ascontiguousarray(audio), self._fold, out)
        return out

    def _gather(self, weighted: NDArray[np.float64]) -> None:
        """Mean squares of each whole 20 ms; what is left waits for the next stretch."""
        pending = np.concatenate([self._rest, weighted], axis=1)
        at = self._frames - self._rest.shape[1]
        self._frames += weighted.shape[1]
        first = len(self._steps)
        count = int((self._frames + 0.5) * FRAMES_PER_SECOND / self.rate) + 1
        edges = np.round(np.arange(first, count + 1) * (self.rate / FRAMES_PER_SECOND)).astype(np.intp) - at
        edges = edges[edges <= pending.shape[1]]
        used = int(edges[-1]) if len(edges) > 1 else 0
        if used:
            squares = np.square(pending[:, :used])
            self._steps += list((np.add.reduceat(squares, edges[:-1], axis=1) / np.diff(edges)).T)
        self._rest = pending[:, used:]

    def results(self, tolerance: Tolerance = Tolerance()) -> dict[str, Any]:
        """Every measurement by name; None where there is nothing to say (silence, or a single channel)."""
        steps = np.array(self._steps).reshape(-1, self.channels)
        fine = steps @ self._counts
        whole = len(steps) // FRAMES_PER_HOP
        powers = steps[: whole * FRAMES_PER_HOP].reshape(whole, FRAMES_PER_HOP, self.channels).mean(axis=1)
        weighed = powers @ self._counts
        momentary = loudness_of(sliding_mean(fine, SHORT_FRAMES))
        short = loudness_of(sliding_mean(fine, LONG_FRAMES))
        peak = max(float(self._true_peak.finish().max(initial=0.0)), self._sample_peak)
        result: dict[str, Any] = {
            "integrated_lufs": _finite(integrated(weighed)),
            "momentary_max_lufs": _finite(momentary.max(initial=-np.inf)),
            "short_term_max_lufs": _finite(short.max(initial=-np.inf)),
            "loudness_range_lu": _finite(loudness_range(weighed)),
            "true_peak_dbtp": _decibels(peak),
            "sample_peak_dbfs": _decibels(self._sample_peak),
            "lean_db": None,
            "correlation": None,
            "mono_loss_db": None,
            "stretches": [],
        }
        if self._sides is not None and self._frames:
            sides = self._sides @ powers.T
            mean = self._sides @ self._weighted / self._frames
            energy = np.sqrt(self._plain[0] * self._plain[1])
            result["lean_db"] = _finite(lean_db(*mean))
            result["correlation"] = _finite(self._plain[2] / energy) if energy > 0.0 else None
            folded = self._folded / self._frames
            result["mono_loss_db"] = _finite(mono_loss_db(folded[:2].sum(), folded[2]))
            result["stretches"] = [s.as_dict() for s in leaning_stretches(sides, tolerance)]
        return result


def measure(
    stretches: Iterable[NDArray[np.floating[Any]]], rate: int, channels: int, layout: Layout | None = None
) -> dict[str, Any]:
    """Measure consecutive stretches of (channels, frames) as one programme, in the layout's order of channels."""
    measurement = Measurement(rate, channels, layout)
    for stretch in stretches:
        measurement(stretch)
    return measurement.results()


def _finite(value: Any) -> float | None:
    return float(value) if np.isfinite(value) else None


def _decibels(peak: float) -> float | None:
    return float(20.0 * np.log10(peak)) if peak > 0.0 else None
