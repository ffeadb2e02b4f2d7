"""Loudness of a programme from K-weighted powers: ITU-R BS.1770-5 and EBU Tech 3341, 3342."""

import numpy as np
from numpy.typing import NDArray

Powers = NDArray[np.float64]

HOP_SECONDS = 0.1
"""Powers are gathered in steps of this (s): a quarter of a gating block."""

MOMENTARY_HOPS = 4
SHORT_TERM_HOPS = 30
_OFFSET = -0.691
_ABSOLUTE_GATE = -70.0


def loudness_of(power: Powers) -> Powers:
    """LUFS of summed, weighted K-weighted mean squares; -inf for silence (BS.1770-5 Annex 1, eq. 2)."""
    with np.errstate(divide="ignore"):
        return _OFFSET + 10.0 * np.log10(power)


def sliding_mean(values: Powers, hops: int) -> Powers:
    """Means over every run of ``hops`` values along axis 0; empty if there are fewer."""
    if len(values) < hops:
        return values[:0]
    summed = np.concatenate([np.zeros((1, *values.shape[1:])), np.cumsum(values, axis=0)])
    return np.maximum((summed[hops:] - summed[:-hops]) / hops, 0.0)


def integrated(power: Powers) -> float:
    """Tell the gated loudness of a programme: blocks of 400 ms overlapping by 75 %, above two gates.

    Parameters
    ----------
    power : float64, shape (hops,)
        Summed, weighted K-weighted mean squares of every 100 ms.

    Returns
    -------
    float
        LUFS; -inf if nothing passes the gates (-70 LUFS, then 10 LU under the rest).

    References
    ----------
    ITU-R BS.1770-5, Annex 1.

    Examples
    --------
    >>> round(integrated(np.full(20, 0.01)), 2)
    -20.69
    """
    blocks = sliding_mean(power, MOMENTARY_HOPS)
    loud = blocks[loudness_of(blocks) > _ABSOLUTE_GATE]
    if not loud.size:
        return -np.inf
    gate = loudness_of(loud.mean()) - 10.0
    return float(loudness_of(loud[loudness_of(loud) > gate].mean()))


def loudness_range(power: Powers) -> float:
    """Tell the loudness range of a programme: from the 10th to the 95th percentile of its short-term values.

    Parameters
    ----------
    power : float64, shape (hops,)
        Summed, weighted K-weighted mean squares of every 100 ms.

    Returns
    -------
    float
        LU, of the values above -70 LUFS and above 20 LU under their mean; nan if there are none.

    References
    ----------
    EBU Tech 3342.

    Examples
    --------
    >>> loudness_range(np.full(100, 0.01))
    0.0
    """
    short = sliding_mean(power, SHORT_TERM_HOPS)
    loud = short[loudness_of(short) > _ABSOLUTE_GATE]
    if not loud.size:
        return np.nan
    gated = loud[loudness_of(loud) >= loudness_of(loud.mean()) - 20.0]
    low, high = np.percentile(loudness_of(gated), [10.0, 95.0])
    return float(high - low)
