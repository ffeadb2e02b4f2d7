"""A waveform to look at: the largest sample of every short stretch."""

import numpy as np
from numpy.typing import NDArray

PER_SECOND = 100
"""Stretches a second."""

_HEARD = 1e-3
"""What is weaker than the strongest stretch by more than this (-60 dB) is not heard."""


def waveform(audio: NDArray[np.float32], rate: int, per_second: int = PER_SECOND) -> NDArray[np.float32]:
    """The largest absolute sample of each stretch: float32 (channels, stretches).

    ``audio``: float32 (channels, frames) at ``rate`` (Hz).
    """
    size = max(round(rate / per_second), 1)
    count = -(-audio.shape[1] // size)
    result = np.zeros((audio.shape[0], count), dtype=np.float32)
    whole = audio.shape[1] // size
    blocks = audio[:, : whole * size].reshape(audio.shape[0], whole, size)
    result[:, :whole] = np.maximum(blocks.max(axis=2, initial=0.0), -blocks.min(axis=2, initial=0.0))
    if whole < count:
        result[:, whole] = np.abs(audio[:, whole * size :]).max(axis=1)
    return result


def sounding(peaks: NDArray[np.float32], per_second: int = PER_SECOND) -> tuple[float, float]:
    """When (s) the first that can be heard begins and the last ends; (0, 0) where all is silent.

    ``peaks`` as ``waveform`` gives them, whatever they are scaled by.
    """
    loudest = np.asarray(peaks).max(axis=0, initial=0.0)
    audible = np.flatnonzero(loudest > _HEARD * loudest.max(initial=0.0))
    return (audible[0] / per_second, (audible[-1] + 1) / per_second) if audible.size else (0.0, 0.0)
