"""What the engine renders: sources with their audio, places and lanes, and how one listens to them."""

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from needle.errors import NeedleError
from needle.moving.lane import Lane
from needle.placing.laws import law_named
from needle.placing.modes import mode_for


@dataclass(frozen=True)
class MixSource:
    """One source. ``audio`` is float32 (channels, frames); ``offset`` the frame at which it starts.

    ``gain`` and ``level`` in dB, ``pan`` in -1…1; a lane in ``lanes`` takes the place of its static value.
    """

    id: str
    audio: NDArray[np.float32]
    asset: str = ""
    offset: int = 0
    gain: float = 0.0
    level: float = 0.0
    muted: bool = False
    mode: str = "pan"
    pan: float = 0.0
    lanes: Mapping[str, Lane] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.audio.ndim != 2:
            raise NeedleError("A source's audio must have the shape (channels, frames).")
        mode_for(self.mode, self.channels)

    @property
    def channels(self) -> int:
        return self.audio.shape[0]

    def sounds_between(self, start: int, stop: int) -> bool:
        """Whether any of its audio lies between two frames of the session."""
        return self.offset < stop and start < self.offset + self.audio.shape[1]


@dataclass(frozen=True)
class Mix:
    """Sources that sound together: ``rate`` in Hz, ``length`` in seconds, one pan law for all."""

    rate: int
    length: float
    sources: tuple[MixSource, ...] = ()
    law: str = "constant-power"
    centre_zero: bool = False

    def __post_init__(self) -> None:
        law_named(self.law)

    @property
    def frames(self) -> int:
        """The length in frames."""
        return round(self.length * self.rate)


@dataclass(frozen=True)
class Listening:
    """What one person hears of a mix: only ``solo`` sources if there are any, never those in ``without``."""

    solo: frozenset[str] = frozenset()
    without: frozenset[str] = frozenset()

    def hears(self, source: MixSource) -> bool:
        """Whether the source sounds: a solo overrides its mute for the one who listens."""
        if source.id in self.without:
            return False
        return source.id in self.solo if self.solo else not source.muted


EVERYTHING = Listening()


def dependency_key(mix: Mix, start: int, stop: int, listening: Listening = EVERYTHING) -> str:
    """A hash of exactly what the samples from frame ``start`` to ``stop`` depend on.

    Two calls with the same key render the same samples: an edit elsewhere in time, or of a source that
    does not sound here, leaves it alone.
    """
    parts: list[object] = [mix.rate, mix.law, mix.centre_zero, start, stop]
    for source in mix.sources:
        if not listening.hears(source) or not source.sounds_between(start, stop):
            continue
        statics = {name: getattr(source, name) for name in ("pan", "level") if name not in source.lanes}
        lanes = {
            name: [(p.t, p.value, p.shape, p.tension) for p in lane.between(start / mix.rate, stop / mix.rate)]
            for name, lane in sorted(source.lanes.items())
        }
        parts.append((source.asset or source.id, source.offset, source.gain, source.mode, statics, lanes))
    return hashlib.blake2b(json.dumps(parts).encode(), digest_size=16).hexdigest()
