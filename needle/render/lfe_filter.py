"""The low-frequency channel's filter: a fourth-order Linkwitz-Riley low-pass at 120 Hz."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, oaconvolve, sosfilt

from needle.mix.model import LFE_SECONDS

Audio = NDArray[np.float32]

CORNER_HZ = 120.0


def past_frames(rate: int) -> int:
    """How many frames before a stretch it reads."""
    return round(LFE_SECONDS * rate)


@lru_cache(maxsize=8)
def taps(rate: int) -> Audio:
    """Its impulse response, float32 (past frames,): two second-order Butterworth filters in a row."""
    impulse = np.zeros(past_frames(rate))
    impulse[0] = 1.0
    sections = butter(2, CORNER_HZ, fs=rate, output="sos")
    return sosfilt(np.concatenate([sections, sections]), impulse).astype(np.float32)


def low_passed(audio: Audio, rate: int) -> Audio:
    """``audio`` (channels, past + frames) through the filter: (channels, frames)."""
    past = past_frames(rate)
    return oaconvolve(audio, taps(rate)[np.newaxis], axes=1)[:, past : audio.shape[1]]
