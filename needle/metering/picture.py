"""The picture of what sounds: pairs of samples as a listener would see them, and the spectrum with its notches."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from needle.metering.bands import Bands

PAIRS_PER_FRAME = 24
"""Samples drawn of each meter frame."""

BEND = 0.6
"""The distance from the middle grows as this power of the level, so that soft sounds have room too."""


def phase_points(audio: NDArray[np.float32], hop: int) -> NDArray[np.float32]:
    """Where samples stand in the phase picture: float32 (frames, ``PAIRS_PER_FRAME``, 2), across and up, -1…1.

    ``audio`` (2, frames × ``hop``). What is alike on both sides stands upright, what is opposite lies flat; left
    leans to the left, right to the right.
    """
    count = audio.shape[1] // hop
    at = (np.arange(PAIRS_PER_FRAME) * hop) // PAIRS_PER_FRAME
    left, right = audio.reshape(2, count, hop)[:, :, at].astype(np.float64)
    across, up = (right - left) / np.sqrt(2.0), (right + left) / np.sqrt(2.0)
    size = np.hypot(across, up)
    level = np.minimum(size / np.sqrt(2.0), 1.0) ** BEND
    scale = level / np.maximum(size, 1e-12)
    return np.stack([across * scale, up * scale], axis=-1).astype(np.float32)


@dataclass(frozen=True)
class Spectra:
    """What the sides and their fold hold in each band over a short while (dB), and where the fold has notches.

    ``notches``: (Hz, how much mono loses there in dB).
    """

    left: list[float]
    right: list[float]
    mono: list[float]
    notches: list[tuple[float, float]]

    @classmethod
    def of(cls, powers: NDArray[np.floating]) -> "Spectra":
        """Of ``band_powers`` (3, bands, hops), over all their hops."""
        bands = Bands.of(powers)
        rows = {name: np.round(row, 1).tolist() for name, row in bands.in_db().items()}
        return cls(**rows, notches=[(round(at, 1), round(loss, 1)) for at, loss in bands.notches()])
