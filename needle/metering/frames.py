"""Meter frames: what each 20 ms of a stereo mix measures, and the readings a meter shows from them."""

from collections.abc import Sequence
from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from needle.conventions import power_to_db
from needle.metering.kweighting import WARM_UP_SECONDS, KWeighting
from needle.metering.lean import lean_db
from needle.metering.loudness import loudness_of, sliding_mean

Values = NDArray[np.float64]

FRAMES_PER_SECOND = 50
SHORT_FRAMES = 20
LONG_FRAMES = 150
"""Frames in the 400 ms and the 3 s window that end with the frame they are read at."""

COLUMNS = (
    "peak_left", "peak_right", "rms_left", "rms_right", "k_left", "k_right", "lean_short", "lean_long",
    "correlation", "mono_loss", "momentary", "short_term",
)  # fmt: skip
"""What ``readings`` gives, in order: dB, LUFS, and the correlation (-1…1)."""

_FLOOR = 1e-12


def hop_frames(rate: int) -> int:
    """Samples in one meter frame."""
    return rate // FRAMES_PER_SECOND


def warm_up_frames(rate: int) -> int:
    """Samples of past that ``measure_frames`` needs (a whole number of meter frames)."""
    return round(WARM_UP_SECONDS * FRAMES_PER_SECOND) * hop_frames(rate)


@dataclass(frozen=True)
class Frames:
    """Sums over n consecutive meter frames. Two-row arrays are left and right.

    ``peak`` (2, n): highest magnitude. ``power``, ``weighted`` (2, n): mean square, plain and K-weighted.
    ``cross``, ``weighted_cross`` (n,): mean of left times right, plain and K-weighted.
    """

    peak: Values
    power: Values
    weighted: Values
    cross: Values
    weighted_cross: Values

    @classmethod
    def silence(cls, count: int) -> "Frames":
        pair, one = np.zeros((2, count)), np.zeros(count)
        return cls(pair, pair, pair, one, one)

    @classmethod
    def joined(cls, parts: Sequence["Frames"]) -> "Frames":
        return cls(*(np.concatenate([getattr(p, f.name) for p in parts], axis=-1) for f in fields(cls)))

    @property
    def count(self) -> int:
        return self.peak.shape[1]


def measure_frames(audio: NDArray[np.float32], rate: int, warm_up: int = 0) -> Frames:
    """The frames of stereo ``audio`` (2, frames).

    The first ``warm_up`` samples only set the filter; what is left must be a whole number of meter frames.
    """
    weighted = KWeighting(rate, 2)(audio)[:, warm_up:]
    plain = np.asarray(audio[:, warm_up:], dtype=np.float64)
    hop = hop_frames(rate)
    plain, weighted = plain.reshape(2, -1, hop), weighted.reshape(2, -1, hop)
    return Frames(
        peak=np.maximum(plain.max(axis=2), -plain.min(axis=2)),
        power=np.einsum("cnt,cnt->cn", plain, plain) / hop,
        weighted=np.einsum("cnt,cnt->cn", weighted, weighted) / hop,
        cross=np.einsum("nt,nt->n", plain[0], plain[1]) / hop,
        weighted_cross=np.einsum("nt,nt->n", weighted[0], weighted[1]) / hop,
    )


def readings(frames: Frames, count: int) -> NDArray[np.float32]:
    """What the meters show at the last ``count`` frames: float32 (count, len(COLUMNS)).

    ``frames`` begins up to ``LONG_FRAMES`` - 1 frames earlier, so that the windows are full; what is missing
    counts as silence. nan where there is nothing to say (the lean and the correlation of silence).
    """
    missing = max(count + LONG_FRAMES - 1 - frames.count, 0)
    frames = Frames.joined([Frames.silence(missing), frames])
    short = {f.name: _window(getattr(frames, f.name), SHORT_FRAMES, count) for f in fields(Frames)[1:]}
    long = _window(frames.weighted, LONG_FRAMES, count)
    both = short["weighted"].sum(axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        energy = np.sqrt(short["power"][0] * short["power"][1])
        correlation = np.where(energy > _FLOOR, np.clip(short["cross"] / energy, -1.0, 1.0), np.nan)
        loss = mono_loss_db(both, short["weighted_cross"])
    columns = [
        *power_to_db(np.square(frames.peak[:, -count:])),
        *power_to_db(frames.power[:, -count:]),
        *power_to_db(frames.weighted[:, -count:]),
        lean_db(*short["weighted"]),
        lean_db(*long),
        correlation,
        loss,
        np.maximum(loudness_of(np.maximum(both, _FLOOR)), -120.0),
        np.maximum(loudness_of(np.maximum(long.sum(axis=0), _FLOOR)), -120.0),
    ]
    return np.stack(columns, axis=1).astype(np.float32)


def mono_loss_db(both: Values, cross: Values) -> Values:
    """How much weaker the mono fold (L + R)/√2 is than both sides' power together (dB, 0 or less).

    ``both``: summed mean squares; ``cross``: mean of left times right. Two equal sides in phase lose nothing,
    two that have nothing in common 3 dB, opposite ones everything (told as -60 dB); nan for silence.
    """
    folded = np.maximum(both / 2.0 + cross, 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        loss = 10.0 * np.log10(np.maximum(folded, 1e-30) / both)
    return np.where(both > _FLOOR, np.maximum(loss, -60.0), np.nan)


def _window(values: Values, length: int, count: int) -> Values:
    """Means over the ``length`` values that end at each of the last ``count``, along the last axis."""
    tail = values[..., -(count + length - 1) :]
    return np.moveaxis(sliding_mean(np.moveaxis(tail, -1, 0), length), 0, -1)
