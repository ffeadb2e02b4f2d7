"""A stem over the room as the engine reads it: its parts, made for the stretch that is asked for."""

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.dsp.direct_ambient import (
    AMBIENT_LEFT,
    AMBIENT_RIGHT,
    CENTRE,
    DECORRELATED_TAPS,
    LEFT,
    RIGHT,
    decorrelator,
    split_direct_ambient,
)
from needle.layouts import Layout
from needle.mix.dealt_sounds import GeneratedAudio

Audio = NDArray[np.float32]

DIRECT_ROWS = 3
"""Left, centre and right of the direct part come first; then the ambience of every speaker."""


class StemParts(GeneratedAudio):
    """A stereo stem as its direct part (left, centre, right) and the ambience that each speaker of a layout plays."""

    def __init__(
        self,
        audio: Audio | GeneratedAudio,
        description: str,
        layout: Layout,
        swap_channels: bool,
        invert: tuple[bool, bool],
    ) -> None:
        self.audio, self.layout = audio, layout
        self.order = [1, 0] if swap_channels else [0, 1]
        self.signs = np.where(invert, -1.0, 1.0).astype(np.float32)[:, np.newaxis]
        self.shape = (DIRECT_ROWS + len(layout.speakers), audio.shape[1] + DECORRELATED_TAPS)
        self.text = f"{description} {layout.name} {swap_channels} {invert}"

    def between(self, low: int, high: int) -> Audio:
        begins = low - DECORRELATED_TAPS
        parts = split_direct_ambient(self._read, begins, high)
        result = np.empty((self.shape[0], high - low), np.float32)
        for row, part in enumerate((LEFT, CENTRE, RIGHT)):
            result[row] = parts[part, low - begins :]
        left, right = parts[AMBIENT_LEFT], parts[AMBIENT_RIGHT]
        for index, speaker in enumerate(self.layout.speakers):
            side = left if speaker.azimuth > 0.0 else right
            if speaker.azimuth == 0.0:
                side = (left + right) * np.float32(np.sqrt(0.5))
            if speaker.group == "front":
                result[DIRECT_ROWS + index] = side[low - begins :]
                continue
            spread = scipy.signal.oaconvolve(side, decorrelator(index))[: len(side)]
            result[DIRECT_ROWS + index] = spread[low - begins :]
        return result

    def _read(self, low: int, high: int) -> Audio:
        """Its samples between two frames, silence where it has none."""
        out = np.zeros((2, high - low), np.float32)
        begin, end = max(low, 0), min(high, self.audio.shape[1])
        if begin < end:
            out[:, begin - low : end - low] = self.audio[self.order, begin:end]
        return out * self.signs
