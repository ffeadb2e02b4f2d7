"""What a file is, described on import: mono, stereo, two signals side by side, silent, very quiet, clipped."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Audio = NDArray[np.float32]

SILENT_DB = -90.0
"""A file that never passes this (dBFS) is silent."""

QUIET_DB = -36.0
"""A file whose highest peak stays below this (dBFS) wants gain first."""

_GOOD_PEAK_DB = -12.0
_SAME_DB = -70.0
_ALIKE = 0.98
_APART = 0.15
"""Sides that correlate by less than this, either way, and whose levels do not move together, are two signals."""
_TOGETHER = 0.5
"""The sides' levels move together where they correlate by more than this."""
_LEVEL_FRAMES = 4096
_LEVEL_RANGE = 1e-4
"""What is softer than the loudest by 40 dB is as good as silent for that."""
_AT_FULL_SCALE = 0.99996
_CLIP_RUN = 3


@dataclass(frozen=True)
class Character:
    """What a file holds, in numbers and in a sentence.

    ``kind``: mono, same, alike, stereo, two-signals, opposite, one-sided, multichannel or silent. ``clipped`` counts
    places at which at least three samples in a row stand at the file's own limit. ``gain`` (dB) would bring a quiet
    file up.
    """

    kind: str
    peak_db: float
    rms_db: float
    correlation: float | None
    clipped: int
    gain: float
    sentence: str

    def as_dict(self) -> dict[str, Any]:
        return vars(self)


class Ear:
    """Listens to a file stretch by stretch, (channels, frames) each."""

    def __init__(self, channels: int) -> None:
        self._channels = channels
        self._frames = 0
        self._peaks = np.zeros(channels)
        self._cross = np.zeros((channels, channels))
        self._difference = 0.0
        self._levels: list[NDArray[np.float64]] = []
        self._rest = np.zeros((channels, 0))
        self._clipped = 0
        self._run = np.zeros(channels, dtype=int)

    def hear(self, audio: Audio) -> None:
        """The next stretch."""
        if not audio.shape[1]:
            return
        self._frames += audio.shape[1]
        self._peaks = np.maximum(self._peaks, np.abs(audio).max(axis=1))
        wide = audio.astype(np.float64)
        self._cross += wide @ wide.T
        if self._channels == 2:
            self._difference = max(self._difference, float(np.abs(wide[0] - wide[1]).max()))
            self._take_levels(wide)
        for channel in range(self._channels):
            self._count_clips(channel, np.abs(audio[channel]) >= _AT_FULL_SCALE)

    def _take_levels(self, audio: NDArray[np.float64]) -> None:
        """Note the power of each side block by block, whatever stretches it comes in."""
        audio = np.concatenate([self._rest, audio], axis=1)
        whole = audio.shape[1] // _LEVEL_FRAMES * _LEVEL_FRAMES
        blocks = audio[:, :whole].reshape(2, -1, _LEVEL_FRAMES)
        self._levels.append(np.mean(blocks**2, axis=2))
        self._rest = audio[:, whole:]

    def _move_together(self) -> bool:
        """Whether the sides' levels (dB) rise and fall together, as those of one recording do."""
        powers = np.concatenate(self._levels, axis=1)
        floor = _LEVEL_RANGE * powers.max(axis=1, initial=0.0, keepdims=True)
        audible = powers[:, (powers > floor).any(axis=0)]
        if audible.shape[1] < 3:
            return True
        decibels = 10.0 * np.log10(np.maximum(audible, floor) + 1e-30)
        deviations = decibels - decibels.mean(axis=1, keepdims=True)
        spread = np.sqrt(np.mean(deviations**2, axis=1))
        # Levels that hardly move tell nothing.
        if spread.min() < 0.5:
            return True
        return bool(np.mean(deviations[0] * deviations[1]) > _TOGETHER * spread[0] * spread[1])

    def _count_clips(self, channel: int, full: NDArray[np.bool_]) -> None:
        if not full.any():
            self._run[channel] = 0
            return
        edges = np.flatnonzero(np.diff(np.concatenate([[False], full, [False]]).astype(np.int8)))
        starts, ends = edges[::2], edges[1::2]
        lengths = ends - starts
        carried = self._run[channel] if starts[0] == 0 else 0
        counted = carried >= _CLIP_RUN
        lengths[0] += carried
        self._clipped += int(np.count_nonzero(lengths >= _CLIP_RUN)) - int(counted and starts[0] == 0)
        self._run[channel] = lengths[-1] if ends[-1] == len(full) else 0

    def character(self) -> Character:
        """What it is."""
        peak = _db(self._peaks.max()) if self._frames else -120.0
        power = self._cross.diagonal() / max(self._frames, 1)
        rms = _db(np.sqrt(power.mean()))
        correlation = self._correlation(power)
        kind = self._kind(peak, correlation)
        gain = round(min(_GOOD_PEAK_DB - peak, 36.0) * 2.0) / 2.0 if SILENT_DB <= peak < QUIET_DB else 0.0
        return Character(
            kind=kind,
            peak_db=round(peak, 2),
            rms_db=round(rms, 2),
            correlation=None if correlation is None else round(correlation, 4),
            clipped=self._clipped,
            gain=gain,
            sentence=self._sentence(kind, peak, gain),
        )

    def _correlation(self, power: NDArray[np.float64]) -> float | None:
        if self._channels != 2 or power.min() <= 1e-18:
            return None
        return float(self._cross[0, 1] / self._frames / np.sqrt(power[0] * power[1]))

    def _kind(self, peak: float, correlation: float | None) -> str:
        if peak < SILENT_DB:
            return "silent"
        if self._channels != 2:
            return "mono" if self._channels == 1 else "multichannel"
        if _db(self._difference) < max(peak + _SAME_DB, -110.0):
            return "same"
        if _db(self._peaks.min()) < SILENT_DB:
            return "one-sided"
        if correlation is not None and correlation < -_ALIKE:
            return "opposite"
        if correlation is not None and correlation > _ALIKE:
            return "alike"
        apart = correlation is not None and abs(correlation) < _APART and not self._move_together()
        return "two-signals" if apart else "stereo"

    def _sentence(self, kind: str, peak: float, gain: float) -> str:
        parts = [self._what(kind)]
        if gain:
            parts.append(f"Very quiet: it peaks at {_minus(peak)} dB. Set the gain to +{gain:g} dB first.")
        if self._clipped:
            places = "place" if self._clipped == 1 else "places"
            parts.append(f"Clipped in {self._clipped} {places}: look for a cleaner export.")
        return " ".join(parts)

    def _what(self, kind: str) -> str:
        if kind == "one-sided":
            empty = "right" if self._peaks[0] > self._peaks[1] else "left"
            return f"Stereo with nothing on the {empty}: mono would hold it all."
        return {
            "silent": "Silent: there is nothing to hear in it.",
            "mono": "Mono.",
            "same": "Mono as stereo: the same on both sides, mono would hold it all.",
            "alike": "Stereo, almost the same on both sides.",
            "opposite": "Opposite polarity: in mono it all but vanishes. Invert one side.",
            "stereo": "Stereo.",
            "two-signals": "Two different signals, left and right: split to mono to place each by itself.",
            "multichannel": f"{self._channels} channels: keep them together, or split them into mono sources.",
        }[kind]


def _db(amplitude: float) -> float:
    return float(20.0 * np.log10(max(amplitude, 1e-6)))


def _minus(value: float) -> str:
    return f"{value:.0f}".replace("-", "−")


def character_of(stretches: Sequence[Audio], channels: int) -> Character:
    """The character of audio that is at hand."""
    ear = Ear(channels)
    for stretch in stretches:
        ear.hear(stretch)
    return ear.character()
