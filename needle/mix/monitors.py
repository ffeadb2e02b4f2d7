"""Ways of listening that change nothing in the mix: folded, one side, one loudspeaker, all of them, on headphones.

What two ears hear of any layout is a matrix, or responses to be convolved with. Folds are those of ITU-R BS.775-4
Annex 4: the centre and what stands beside, behind and above go to their sides at -3 dB, the LFE nowhere.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.dsp.k_weighting import KWeighting
from needle.dsp.pan_laws import law_named
from needle.dsp.room_panner import Where, room_powers
from needle.dsp.spherical_head import sphere_responses
from needle.errors import NeedleError
from needle.layouts import HALF, LAYOUTS, Layout, fold

Audio = NDArray[np.float32]

Responses = Callable[[str, int, Layout], Audio]
"""Gives a measured head's responses: (name, rate, layout) → float32 (2 ears, speakers, taps)."""


@dataclass(frozen=True)
class Monitor:
    """What reaches a listener's left and right of a stereo fold's left and right: ``rows[output][input]``."""

    name: str
    title: str
    sentence: str
    rows: tuple[tuple[float, float], tuple[float, float]] = ((1.0, 0.0), (0.0, 1.0))

    @property
    def matrix(self) -> NDArray[np.float32]:
        """The gains, float32 (2 outputs, 2 inputs)."""
        return np.array(self.rows, dtype=np.float32)


MONITORS = {
    one.name: one
    for one in (
        Monitor("stereo", "Stereo", "Both sides; a room of loudspeakers folded down to them."),
        Monitor("mono", "Mono", "Half of left plus right, on both sides.", ((0.5, 0.5), (0.5, 0.5))),
        Monitor("left", "Left", "The left side alone, where it is.", ((1.0, 0.0), (0.0, 0.0))),
        Monitor("right", "Right", "The right side alone, where it is.", ((0.0, 0.0), (0.0, 1.0))),
        Monitor("swap", "Swap", "Left and right exchanged.", ((0.0, 1.0), (1.0, 0.0))),
        Monitor("difference", "Difference", "Half of left minus right: what mono loses.", ((0.5, -0.5), (0.5, -0.5))),
    )
}
"""Every way of listening to a stereo mix or fold by name."""

HEADPHONES = Monitor(
    "headphones", "Headphones", "Every loudspeaker where it stands, as a head of its own shape hears it."
)

LOUDSPEAKERS = Monitor("loudspeakers", "Loudspeakers", "Every channel of the layout through an output of its own.")

DOWNMIXES = ("stereo", "mono")
"""Ways of listening that keep the whole mix: its level in them is compared with that of a stereo session."""

_PLACES = 201
"""Places across the front at which a fold is compared with a stereo session."""


@lru_cache(maxsize=64)
def fold_gain_db(layout: Layout, monitor: str) -> float:
    """How much louder (dB) a stereo session is in a layout than in stereo, through one of ``DOWNMIXES``.

    The mean power of sounds evenly across the front, by the constant-power law. What stands between the centre and a
    side is played by both; folded by ITU-R BS.775-4, Annex 4, they add up on that side.
    """
    if not layout.surround:
        return 0.0
    pan = np.linspace(-1.0, 1.0, _PLACES)
    speakers = np.sqrt(room_powers(layout, Where(pan, np.ones(_PLACES), np.zeros(_PLACES))))
    stereo = law_named("constant-power").gains(pan)
    matrix = MONITORS[monitor].matrix
    folded = matrix @ fold(layout)[:, layout.standing] @ speakers
    return float(10.0 * np.log10((folded**2).sum() / ((matrix @ stereo) ** 2).sum()))


SPEAKER, HEAD = "speaker:", "head:"
"""With a speaker's name: that one alone. With a measured head's name: headphones as that one hears."""


def checked_monitor(name: str) -> str:
    """``name`` if it is a way of listening; NeedleError lists them otherwise. Single speakers are not looked up."""
    whole = (HEADPHONES.name, LOUDSPEAKERS.name)
    if name in MONITORS or name in whole or name.startswith((SPEAKER, HEAD)):
        return name
    raise NeedleError("monitor.unknown", name=name, choices=[*MONITORS, *whole])


def heard_channels(layout: Layout, name: str) -> int:
    """How many channels somebody hears who listens to a layout that way: those of the layout, or two ears."""
    return len(layout.channels) if name == LOUDSPEAKERS.name else 2


def ear_matrix(layout: Layout, name: str) -> NDArray[np.float64] | None:
    """What reaches the ears of a layout's channels, (2, channels); None where that takes responses."""
    if name in MONITORS:
        return MONITORS[name].matrix @ fold(layout)
    if name.startswith(SPEAKER):
        wanted = name.removeprefix(SPEAKER)
        return HALF * np.array([[channel.name == wanted for channel in layout.channels]] * 2, dtype=np.float64)
    return None


def ear_responses(layout: Layout, name: str, rate: int, heads: Responses | None = None) -> Audio:
    """What reaches the ears of a layout's speakers on headphones: float32 (2, speakers, taps).

    As loud as the speakers are: what the front pair plays has at both ears together the K-weighted power that it has
    in stereo, for pink noise of which half is common to both sides.
    """

    def at(wanted: Layout) -> Audio:
        if name.startswith(HEAD) and heads is not None:
            return heads(name.removeprefix(HEAD), rate, wanted)
        return sphere_responses(rate, tuple((s.azimuth, s.elevation) for s in wanted.speakers))

    return at(layout) / np.float32(_loudness(at(LAYOUTS["0+2+0"]), rate))


def _loudness(pair: Audio, rate: int) -> float:
    """How much stronger the front pair is at the ears than in stereo: (2 ears, 2 speakers, taps) as an amplitude."""
    weights = _pink(rate)
    spectra = np.fft.rfft(pair.astype(np.float64), _SIZE)
    apart = (np.abs(spectra) ** 2).sum(axis=(0, 1))
    common = (np.abs(spectra.sum(axis=1)) ** 2).sum(axis=0)
    return float(np.sqrt((apart + common) @ weights / (4.0 * weights.sum())))


@lru_cache(maxsize=8)
def _pink(rate: int) -> NDArray[np.float64]:
    """The K-weighted power of pink noise, 20 Hz to 20 kHz, at each frequency of a transform of ``_SIZE``."""
    frequencies = np.fft.rfftfreq(_SIZE, 1.0 / rate)
    impulse = np.zeros((1, _SIZE))
    impulse[0, 0] = 1.0
    weights = np.abs(np.fft.rfft(KWeighting(rate, 1)(impulse)[0])) ** 2
    weights[1:] /= frequencies[1:]
    weights[(frequencies < 20.0) | (frequencies > 20_000.0)] = 0.0
    return weights


_SIZE = 1 << 15

MOST_TAPS = 4096
"""A measured head's responses are cut to this many samples."""

PAST = MOST_TAPS
"""How many frames before a stretch ``to_ears`` reads."""


def to_ears(layout: Layout, name: str, rate: int, audio: Audio, past: int, heads: Responses | None = None) -> Audio:
    """A mix's channels (channels, past + frames) as they are heard: float32 (``heard_channels``, frames)."""
    if name == LOUDSPEAKERS.name:
        return audio[:, past:]
    matrix = ear_matrix(layout, name)
    if matrix is not None:
        return matrix.astype(np.float32) @ audio[:, past:]
    responses = ear_responses(layout, name, rate, heads)
    spoken = audio[layout.standing, max(past - responses.shape[2], 0) :]
    late = min(past, responses.shape[2])
    ears = np.stack([scipy.signal.oaconvolve(spoken, ear, axes=1).sum(axis=0) for ear in responses])
    return np.ascontiguousarray(ears[:, late : late + audio.shape[1] - past], dtype=np.float32)


def broadband(layout: Layout, name: str, rate: int, heads: Responses | None = None) -> NDArray[np.float64]:
    """How strong every channel is at either ear all in all, (2, channels): what a hand is heard by meanwhile.

    Of loudspeakers it is what a fold gives.
    """
    if name == LOUDSPEAKERS.name:
        name = MONITORS["stereo"].name
    matrix = ear_matrix(layout, name)
    if matrix is not None:
        return matrix
    result = np.zeros((2, len(layout.channels)))
    result[:, layout.standing] = np.sqrt(
        (ear_responses(layout, name, rate, heads).astype(np.float64) ** 2).sum(axis=2)
    )
    return result
