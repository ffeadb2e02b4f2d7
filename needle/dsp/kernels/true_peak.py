"""The highest magnitude between samples (ITU-R BS.1770-5, Annex 2), hop by hop."""

import numpy as np
from numpy.typing import NDArray

from needle.dsp.kernels import kernel

Audio = NDArray[np.float32]

TAPS = 12
"""Of the interpolating filter in each phase."""


def _twin(audio: Audio, phases: Audio, hop: int, out: Audio) -> None:
    windows = np.lib.stride_tricks.sliding_window_view(audio, TAPS, axis=1)
    for channel in range(len(out)):
        for index in range(out.shape[1]):
            samples = windows[channel, index * hop : (index + 1) * hop]
            between = np.abs(samples @ phases[:, ::-1].T).max(initial=0.0)
            out[channel, index] = max(between, np.abs(samples[:, -1]).max(initial=0.0))


@kernel(_twin, "r4[2]", "r4[2]", "int64", "w4[2]")
def highest_between(audio: Audio, phases: Audio, hop: int, out: Audio) -> None:
    """Put the highest magnitude of each hop, of samples and between them, into ``out`` (channels, hops).

    ``audio`` (channels, TAPS - 1 + hops × ``hop``) begins with the past that the filter reads; ``phases`` (phases,
    TAPS) are the interpolating filter's.
    """
    between = np.empty(hop, np.float32)
    for channel in range(out.shape[0]):
        for index in range(out.shape[1]):
            row = audio[channel, index * hop : (index + 1) * hop + TAPS - 1]
            highest = np.float32(0.0)
            for n in range(hop):
                value = abs(row[n + TAPS - 1])
                highest = value if value > highest else highest
            for phase in range(phases.shape[0]):
                # Written out, it is worked out for many samples at once.
                l, k, j, i, h, g, f, e, d, c, b, a = phases[phase]  # noqa: E741
                for n in range(hop):
                    early = a * row[n] + b * row[n + 1] + c * row[n + 2] + d * row[n + 3] + e * row[n + 4]
                    late = f * row[n + 5] + g * row[n + 6] + h * row[n + 7] + i * row[n + 8] + j * row[n + 9]
                    between[n] = abs(early + late + k * row[n + 10] + l * row[n + 11])
                for n in range(hop):
                    highest = between[n] if between[n] > highest else highest
            out[channel, index] = highest
