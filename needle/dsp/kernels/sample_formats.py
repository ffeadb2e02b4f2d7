"""Samples of files as floats."""

import numpy as np
from numpy.typing import NDArray

from needle.dsp.kernels import kernel

Audio = NDArray[np.float32]
Bytes = NDArray[np.uint8]

_PER_STEP = np.float32(2.0**-31)


def _twin(stored: Bytes, first: int, out: Audio) -> None:
    channels, frames = out.shape
    begin = 3 * channels * first
    rows = stored[begin : begin + 3 * channels * frames].reshape(frames, channels, 3).astype(np.uint32)
    whole = (rows[..., 0] << 8) | (rows[..., 1] << 16) | (rows[..., 2] << 24)
    out[:] = whole.view(np.int32).T.astype(np.float32) * _PER_STEP


@kernel(_twin, "ro[1]", "int64", "w4[2]")
def decode_pcm24(stored: Bytes, first: int, out: Audio) -> None:
    """Fill ``out`` (channels, frames) from frame ``first`` on with samples that are ``stored`` in 24 bits.

    Little-endian, all channels of a frame by turns, as WAV files have them; full scale is 1.
    """
    channels = out.shape[0]
    for channel in range(channels):
        for n in range(out.shape[1]):
            at = np.uint64(3 * ((first + n) * channels + channel))
            low, middle = np.uint32(stored[at]), np.uint32(stored[at + np.uint64(1)])
            high = np.uint32(stored[at + np.uint64(2)])
            whole = (low << np.uint32(8)) | (middle << np.uint32(16)) | (high << np.uint32(24))
            out[channel, n] = np.float32(np.int32(whole)) * _PER_STEP
