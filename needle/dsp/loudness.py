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
    """Gated loudness (LUFS) from summed power per 100 ms hop; -inf if nothing passes the gates.

    BS.1770-5 Annex 1: blocks of 400 ms overlapping by 75 %, above -70 LUFS, then above 10 LU under the rest.
    """
    blocks = sliding_mean(power, MOMENTARY_HOPS)
    loud = blocks[loudness_of(blocks) > _ABSOLUTE_GATE]
    if not loud.size:
        return -np.inf
    gate = loudness_of(loud.mean()) - 10.0
    return float(loudness_of(loud[loudness_of(loud) > gate].mean()))


def loudness_range(power: Powers) -> float:
    """Loudness range (LU) from summed power per 100 ms hop; nan if nothing passes the gates.

    EBU Tech 3342: short-term values above -70 LUFS and above 20 LU under their mean, 10th to 95th percentile.
    """
    short = sliding_mean(power, SHORT_TERM_HOPS)
    loud = short[loudness_of(short) > _ABSOLUTE_GATE]
    if not loud.size:
        return np.nan
    gated = loud[loudness_of(loud) >= loudness_of(loud.mean()) - 20.0]
    low, high = np.percentile(loudness_of(gated), [10.0, 95.0])
    return float(high - low)
