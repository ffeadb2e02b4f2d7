"""Pulses to test with: one at a steady tempo, and a steady source that pulses, alone in a mix."""

import numpy as np
from hypothesis import strategies as st

from needle.autopan.pulse import Pulse, Pulsing
from needle.autopan.waveforms import WAVES
from needle.mix.model import Mix, MixSource
from needle.tempo import TempoMap
from tests.core.strategies import RATE

names = st.sampled_from(sorted(WAVES))


def pulsing(bpm: float = 120.0, **values) -> Pulsing:
    return Pulsing(Pulse(**values), TempoMap(((0.0, bpm),)))


def steady(pulse: Pulsing | None, seconds: float = 4.0, channels: int = 2, **values) -> Mix:
    """A steady source that pulses, alone in a mix."""
    audio = np.full((channels, round(seconds * RATE)), 0.5, np.float32)
    mode = "pan" if channels == 1 else "balance"
    tempo = pulse.tempo if pulse else TempoMap()
    return Mix(RATE, seconds, (MixSource("s", audio, mode=mode, pulse=pulse, **values),), tempo=tempo)
