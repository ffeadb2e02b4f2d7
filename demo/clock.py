"""The piece's time: 48 bars of 4/4 at 90 bpm, and a track that notes are laid on."""

import numpy as np
from numpy.typing import NDArray

RATE = 48000
BPM = 90.0
BARS = 48
BEAT = 60.0 / BPM
LENGTH = BARS * 4 * BEAT

Sound = NDArray[np.float64]


def seconds(bar: float, beat: float = 1.0) -> float:
    """When a beat (from 1) of a bar (from 1) falls, in seconds."""
    return ((bar - 1) * 4 + (beat - 1)) * BEAT


def hertz(midi: float) -> float:
    """The frequency of a MIDI note number, A4 = 440 Hz."""
    return 440.0 * 2.0 ** ((midi - 69) / 12)


def times(length: float) -> Sound:
    """Sample times (s) from 0 up to ``length``."""
    return np.arange(round(length * RATE)) / RATE


class Track:
    """Silence of the piece's length, (channels, frames), onto which sounds are laid."""

    def __init__(self, channels: int = 1) -> None:
        self.audio = np.zeros((channels, round(LENGTH * RATE)))

    def lay(self, sound: Sound, at: float, gain: float = 1.0, place: float = 0.0) -> None:
        """Add a sound at a time (s). On a stereo track a mono sound stands at ``place`` (-1…1)."""
        start = max(round(at * RATE), 0)
        sound = np.atleast_2d(sound)[:, : self.audio.shape[1] - start]
        if self.audio.shape[0] == 2 and sound.shape[0] == 1:
            angle = (place + 1.0) * np.pi / 4.0
            sound = np.array([[np.cos(angle)], [np.sin(angle)]]) * sound
        self.audio[:, start : start + sound.shape[1]] += gain * sound

    def at_rms(self, level_db: float) -> NDArray[np.float32]:
        """The track scaled so that what sounds (its loudest half of all 50 ms stretches) has this RMS (dBFS).

        Peaks stay below -1 dBFS.
        """
        usable = self.audio[:, : self.audio.shape[1] // 2400 * 2400].reshape(self.audio.shape[0], -1, 2400)
        powers = (usable**2).mean(axis=(0, 2))
        sounding = powers[powers > powers.max() * 1e-3]
        gain = 10.0 ** (level_db / 20.0) / np.sqrt(np.sort(sounding)[sounding.size // 2 :].mean())
        gain = min(gain, 10.0 ** (-1.0 / 20.0) / np.abs(self.audio).max())
        return (self.audio * gain).astype(np.float32)


def fade(sound: Sound, attack: float, release: float) -> Sound:
    """The sound with a raised-cosine attack and release (s)."""
    shaped = np.array(sound, dtype=np.float64)
    for length, reverse in ((attack, False), (release, True)):
        n = min(round(length * RATE), shaped.shape[-1])
        if n > 0:
            ramp = 0.5 - 0.5 * np.cos(np.pi * (np.arange(n) + 0.5) / n)
            if reverse:
                shaped[..., -n:] *= ramp[::-1]
            else:
                shaped[..., :n] *= ramp
    return shaped
