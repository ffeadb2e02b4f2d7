"""High-pass and low-pass: Butterworth, 12 dB an octave, as the response they leave behind."""

from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.effects.base import Around, Effect, Setting, Settings

_ORDER = 2
_GONE = np.log(1e6)


def _taps(frequency: float, rate: int) -> int:
    """After so many samples what is left has decayed by 120 dB (the poles' damping is ω/√2)."""
    return int(np.ceil(_GONE / (np.pi * np.sqrt(2.0) * frequency) * rate)) + 8


@lru_cache(maxsize=64)
def _response(kind: str, frequency: float, rate: int) -> NDArray[np.float32]:
    impulse = np.zeros(_taps(frequency, rate))
    impulse[0] = 1.0
    sections = scipy.signal.butter(_ORDER, min(frequency, 0.49 * rate), kind, fs=rate, output="sos")
    answer = scipy.signal.sosfilt(sections, impulse)
    responses = np.zeros((2, 2, len(answer)), dtype=np.float32)
    responses[0, 0] = responses[1, 1] = answer
    return responses


def low_pass_taps(frequency: float, rate: int) -> NDArray[np.float32]:
    """The impulse response of the low-pass at a frequency (Hz): float32 (taps,)."""
    return _response("lowpass", float(frequency), rate)[0, 0]


def _filter(name: str, kind: str, sentence: str, default: float) -> Effect:
    setting = Setting("frequency", "From" if kind == "highpass" else "Up to", 20.0, 20000.0, default, "Hz", 10.0)

    def response(settings: Settings, around: Around) -> NDArray[np.float32]:
        return _response(kind, settings["frequency"], around.rate)

    def taps(settings: Settings, around: Around) -> int:
        return _taps(settings["frequency"], around.rate)

    return Effect(name, name, sentence, (setting,), response=response, taps=taps)


HIGH_PASS = _filter("high-pass", "highpass", "Lets through what is above a frequency, 12 dB an octave.", 180.0)
LOW_PASS = _filter("low-pass", "lowpass", "Lets through what is below a frequency, 12 dB an octave.", 6000.0)
