"""Loudspeaker layouts: where each channel stands, in the order of ITU-R BS.2051, and what it is called.

Azimuth is positive to the left, elevation upwards, both in degrees. Masks are those of WAVEFORMATEXTENSIBLE, whose
channels come in an order of their own where both sides and back are there.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from needle.errors import NeedleError
from needle.room_coordinates import polar_to_room

Numbers = NDArray[np.float64]

SPEAKER_GROUPS = ("centre", "front", "sides", "back", "above")
"""What loudspeakers are switched and set by together; the LFE channel is none of them."""

LFE = "LFE1"
HALF = float(np.sqrt(0.5))


@dataclass(frozen=True)
class Speaker:
    """A channel of a layout: its ``name`` as BS.2051 has it, a short ``label``, where it stands, and its group."""

    name: str
    label: str
    azimuth: float
    elevation: float
    mask: int
    group: str

    @property
    def lfe(self) -> bool:
        return self.name == LFE


def _speaker(name: str, label: str, mask: int, group: str) -> Speaker:
    if name == LFE:
        return Speaker(name, label, 0.0, 0.0, mask, group)
    elevation = 30.0 if name[0] == "U" else 0.0
    return Speaker(name, label, float(name[1:]), elevation, mask, group)


_SPEAKERS = {
    name: _speaker(name, label, mask, group)
    for name, label, mask, group in (
        ("M+000", "C", 0x4, "centre"),
        ("M+030", "L", 0x1, "front"),
        ("M-030", "R", 0x2, "front"),
        ("LFE1", "LFE", 0x8, "lfe"),
        ("M+110", "Ls", 0x200, "sides"),
        ("M-110", "Rs", 0x400, "sides"),
        ("M+090", "Lss", 0x200, "sides"),
        ("M-090", "Rss", 0x400, "sides"),
        ("M+135", "Lb", 0x10, "back"),
        ("M-135", "Rb", 0x20, "back"),
        ("U+030", "Ltf", 0x1000, "above"),
        ("U-030", "Rtf", 0x4000, "above"),
        ("U+045", "Ltf", 0x1000, "above"),
        ("U-045", "Rtf", 0x4000, "above"),
        ("U+110", "Ltr", 0x8000, "above"),
        ("U-110", "Rtr", 0x20000, "above"),
        ("U+135", "Ltr", 0x8000, "above"),
        ("U-135", "Rtr", 0x20000, "above"),
        ("M+045", "L", 0x1, "front"),
        ("M-045", "R", 0x2, "front"),
    )
}


@dataclass(frozen=True)
class Layout:
    """A layout by name; ``channels`` in the order in which the mix holds them."""

    name: str
    title: str
    channels: tuple[Speaker, ...]

    @property
    def surround(self) -> bool:
        """Whether sources are placed in a room rather than by a stereo pan law."""
        return self.name != "0+2+0"

    @cached_property
    def speakers(self) -> tuple[Speaker, ...]:
        """The channels that stand somewhere: all but the LFE."""
        return tuple(channel for channel in self.channels if not channel.lfe)

    @cached_property
    def standing(self) -> NDArray[np.intp]:
        """The indices of ``speakers`` among ``channels``."""
        return np.array([i for i, channel in enumerate(self.channels) if not channel.lfe], dtype=np.intp)

    @cached_property
    def lfe(self) -> int | None:
        """The index of the LFE channel, if there is one."""
        return next((i for i, channel in enumerate(self.channels) if channel.lfe), None)

    @cached_property
    def directions(self) -> Numbers:
        """Azimuth and elevation of every speaker, (2, speakers)."""
        return np.array([(s.azimuth, s.elevation) for s in self.speakers]).T

    @cached_property
    def places(self) -> Numbers:
        """Where every speaker stands in the room, (3, speakers): x, y, z."""
        return polar_to_room(self.directions[0], self.directions[1], np.ones(len(self.speakers)))

    @cached_property
    def right(self) -> Numbers:
        """How far every channel belongs to the right side, 0…1 (channels,): half for what stands in the middle."""
        return self._shares(self.places[0])

    @cached_property
    def front(self) -> Numbers:
        """How far every channel belongs to the front, 0…1 (channels,); half for the LFE."""
        return self._shares(self.places[1])

    @cached_property
    def sides(self) -> Numbers:
        """How much of every channel's power counts as left and as right, (2, channels); nothing of the LFE's."""
        counts = np.array([not channel.lfe for channel in self.channels])
        return np.array([1.0 - self.right, self.right]) * counts

    @cached_property
    def depths(self) -> Numbers:
        """How much of every channel's power counts as back and as front, (2, channels); nothing of the LFE's."""
        counts = np.array([not channel.lfe for channel in self.channels])
        return np.array([1.0 - self.front, self.front]) * counts

    def _shares(self, along: Numbers) -> Numbers:
        result = np.full(len(self.channels), 0.5)
        result[self.standing] = (1.0 + np.clip(along, -1.0, 1.0)) / 2.0
        return result

    @cached_property
    def mirrored(self) -> NDArray[np.intp]:
        """For every channel the one opposite to it, left for right."""
        by_place = {(c.azimuth, c.elevation, c.lfe): i for i, c in enumerate(self.channels)}
        return np.array([by_place[-c.azimuth + 0.0, c.elevation, c.lfe] for c in self.channels], dtype=np.intp)

    @cached_property
    def weights(self) -> Numbers:
        """What every channel counts in loudness (ITU-R BS.1770-5 Annex 3, Table 4); the LFE nothing.

        Loudspeakers at 60° to 120° to a side and within 30° of the ear's height weigh +1.5 dB.
        """
        beside = [60.0 <= abs(c.azimuth) <= 120.0 and abs(c.elevation) < 30.0 for c in self.channels]
        weights = np.where(beside, 10.0**0.15, 1.0)
        return np.where([c.lfe for c in self.channels], 0.0, weights)

    @cached_property
    def mask(self) -> int:
        """The channel mask of a WAV file."""
        return sum(channel.mask for channel in self.channels)

    @cached_property
    def file_order(self) -> NDArray[np.intp]:
        """The channels in the order in which a WAV file with this mask has them."""
        return np.argsort([channel.mask for channel in self.channels], kind="stable")

    def speakers_in(self, group: str) -> tuple[str, ...]:
        """The names of a group's speakers."""
        return tuple(s.name for s in self.speakers if s.group == group)


def _layout(name: str, title: str, channels: str) -> Layout:
    return Layout(name, title, tuple(_SPEAKERS[channel] for channel in channels.split()))


_FIVE = "M+030 M-030 M+000 LFE1 M+110 M-110"
_SEVEN = "M+030 M-030 M+000 LFE1 M+090 M-090 M+135 M-135"

LAYOUTS = {
    layout.name: layout
    for layout in (
        _layout("0+2+0", "Stereo", "M+030 M-030"),
        _layout("mono", "Mono", "M+000"),
        _layout("quad", "Four corners", "M+045 M-045 M+135 M-135"),
        _layout("0+5+0", "Five and LFE", _FIVE),
        _layout("0+7+0", "Seven and LFE", _SEVEN),
        _layout("2+5+0", "Five, LFE, two above", f"{_FIVE} U+030 U-030"),
        _layout("4+5+0", "Five, LFE, four above", f"{_FIVE} U+030 U-030 U+110 U-110"),
        _layout("4+7+0", "Seven, LFE, four above", f"{_SEVEN} U+045 U-045 U+135 U-135"),
    )
}
"""Every layout that can be mixed in, by name (ITU-R BS.2051-3 systems, four corners and mono)."""

STEREO = LAYOUTS["0+2+0"]

_USUAL = {1: "mono", 2: "0+2+0", 4: "quad", 6: "0+5+0", 8: "0+7+0", 10: "4+5+0", 12: "4+7+0"}
_WITHOUT_LFE = {5: "0+5+0", 7: "0+7+0"}


def layout_of_file(channels: int, mask: int = 0) -> Layout | None:
    """The layout that a file of so many channels has, by its channel mask if it tells one; None for any other."""
    by_mask = {(len(layout.channels), layout.mask): layout for layout in LAYOUTS.values()}
    if (channels, mask) in by_mask:
        return by_mask[channels, mask]
    if channels in _WITHOUT_LFE:
        whole = LAYOUTS[_WITHOUT_LFE[channels]]
        return Layout(whole.name, whole.title, whole.speakers)
    return LAYOUTS.get(_USUAL.get(channels, ""))


def layout_named(name: str) -> Layout:
    """The layout of that name; NeedleError lists the names if there is none."""
    try:
        return LAYOUTS[name]
    except KeyError:
        raise NeedleError("layout.unknown", name=name, choices=LAYOUTS) from None


def fold(layout: Layout) -> Numbers:
    """The gains from every channel to left and right, (2, channels) (ITU-R BS.775-4, Annex 4, table 2)."""
    result = np.zeros((2, len(layout.channels)))
    for index, channel in enumerate(layout.channels):
        if channel.lfe:
            continue
        strength = 1.0 if channel.group == "front" else HALF
        if channel.azimuth == 0.0:
            result[:, index] = HALF
        else:
            result[0 if channel.azimuth > 0.0 else 1, index] = strength
    return result
