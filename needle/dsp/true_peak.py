"""True peak (ITU-R BS.1770-5, Annex 2): the highest value between the samples, at four times the rate."""

import numpy as np
from numpy.typing import NDArray

from needle.dsp.kernels.true_peak import TAPS, highest_between

_HALF = (
    (0.0017089843750, 0.0109863281250, -0.0196533203125, 0.0332031250000, -0.0594482421875, 0.1373291015625,
     0.9721679687500, -0.1022949218750, 0.0476074218750, -0.0266113281250, 0.0148925781250, -0.0083007812500),
    (-0.0291748046875, 0.0292968750000, -0.0517578125000, 0.0891113281250, -0.1665039062500, 0.4650878906250,
     0.7797851562500, -0.2003173828125, 0.1015625000000, -0.0582275390625, 0.0330810546875, -0.0189208984375),
)  # fmt: skip
PHASES = np.array([*_HALF, _HALF[1][::-1], _HALF[0][::-1]])
"""The Annex's interpolating filter, one row a phase: shape (4, 12)."""


PAST = TAPS - 1
"""Samples before a stretch that its true peaks read."""

_FILTER = np.ascontiguousarray(PHASES, dtype=np.float32)


class TruePeak:
    """The running true peak of consecutive stretches; ``peak`` is linear, one value a channel."""

    def __init__(self, channels: int) -> None:
        self.peak = np.zeros(channels)
        self._past = np.zeros((channels, PAST), dtype=np.float32)

    def __call__(self, audio: NDArray[np.floating]) -> None:
        """Take in the next stretch, shape (channels, frames). A sample itself always counts too."""
        if not audio.shape[1]:
            return
        whole = np.concatenate([self._past, np.asarray(audio, dtype=np.float32)], axis=1)
        self._past = whole[:, -PAST:].copy()
        self.peak = np.maximum(self.peak, true_peaks(whole, audio.shape[1], 1)[:, 0])

    def finish(self) -> NDArray[np.float64]:
        """The peaks once the filter's tail has rung out."""
        self(np.zeros((len(self.peak), PAST), dtype=np.float32))
        return self.peak


def true_peaks(audio: NDArray[np.float32], hop: int, count: int) -> NDArray[np.float64]:
    """The true peak in each of the last ``count`` hops of ``hop`` samples: linear, (channels, count).

    ``audio`` (channels, frames) may begin earlier: 11 samples of past are read, silence where there are none.
    """
    channels, length = audio.shape[0], hop * count
    out = np.zeros((channels, count), dtype=np.float32)
    if not length:
        return out.astype(np.float64)
    known = min(audio.shape[1], length + PAST)
    padded = np.zeros((channels, length + PAST), dtype=np.float32)
    padded[:, length + PAST - known :] = audio[:, audio.shape[1] - known :]
    highest_between(padded, _FILTER, hop, out)
    return out.astype(np.float64)
