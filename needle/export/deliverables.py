"""The sounds of a delivery: the mix in its layout, its folds beside it, and stems that add up to it."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from needle.errors import NeedleError
from needle.layouts import LAYOUTS, STEREO, Layout
from needle.metering.measure import Measurement
from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import Mix
from needle.mix.monitors import HEADPHONES, MONITORS
from needle.mix.partition import parts_of
from needle.render.blocks import deliver
from needle.units import db_to_gain

FOLDS = ("stereo", "mono", HEADPHONES.name)
"""What can be delivered beside a mix in its layout."""

STEMS = ("", "sources", "groups")

_KINDS = {"source": "Stem", "group": "Stem", "return": "Stem", "mix": "Mix", "fold": "Fold"}


@dataclass(frozen=True)
class Sound:
    """One sound of a delivery: a ``mix``, a ``fold``, or a stem of a ``source``, ``group`` or ``return``."""

    kind: str
    id: str
    title: str
    mix: Mix
    layout: Layout
    listening: Listening = field(default=EVERYTHING)
    at_ears: bool = False

    @property
    def word(self) -> str:
        """What its name calls its kind."""
        return _KINDS[self.kind]

    def stretches(self, start: int, stop: int, gain: float = 0.0) -> Iterator[tuple[float, NDArray[np.float32]]]:
        """Its audio from frame ``start`` to ``stop``, ``gain`` dB louder: (share done, (channels, frames))."""
        louder = np.float32(db_to_gain(gain))
        for done, audio in deliver(self.mix, start, stop, self.listening, self.at_ears):
            heard = audio[: len(self.layout.channels)]
            yield done, heard * louder if gain else heard

    def measurement(self, rate: int) -> Measurement:
        """What measures it."""
        return Measurement(rate, len(self.layout.channels), self.layout)


def sounds_of(
    mix: Mix, whole: bool, folds: tuple[str, ...], stems: str, names: Mapping[str, str], groups: Mapping[str, str]
) -> list[Sound]:
    """What is to be rendered: the ``whole`` mix, its ``folds``, its ``stems`` by sources or groups.

    ``names``: what sources, groups and returns are called; ``groups``: in which group a source is. NeedleError for a
    fold or stems that are none.
    """
    for fold in folds:
        if fold not in FOLDS:
            raise NeedleError(f"There is no fold “{fold}”. Choose {', '.join(FOLDS)}.")
    if stems not in STEMS:
        raise NeedleError(f"Stems cannot be made by “{stems}”. Choose {', '.join(STEMS[1:])}.")
    found = [Sound("mix", "mix", "Mix", mix, mix.room)] if whole else []
    for fold in dict.fromkeys(folds):
        if fold == "stereo" and not mix.room.surround:
            # Folded to what it is: the mix itself.
            continue
        title = MONITORS[fold].title if fold in MONITORS else HEADPHONES.title
        layout = _MONO if fold == "mono" else STEREO
        found.append(Sound("fold", fold, title, mix, layout, Listening(monitor=fold), at_ears=True))
    parts = parts_of(mix, stems, dict(groups)) if stems else []
    return found + [
        Sound(part.kind, part.id, names.get(part.id, part.id), part.mix, part.mix.room, part.listening)
        for part in parts
    ]


_MONO = LAYOUTS["mono"]
"""One channel: half of left plus right, the same on both sides."""
