"""Chorus: copies that drift in time, each side's against the other's."""

import numpy as np

from needle.effects.base import Around, Audio, Effect, Setting, Settings
from needle.placing.timing import REACH, delayed

_BLOCK = 64

_SETTINGS = (
    Setting("voices", "Voices", 1.0, 4.0, 2.0, "", 1.0),
    Setting("delay", "Delay", 3.0, 40.0, 14.0, "ms", 1.0),
    Setting("depth", "Drift", 0.0, 8.0, 2.5, "ms", 0.1),
    Setting("rate", "Speed", 0.05, 5.0, 0.6, "Hz", 0.05),
    Setting("dry", "Dry", 0.0, 1.0, 0.5, "", 0.05),
)


def _reach(settings: Settings, around: Around) -> tuple[int, int]:
    latest = (settings["delay"] + settings["depth"]) / 1000.0 * around.rate
    return int(np.ceil(latest)) + REACH + 2 * _BLOCK, REACH + 2 * _BLOCK


def _process(audio: Audio, begins: int, settings: Settings, around: Around) -> Audio:
    past, ahead = _reach(settings, around)
    start, stop = begins + past, begins + audio.shape[1] - ahead
    low, high = start // _BLOCK, -(-stop // _BLOCK)
    edges = np.arange(low, high + 1) * _BLOCK / around.rate
    voices = round(settings["voices"])
    drift = min(settings["depth"], settings["delay"] - 1.0)
    here = slice(past, past + stop - start)
    out = np.float32(settings["dry"]) * audio[:, here]
    wet = np.float32((1.0 - settings["dry"]) / np.sqrt(voices))
    for side in (0, 1):
        for voice in range(voices):
            turn = (voice + 0.5 * side) / voices
            delay = settings["delay"] + drift * np.sin(2.0 * np.pi * (settings["rate"] * edges + turn))
            moved = delayed(audio[side], begins, delay / 1000.0 * around.rate, _BLOCK, low * _BLOCK)
            offset = start - low * _BLOCK
            out[side] += wet * moved[offset : offset + stop - start]
    return out


CHORUS = Effect(
    "chorus", "chorus", "Drifting copies that thicken and widen.", _SETTINGS, reach=_reach, process=_process
)
