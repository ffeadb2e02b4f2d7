"""Sounds to bring in, and the side that a sound stands on."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
from scipy.signal import correlate

from needle.dsp.k_weighting import KWeighting
from tests.browser.stage import RATE


def noise(seed: int, channels: int, seconds: float, rate: int = RATE) -> np.ndarray:
    rng = np.random.Generator(np.random.PCG64(seed))
    return 0.1 * rng.standard_normal((round(seconds * rate), channels))


def lean(audio: np.ndarray) -> float:
    """Right over left (dB, K-weighted), (2, frames)."""
    left, right = (KWeighting(RATE, 2)(audio)[:, 2400:] ** 2).mean(axis=1)
    return float(10 * np.log10((right + 1e-20) / (left + 1e-20)))


STRETCH = 4096
"""Frames that are compared at a time."""


def pairs(recorded: np.ndarray, rendered: np.ndarray) -> Iterator[tuple[np.ndarray, np.ndarray]]:
    """Stretches of what was recorded, and of what was rendered where the first channel is most like theirs."""
    sounding = np.flatnonzero(np.abs(recorded).max(axis=0) > 1e-4)
    size = np.sqrt(np.convolve(rendered[0] ** 2, np.ones(STRETCH), "valid")) + 1e-6
    for share in np.linspace(0.1, 0.9, 24):
        begins = int(sounding[int(share * len(sounding))])
        part = recorded[:, begins : begins + STRETCH]
        at = int(np.argmax(correlate(rendered[0], part[0], mode="valid", method="fft") / size))
        yield part, rendered[:, at : at + STRETCH]


def recorded_frames(path: Path, channels: int) -> np.ndarray:
    """What a sound device has played, (channels, frames)."""
    played = np.fromfile(path, "<f4")
    return played[: len(played) // channels * channels].reshape(-1, channels).T
