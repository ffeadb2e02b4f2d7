"""What an ADM file holds, as plain values: objects and beds with their channels, and how each of them moves."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from needle.messages import Message

Values = NDArray[np.float64]

STEPS_A_SECOND = 100_000
"""Times in the XML are told in steps of 10 µs (five decimals of a second)."""


@dataclass(frozen=True)
class Zone:
    """Directions in which nothing may sound: azimuths and elevations (degrees) between two limits."""

    min_azimuth: float
    max_azimuth: float
    min_elevation: float
    max_elevation: float

    def holds(self, azimuth: float, elevation: float) -> bool:
        """Whether a loudspeaker there may not sound."""
        return (
            self.min_azimuth <= azimuth <= self.max_azimuth and self.min_elevation <= elevation <= self.max_elevation
        )


@dataclass(frozen=True)
class Moves:
    """How one object's channel moves: a value of each at every time (s), straight lines between them.

    ``times`` rise. ``azimuth`` (degrees, + to the left) runs on beyond ±180, so that lines go the short way;
    ``elevation`` in degrees, ``distance`` 1 at the room's edge, ``gain`` linear, ``extent`` in degrees,
    ``divergence`` 0…1 as the Recommendation has it. ``zones`` and ``lock`` say, from each time on, which loudspeakers
    may not sound and whether the nearest one takes all.
    """

    times: Values
    azimuth: Values
    elevation: Values
    distance: Values
    gain: Values
    extent: Values
    divergence: Values
    zones: tuple[tuple[Zone, ...], ...]
    lock: tuple[bool, ...]

    @property
    def still(self) -> bool:
        """Whether nothing of it moves."""
        return len(self.times) == 1


NUMBERS = ("azimuth", "elevation", "distance", "gain", "extent", "divergence")


@dataclass(frozen=True)
class SpeakerPlace:
    """Where a bed's channel stands: its label by ITU-R BS.2051, and direction (degrees)."""

    label: str
    azimuth: float = 0.0
    elevation: float = 0.0
    gain: float = 1.0

    @property
    def lfe(self) -> bool:
        return self.label.upper().startswith("LFE")


@dataclass(frozen=True)
class Channel:
    """One track's channel: it moves, or it is a bed's and stands at a loudspeaker. ``track`` counts from 0."""

    track: int
    name: str
    moves: Moves | None = None
    speaker: SpeakerPlace | None = None


@dataclass(frozen=True)
class AdmObject:
    """An object, or a bed, of one or several channels that belong together."""

    name: str
    channels: tuple[Channel, ...]

    @property
    def bed(self) -> bool:
        """Whether it is told by loudspeakers."""
        return self.channels[0].speaker is not None


@dataclass(frozen=True)
class AdmProgramme:
    """Everything in a file: its name, length (s) and objects. ``notes`` say what could not be told or taken."""

    name: str
    seconds: float
    objects: tuple[AdmObject, ...]
    notes: tuple[Message, ...] = field(default_factory=tuple)

    @property
    def tracks(self) -> int:
        """How many tracks its channels take."""
        return 1 + max((channel.track for item in self.objects for channel in item.channels), default=-1)
