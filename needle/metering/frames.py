"""Meter frames: what each 20 ms of a mix measures, and the readings a meter shows from them.

A room of loudspeakers is told as its sides, its stereo fold, and channel by channel (``needle.metering.room``)."""

from collections.abc import Sequence
from dataclasses import dataclass, fields
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.dsp.k_weighting import WARM_UP_SECONDS, KWeighting
from needle.dsp.loudness import loudness_of, sliding_mean
from needle.dsp.true_peak import PAST, true_peaks
from needle.layouts import STEREO, Layout, fold
from needle.metering.bands import CENTRES, band_powers
from needle.metering.lean import lean_db
from needle.units import power_to_db

Values = NDArray[np.float64]

FRAMES_PER_SECOND = 50
SHORT_FRAMES = 20
LONG_FRAMES = 150
"""Frames in the 400 ms and the 3 s window that end with the frame they are read at."""

FRAMES_PER_HOP = 5
"""Frames in a tenth of a second, the step in which loudness, lean and bands are gathered."""

COLUMNS = (
    "peak_left", "peak_right", "true_peak_left", "true_peak_right", "rms_left", "rms_right", "k_left", "k_right",
    "lean_short", "lean_long", "correlation", "mono_loss", "momentary", "short_term",
)  # fmt: skip
"""What ``readings`` gives, in order: dB, LUFS, and the correlation (-1…1)."""

_FLOOR = 1e-12
_FRAMES_AT_ONCE = 50
_MEANS = ("power", "weighted", "cross", "weighted_cross")


def hop_frames(rate: int) -> int:
    """Samples in one meter frame."""
    return rate // FRAMES_PER_SECOND


def warm_up_frames(rate: int) -> int:
    """Samples of past that ``measure_frames`` needs (a whole number of meter frames)."""
    return round(WARM_UP_SECONDS * FRAMES_PER_SECOND) * hop_frames(rate)


@dataclass(frozen=True)
class Frames:
    """Sums over n consecutive meter frames. Two-row arrays are left and right.

    ``peak``, ``true_peak`` (2, n): highest magnitude, of the samples and between them. ``power``, ``weighted``
    (2, n): mean square, plain and K-weighted. ``cross``, ``weighted_cross`` (n,): mean of left times right, plain
    and K-weighted. ``bands`` (3, bands, n / 5): ``band_powers`` of each whole tenth of a second. ``loud`` (n,): what
    counts in loudness. ``channels`` (3, channels, n): highest magnitude, mean square and K-weighted mean square of
    every channel of a room; none in stereo.
    """

    peak: Values
    true_peak: Values
    power: Values
    weighted: Values
    cross: Values
    weighted_cross: Values
    bands: NDArray[np.float32]
    loud: Values
    channels: Values

    @classmethod
    def silence(cls, count: int, channels: int = 0) -> "Frames":
        pair, row = np.zeros((2, count)), np.zeros(count)
        bands = np.zeros((3, len(CENTRES), count // FRAMES_PER_HOP), np.float32)
        return cls(pair, pair, pair, pair, row, row, bands, row, np.zeros((3, channels, count)))

    @classmethod
    def joined(cls, parts: Sequence["Frames"]) -> "Frames":
        return cls(*(np.concatenate([getattr(p, f.name) for p in parts], axis=-1) for f in fields(cls)))

    @property
    def count(self) -> int:
        return self.peak.shape[1]

    @property
    def nbytes(self) -> int:
        """How much memory they take."""
        return sum(getattr(self, f.name).nbytes for f in fields(self))

    def between(self, first: int, last: int) -> "Frames":
        """The frames from ``first`` up to ``last`` (not included), both at a whole tenth of a second."""
        frames, hops = slice(first, last), slice(first // FRAMES_PER_HOP, last // FRAMES_PER_HOP)
        parts = (getattr(self, f.name)[..., hops if f.name == "bands" else frames] for f in fields(self))
        return Frames(*(part.copy() for part in parts))

    def in_hops(self, name: str) -> Values:
        """One of the means over each whole tenth of a second, along the last axis."""
        values = getattr(self, name)
        whole = values.shape[-1] // FRAMES_PER_HOP
        return values[..., : whole * FRAMES_PER_HOP].reshape(*values.shape[:-1], whole, FRAMES_PER_HOP).mean(axis=-1)


def measure_frames(audio: NDArray[np.float32], rate: int, warm_up: int = 0, layout: Layout = STEREO) -> Frames:
    """The frames of ``audio`` (channels of the layout, frames).

    The first ``warm_up`` samples only set the filter; what is left must be a whole number of meter frames.
    """
    audio = np.asarray(audio, dtype=np.float32)
    weighting, hop = KWeighting(rate, len(audio) + (2 if layout.surround else 0)), hop_frames(rate)
    if layout.surround:
        # The stereo fold is measured beside the channels.
        audio = np.concatenate([fold(layout).astype(np.float32) @ audio, audio])
    weighting(audio[:, :warm_up])
    measured = partial(_measured_room, layout) if layout.surround else _measured
    step = _FRAMES_AT_ONCE * hop
    parts = [
        measured(audio[:, max(low - PAST, 0) : low + step], audio[:, low : low + step], weighting, hop)
        for low in range(warm_up, audio.shape[1], step)
    ]
    return Frames.joined(parts) if parts else Frames.silence(0)


def _measured(with_past: NDArray[np.float32], plain: NDArray[np.float32], weighting: KWeighting, hop: int) -> Frames:
    """The frames of a stretch that is short enough to stay in the processor's cache."""
    count = plain.shape[1] // hop
    whole = count // FRAMES_PER_HOP * FRAMES_PER_HOP * hop
    in_frames, weighted = plain.reshape(2, -1, hop), weighting(plain).reshape(2, -1, hop)
    powers = _power(weighted)
    return Frames(
        peak=_peak(in_frames),
        true_peak=true_peaks(with_past, hop, count),
        power=_power(in_frames),
        weighted=powers,
        cross=np.einsum("nt,nt->n", in_frames[0], in_frames[1]) / hop,
        weighted_cross=np.einsum("nt,nt->n", weighted[0], weighted[1]) / hop,
        bands=band_powers(plain[:, :whole], FRAMES_PER_HOP * hop),
        loud=powers.sum(axis=0),
        channels=np.zeros((3, 0, count)),
    )


def _measured_room(
    layout: Layout, with_past: NDArray[np.float32], plain: NDArray[np.float32], weighting: KWeighting, hop: int
) -> Frames:
    """The same of a room: rows 0 and 1 are its stereo fold, the others its channels.

    Correlation, spectra and the mono loss are the fold's; the sides are told by the channels that stand there.
    """
    count = plain.shape[1] // hop
    whole = count // FRAMES_PER_HOP * FRAMES_PER_HOP * hop
    in_frames, weighted = plain.reshape(len(plain), -1, hop), weighting(plain).reshape(len(plain), -1, hop)
    peaks, powers, weighed = _peak(in_frames)[2:], _power(in_frames), _power(weighted)[2:]
    there = (true_peaks(with_past[2:], hop, count), peaks)
    true_peak, peak = (np.stack([each[layout.right != far].max(axis=0) for far in (1.0, 0.0)]) for each in there)
    sides = layout.sides @ weighed
    mono, folded = _power((weighted[:1] + weighted[1:2]) / np.sqrt(2.0))[0], _power(weighted[:2]).sum(axis=0)
    # The share that the fold loses in mono, of all that the sides have.
    mono_power = np.where(folded > _FLOOR, mono / np.maximum(folded, _FLOOR), 0.0) * sides.sum(axis=0)
    return Frames(
        peak=peak,
        true_peak=true_peak,
        power=powers[:2],
        weighted=sides,
        cross=np.einsum("nt,nt->n", in_frames[0], in_frames[1]) / hop,
        weighted_cross=mono_power - sides.sum(axis=0) / 2.0,
        bands=band_powers(plain[:2, :whole], FRAMES_PER_HOP * hop),
        loud=layout.weights @ weighed,
        channels=np.stack([peaks, powers[2:], weighed]),
    )


def _peak(in_frames: NDArray[np.float32]) -> Values:
    return np.maximum(in_frames.max(axis=2), -in_frames.min(axis=2)).astype(np.float64)


def _power(in_frames: NDArray[np.floating[Any]]) -> Values:
    return np.einsum("cnt,cnt->cn", in_frames, in_frames) / in_frames.shape[2]


def readings(frames: Frames, count: int) -> NDArray[np.float32]:
    """What the meters show at the last ``count`` frames: float32 (count, len(COLUMNS)).

    ``frames`` begins up to ``LONG_FRAMES`` - 1 frames earlier, so that the windows are full; what is missing
    counts as silence. nan where there is nothing to say (the lean and the correlation of silence).
    """
    missing = max(count + LONG_FRAMES - 1 - frames.count, 0)
    frames = Frames.joined([Frames.silence(missing, frames.channels.shape[1]), frames])
    short = {name: window(getattr(frames, name), SHORT_FRAMES, count) for name in _MEANS}
    long = window(frames.weighted, LONG_FRAMES, count)
    both = short["weighted"].sum(axis=0)
    loss = mono_loss_db(both, short["weighted_cross"])
    columns = [
        *power_to_db(np.square(frames.peak[:, -count:])),
        *power_to_db(np.square(frames.true_peak[:, -count:])),
        *power_to_db(frames.power[:, -count:]),
        *power_to_db(frames.weighted[:, -count:]),
        lean_db(*short["weighted"]),
        lean_db(*long),
        correlation(short["power"], short["cross"]),
        loss,
        *(
            np.maximum(loudness_of(np.maximum(window(frames.loud, length, count), _FLOOR)), -120.0)
            for length in (SHORT_FRAMES, LONG_FRAMES)
        ),
    ]
    return np.stack(columns, axis=1).astype(np.float32)


def correlation(power: Values, cross: Values) -> Values:
    """How alike both sides are, -1…1, of their mean squares (2, n) and the mean of their product; nan for silence."""
    energy = np.sqrt(power[0] * power[1])
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(energy > _FLOOR, np.clip(cross / energy, -1.0, 1.0), np.nan)


def mono_loss_db(both: Values, cross: Values) -> Values:
    """How much weaker the mono fold (L + R)/√2 is than both sides' power together (dB, 0 or less).

    ``both``: summed mean squares; ``cross``: mean of left times right. Two equal sides in phase lose nothing,
    two that have nothing in common 3 dB, opposite ones everything (told as -60 dB); nan for silence.
    """
    folded = np.maximum(both / 2.0 + cross, 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        loss = 10.0 * np.log10(np.maximum(folded, 1e-30) / both)
    return np.where(both > _FLOOR, np.maximum(loss, -60.0), np.nan)


def window(values: Values, length: int, count: int) -> Values:
    """Means over the ``length`` values that end at each of the last ``count``, along the last axis."""
    tail = values[..., -(count + length - 1) :]
    return np.moveaxis(sliding_mean(np.moveaxis(tail, -1, 0), length), 0, -1)
