"""Sounds to bring in, and the side that a sound stands on."""

import numpy as np

from needle.dsp.k_weighting import KWeighting
from tests.browser.stage import RATE


def noise(seed: int, channels: int, seconds: float, rate: int = RATE) -> np.ndarray:
    rng = np.random.Generator(np.random.PCG64(seed))
    return 0.1 * rng.standard_normal((round(seconds * rate), channels))


def lean(audio: np.ndarray) -> float:
    """Right over left (dB, K-weighted), (2, frames)."""
    left, right = (KWeighting(RATE, 2)(audio)[:, 2400:] ** 2).mean(axis=1)
    return float(10 * np.log10((right + 1e-20) / (left + 1e-20)))
