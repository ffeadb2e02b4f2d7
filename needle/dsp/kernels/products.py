"""The energies of a fold's two sides and of their product, summed over a stretch."""

import numpy as np
from numpy.typing import NDArray

from needle.dsp.kernels import kernel

Numbers = NDArray[np.float64]


def _twin(audio: Numbers, fold: Numbers, out: Numbers) -> None:
    left, right = np.einsum("sc,ct->st", fold, audio)
    out[:] = np.einsum("t,t->", left, left), np.einsum("t,t->", right, right), np.einsum("t,t->", left, right)


@kernel(_twin, "r8[2]", "r8[2]", "w8[1]")
def side_products(audio: Numbers, fold: Numbers, out: Numbers) -> None:
    """Put the sums of left², right² and left × right of a fold into ``out``.

    ``fold`` (2, channels) makes left and right of ``audio`` (channels, frames).
    """
    lefts, rights, both = 0.0, 0.0, 0.0
    for n in range(audio.shape[1]):
        left, right = 0.0, 0.0
        for channel in range(audio.shape[0]):
            left += fold[0, channel] * audio[channel, n]
            right += fold[1, channel] * audio[channel, n]
        lefts += left * left
        rights += right * right
        both += left * right
    out[0], out[1], out[2] = lefts, rights, both
