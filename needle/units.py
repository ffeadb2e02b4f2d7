"""Units that every other part shares: decibels and session rates.

Levels are dB with 0 dB = gain 1; at or below ``OFF_DB`` a level is off (gain 0).
"""

import numpy as np
from numpy.typing import ArrayLike, NDArray

from needle.errors import NeedleError

OFF_DB = -96.0
"""Levels at or below this are off: gain 0 (dB)."""

RATES = (44100, 48000, 88200, 96000)
"""Sampling rates a session may have (Hz). Each divides into whole 20 ms meter hops."""

SILENT_DB = -120.0
"""The lowest value a meter shows (dB); powers below it are drawn as silence."""


_PER_DB = np.log(10.0) / 20.0


def db_to_gain(level_db: ArrayLike) -> NDArray[np.float64]:
    """Turn levels into linear gains.

    Parameters
    ----------
    level_db : array_like, any shape
        In dB.

    Returns
    -------
    float64, the same shape
        Exactly 0 at or below ``OFF_DB``.

    Examples
    --------
    >>> db_to_gain([0.0, 20.0, -96.0]).round(6).tolist()
    [1.0, 10.0, 0.0]
    """
    level = np.asarray(level_db, dtype=np.float64)
    return np.exp(level * _PER_DB) * (level > OFF_DB)


def power_to_db(power: ArrayLike, floor: float = SILENT_DB) -> NDArray[np.float64]:
    """Tell mean squares in dB.

    Parameters
    ----------
    power : array_like, any shape
        Mean squares, or ratios of them.
    floor
        The least that is told (dB).

    Returns
    -------
    float64, the same shape

    Examples
    --------
    >>> power_to_db([1.0, 0.5, 0.0]).round(2).tolist()
    [0.0, -3.01, -120.0]
    """
    return np.maximum(10.0 * np.log10(np.maximum(power, 1e-30)), floor)


def check_rate(rate: int) -> int:
    """Return ``rate`` (Hz) if a session may have it; NeedleError otherwise."""
    if rate not in RATES:
        raise NeedleError("session.sampling_rate", rate=rate, choices=RATES)
    return rate
