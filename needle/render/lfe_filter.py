"""The low-frequency channel's filter: a fourth-order Linkwitz-Riley low-pass at 120 Hz."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.mix.model import LFE_SECONDS
from needle.render.plan import Run, Spans, StageOutput, widen_spans

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
    sections = scipy.signal.butter(2, CORNER_HZ, fs=rate, output="sos")
    return scipy.signal.sosfilt(np.concatenate([sections, sections]), impulse).astype(np.float32)


@dataclass(frozen=True)
class LowPassStage:
    """What is sent to the low-frequency channel, through its filter."""

    source: StageOutput
    rate: int
    read_at_once: bool = True

    @property
    def channels(self) -> int:
        return self.source.channels

    @property
    def spans(self) -> Spans:
        return widen_spans(self.source.spans, 0, past_frames(self.rate))

    def render(self, run: Run, start: int, stop: int) -> Audio:
        past = past_frames(self.rate)
        audio = run.output(self.source.index, start - past, stop)
        passed = scipy.signal.oaconvolve(audio, taps(self.rate)[np.newaxis], axes=1)[:, past : audio.shape[1]]
        return np.ascontiguousarray(passed, dtype=np.float32)
