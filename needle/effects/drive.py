"""Drive: a soft bend of the wave, four times oversampled and smoothed, so that it does not fold back.

Parker, Zavalishin & Le Bivic 2016, "Reducing the aliasing of nonlinear waveshaping using continuous-time
convolution".
"""

from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.effects.base import Around, Audio, Effect, Setting, Settings
from needle.units import db_to_gain

_TIMES = 4
_HALF = 32
"""Samples (at the session's rate) that the resampling filters reach to either side, in both directions together."""


@cache
def _filter() -> NDArray[np.float64]:
    """The filter between the session's rate and the finer one."""
    taps: NDArray[np.float64] = scipy.signal.firwin(_HALF * _TIMES + 1, 0.92 / _TIMES, window=("kaiser", 9.0))
    return taps


_SETTINGS = (
    Setting("amount", "Amount", 0.0, 36.0, 9.0, "dB", 0.5),
    Setting("level", "Level", -36.0, 12.0, -6.0, "dB", 0.5),
)


def _reach(_settings: Settings, _around: Around) -> tuple[int, int]:
    return _HALF, _HALF


def _process(audio: Audio, _begins: int, settings: Settings, _around: Around) -> Audio:
    amount, level = float(db_to_gain(settings["amount"])), float(db_to_gain(settings["level"]))
    half = _HALF * _TIMES // 2
    finer = scipy.signal.upfirdn(_filter() * _TIMES, audio.astype(np.float64), up=_TIMES, axis=1)[:, half:]
    bent = _bent(amount * finer[:, : audio.shape[1] * _TIMES]) * level
    coarser = scipy.signal.upfirdn(_filter(), bent, down=1, axis=1)[:, half : half + audio.shape[1] * _TIMES : _TIMES]
    return np.ascontiguousarray(coarser[:, _HALF : audio.shape[1] - _HALF], dtype=np.float32)


def _bent(x: np.ndarray) -> np.ndarray:
    """tanh as its mean between neighbouring samples; where they hardly differ, at their middle."""
    before = np.concatenate([x[:, :1], x[:, :-1]], axis=1)
    step = x - before
    area = _log_cosh(x) - _log_cosh(before)
    flat = np.abs(step) < 1e-4
    return np.where(flat, np.tanh((x + before) / 2.0), area / np.where(flat, 1.0, step))


def _log_cosh(x: np.ndarray) -> np.ndarray:
    return np.abs(x) + np.log1p(np.exp(-2.0 * np.abs(x)))


DRIVE = Effect(
    "drive",
    "drive",
    "Bends the wave softly: denser, with overtones of its own.",
    _SETTINGS,
    reach=_reach,
    process=_process,
    linear=False,
)
