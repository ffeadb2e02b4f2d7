"""True peak (ITU-R BS.1770-5, Annex 2): the highest value between the samples, at four times the rate."""

from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.signal import lfilter

_HALF = (
    (0.0017089843750, 0.0109863281250, -0.0196533203125, 0.0332031250000, -0.0594482421875, 0.1373291015625,
     0.9721679687500, -0.1022949218750, 0.0476074218750, -0.0266113281250, 0.0148925781250, -0.0083007812500),
    (-0.0291748046875, 0.0292968750000, -0.0517578125000, 0.0891113281250, -0.1665039062500, 0.4650878906250,
     0.7797851562500, -0.2003173828125, 0.1015625000000, -0.0582275390625, 0.0330810546875, -0.0189208984375),
)  # fmt: skip
PHASES = np.array([*_HALF, _HALF[1][::-1], _HALF[0][::-1]])
"""The Annex's interpolating filter, one row a phase: shape (4, 12)."""


class TruePeak:
    """The running true peak of consecutive stretches; ``peak`` is linear, one value a channel."""

    def __init__(self, channels: int) -> None:
        self.peak = np.zeros(channels)
        self._state = np.zeros((len(PHASES), channels, PHASES.shape[1] - 1))

    def __call__(self, audio: NDArray) -> None:
        """Take in the next stretch, shape (channels, frames). A sample itself always counts too."""
        audio = np.asarray(audio, dtype=np.float64)
        if not audio.shape[1]:
            return
        self._raise(audio)
        for phase, taps in enumerate(PHASES):
            between, self._state[phase] = lfilter(taps, 1.0, audio, axis=-1, zi=self._state[phase])
            self._raise(between)

    def finish(self) -> NDArray[np.float64]:
        """The peaks once the filter's tail has rung out."""
        self(np.zeros((len(self.peak), PHASES.shape[1])))
        return self.peak

    def _raise(self, audio: NDArray[np.float64]) -> None:
        self.peak = np.maximum(self.peak, np.abs(audio).max(axis=1))


_TAPS = PHASES.shape[1]
PAST = _TAPS - 1
"""Samples before a stretch that its true peaks read."""

_LONGEST_STEP = 24


@cache
def _banded(step: int) -> NDArray[np.float32]:
    """The filter as a matrix from ``step`` samples and the 11 before them to 4 × ``step`` values between them."""
    matrix = np.zeros((step + PAST, step, len(PHASES)), dtype=np.float32)
    for at in range(step):
        matrix[at : at + _TAPS, at] = PHASES[:, ::-1].T
    return matrix.reshape(step + PAST, -1)


def true_peaks(audio: NDArray[np.float32], hop: int, count: int) -> NDArray[np.float64]:
    """The true peak in each of the last ``count`` hops of ``hop`` samples: linear, (channels, count).

    ``audio`` (channels, frames) may begin earlier: 11 samples of past are read, silence where there are none.
    """
    channels, length = audio.shape[0], hop * count
    if not length:
        return np.zeros((channels, count))
    step = max(width for width in range(1, _LONGEST_STEP + 1) if hop % width == 0)
    known = min(audio.shape[1], length + PAST)
    padded = np.zeros((channels, length + PAST), dtype=np.float32)
    padded[:, length + PAST - known :] = audio[:, audio.shape[1] - known :]
    strides = (padded.strides[0], padded.strides[1] * step, padded.strides[1])
    shape = (channels, length // step, step + PAST)
    windows = np.lib.stride_tricks.as_strided(padded, shape, strides, writeable=False)
    between = (np.ascontiguousarray(windows) @ _banded(step)).reshape(channels, count, -1)
    samples = padded[:, PAST:].reshape(channels, count, hop)
    return np.maximum(_highest(between), _highest(samples)).astype(np.float64)


def _highest(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """The highest magnitude along the last axis."""
    return np.maximum(values.max(axis=-1), -values.min(axis=-1))
