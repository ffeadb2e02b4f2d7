"""Convolution in blocks that are fixed to the session's first frame, so that any division gives the same samples.

Uniformly partitioned overlap-save: Kulp 1988, "Digital equalization using Fourier transform techniques".
"""

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, rfft

Audio = NDArray[np.float32]
Spectra = NDArray[np.complex64]

_BLOCKS = ((8192, 2048), (65536, 8192))
_LONGEST_BLOCK = 32768


def block_for(taps: int) -> int:
    """The block (frames) in which a response of so many taps is convolved."""
    return next((block for most, block in _BLOCKS if taps <= most), _LONGEST_BLOCK)


def past_of(taps: int) -> int:
    """How many frames before a stretch ``convolved`` reads."""
    block = block_for(taps)
    return (-(-taps // block) + 1) * block


def partitioned(responses: Audio) -> Spectra:
    """Responses (outputs, inputs, taps) made ready for ``convolved``: (parts, outputs, inputs, bins)."""
    taps = responses.shape[-1]
    block = block_for(taps)
    parts = -(-taps // block)
    padded = np.zeros((*responses.shape[:2], parts * block), dtype=np.float32)
    padded[..., :taps] = responses
    pieces = padded.reshape(*responses.shape[:2], parts, block)
    return rfft(pieces, 2 * block, axis=-1).transpose(2, 0, 1, 3).astype(np.complex64)


def convolved(audio: Audio, begins: int, parts: Spectra, taps: int) -> Audio:
    """``audio`` (inputs, frames) from frame ``begins`` on, through responses: (outputs, frames - past)."""
    block, past = block_for(taps), past_of(taps)
    first, stop = begins + past, begins + audio.shape[1]
    low, high = first // block, -(-stop // block)
    count = len(parts)
    # Every block is read together with the one before it.
    padded = np.zeros((audio.shape[0], (high - low + count + 1) * block), dtype=np.float32)
    at = begins - (low - count - 1) * block
    skip = max(-at, 0)
    padded[:, at + skip : at + audio.shape[1]] = audio[:, skip:]
    blocks = padded.reshape(audio.shape[0], -1, block)
    pairs = np.concatenate([blocks[:, :-1], blocks[:, 1:]], axis=2)
    spectra = rfft(pairs, axis=-1)
    total = np.zeros((parts.shape[1], high - low, block + 1), dtype=np.complex64)
    for part in range(count):
        here = spectra[:, count - part : count - part + high - low]
        for output in range(parts.shape[1]):
            for source in range(audio.shape[0]):
                if parts[part, output, source].any():
                    total[output] += here[source] * parts[part, output, source]
    out = irfft(total, 2 * block, axis=-1)[:, :, block:].reshape(parts.shape[1], -1)
    offset = first - low * block
    return np.ascontiguousarray(out[:, offset : offset + stop - first], dtype=np.float32)
