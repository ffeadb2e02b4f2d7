"""The sounds of a delivery: the mix in its layout, its folds beside it, and stems that add up to it."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from needle.errors import NeedleError
from needle.layouts import LAYOUTS, STEREO, Layout
from needle.metering.measure import Measurement
from needle.mix.model import Mix
from needle.mix.monitors import HEADPHONES, MONITORS, PAST, to_ears
from needle.mix.partition import Part, parts_of
from needle.render.blocks import run_in_stretches
from needle.render.compile import MIX, compile_mix, compile_parts
from needle.render.plan import Plan
from needle.units import db_to_gain

Audio = NDArray[np.float32]

FOLDS = ("stereo", "mono", HEADPHONES.name)
"""What can be delivered beside a mix in its layout."""

STEMS = ("", "sources", "groups")

_KINDS = {"source": "Stem", "group": "Stem", "return": "Stem", "mix": "Mix", "fold": "Downmix"}


@dataclass(frozen=True)
class Sound:
    """One sound of a delivery: a ``mix``, a ``fold``, or a stem of a ``source``, ``group`` or ``return``.

    It is the ``output`` of a plan, as two ears have it through a ``monitor`` if there is one.
    """

    kind: str
    id: str
    title: str
    layout: Layout
    output: str = MIX
    monitor: str = ""

    @property
    def word(self) -> str:
        """What its name calls its kind."""
        return _KINDS[self.kind]

    def measurement(self, rate: int) -> Measurement:
        """What measures it."""
        return Measurement(rate, len(self.layout.channels), self.layout)


@dataclass(frozen=True)
class Sounds:
    """The sounds of a delivery, rendered together: each source is read and placed once for all of them."""

    mix: Mix
    sounds: tuple[Sound, ...]
    parts: tuple[Part, ...] = ()

    def __iter__(self) -> Iterator[Sound]:
        return iter(self.sounds)

    def __len__(self) -> int:
        return len(self.sounds)

    def through(self, monitor: str) -> "Sounds":
        """All of them as two ears have them in a way of listening."""
        monitored = tuple(replace(sound, monitor=monitor, layout=STEREO) for sound in self.sounds)
        return replace(self, sounds=monitored)

    def stretches(
        self, start: int, stop: int, *, gain: float = 0.0, threads: int = 1
    ) -> Iterator[tuple[float, list[Audio]]]:
        """Their audio from frame ``start`` to ``stop``, ``gain`` dB louder.

        Yields the share done so far (0…1), and what comes of each sound, float32 (channels, frames).
        """
        louder, room = np.float32(db_to_gain(gain)), self.mix.room
        past = PAST if any(sound.monitor for sound in self.sounds) else 0
        for done, outputs in run_in_stretches(self._plan(), start, stop, past=past, threads=threads):
            audios = []
            for sound in self.sounds:
                audio = outputs[sound.output]
                ears = to_ears(room, sound.monitor, self.mix.rate, audio, past) if sound.monitor else None
                audio = (audio[:, past:] if ears is None else ears)[: len(sound.layout.channels)]
                audios.append(audio * louder if gain else audio)
            yield done, audios

    def _plan(self) -> Plan:
        with_mix = any(sound.output == MIX for sound in self.sounds)
        return compile_parts(self.mix, self.parts, with_mix) if self.parts else compile_mix(self.mix)


def sounds_of(
    mix: Mix, with_mix: bool, folds: tuple[str, ...], stems: str, names: Mapping[str, str], groups: Mapping[str, str]
) -> Sounds:
    """What is to be rendered: the mix itself (``with_mix``), its ``folds``, its ``stems`` by sources or groups.

    ``names``: what sources, groups and returns are called; ``groups``: in which group a source is. NeedleError for a
    fold or stems that are none.
    """
    for fold in folds:
        if fold not in FOLDS:
            raise NeedleError("export.unknown_downmix", fold=fold, choices=FOLDS)
    if stems not in STEMS:
        raise NeedleError("export.unknown_stems", stems=stems, choices=STEMS[1:])
    sounds = [Sound("mix", "mix", "Mix", mix.room)] if with_mix else []
    for fold in dict.fromkeys(folds):
        if fold == "stereo" and not mix.room.surround:
            # Folded to what it is: the mix itself.
            continue
        title = MONITORS[fold].title if fold in MONITORS else HEADPHONES.title
        sounds.append(Sound("fold", fold, title, _MONO if fold == "mono" else STEREO, monitor=fold))
    parts = tuple(parts_of(mix, stems, dict(groups)) if stems else ())
    sounds += [Sound(part.kind, part.id, names.get(part.id, part.id), mix.room, part.key) for part in parts]
    return Sounds(mix, tuple(sounds), parts)


_MONO = LAYOUTS["mono"]
"""One channel: half of left plus right, the same on both sides."""
