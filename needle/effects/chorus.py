"""Chorus: copies that drift in time, each side's against the other's."""

import numpy as np

from needle.dsp.fractional_delay import REACH, delay_channel
from needle.effects.base import Around, Audio, Effect, Setting, Settings

_SETTINGS = (
    Setting("voices", "Voices", 1.0, 4.0, 2.0, "", 1.0),
    Setting("delay", "Delay", 3.0, 40.0, 14.0, "ms", 1.0),
    Setting("depth", "Drift", 0.0, 8.0, 2.5, "ms", 0.1),
    Setting("rate", "Speed", 0.05, 5.0, 0.6, "Hz", 0.05),
    Setting("dry", "Dry", 0.0, 1.0, 0.5, "", 0.05),
)


def _reach(settings: Settings, around: Around) -> tuple[int, int]:
    latest = (settings["delay"] + settings["depth"]) / 1000.0 * around.rate
    return int(np.ceil(latest)) + REACH, REACH


def _process(audio: Audio, begins: int, settings: Settings, around: Around) -> Audio:
    past, ahead = _reach(settings, around)
    start, stop = begins + past, begins + audio.shape[1] - ahead
    turned = 2.0 * np.pi * settings["rate"] * np.arange(start, stop + 1) / around.rate
    voices = round(settings["voices"])
    drift = min(settings["depth"], settings["delay"] - 1.0)
    out = np.float32(settings["dry"]) * audio[:, past : past + stop - start]
    wet = np.float32((1.0 - settings["dry"]) / np.sqrt(voices))
    for side in (0, 1):
        for voice in range(voices):
            turn = 2.0 * np.pi * (voice + 0.5 * side) / voices
            delay = settings["delay"] + drift * np.sin(turned + turn)
            out[side] += wet * delay_channel(audio[side], begins, delay / 1000.0 * around.rate, start)
    return out


CHORUS = Effect(
    "chorus", "chorus", "Drifting copies that thicken and widen.", _SETTINGS, reach=_reach, process=_process
)
