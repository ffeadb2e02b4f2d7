"""A waveform to look at: the largest sample of every short stretch."""

import numpy as np
from numpy.typing import NDArray

PER_SECOND = 100
"""Stretches a second."""


def waveform(audio: NDArray[np.float32], rate: int, per_second: int = PER_SECOND) -> NDArray[np.float32]:
    """The largest absolute sample of each stretch: float32 (channels, stretches).

    ``audio``: float32 (channels, frames) at ``rate`` (Hz).
    """
    size = max(round(rate / per_second), 1)
    count = -(-audio.shape[1] // size)
    found = np.zeros((audio.shape[0], count), dtype=np.float32)
    whole = audio.shape[1] // size
    blocks = audio[:, : whole * size].reshape(audio.shape[0], whole, size)
    found[:, :whole] = np.maximum(blocks.max(axis=2, initial=0.0), -blocks.min(axis=2, initial=0.0))
    if whole < count:
        found[:, whole] = np.abs(audio[:, whole * size :]).max(axis=1)
    return found
