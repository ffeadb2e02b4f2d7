"""What is rendered: sources with their places and sends, layers under them, and the returns that they feed."""

import hashlib
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Lane, Values
from needle.automation.parameters import defaults_of, values_class
from needle.autopan.pulse import Pulsing
from needle.dealing.deal import WHERE_IN_ROOM, Deal
from needle.dsp.fractional_delay import REACH, timing_of
from needle.dsp.pan_laws import law_named
from needle.dsp.pan_modes import BANDED, MODES, SIDE_BANDS, SIDES, PlacementMode, mode_for
from needle.effects.base import Around
from needle.effects.chain import Chain
from needle.errors import NeedleError
from needle.layouts import Layout, layout_named
from needle.mix.dealt_sounds import DealtSlices, DealtStem, DealtVoice, GeneratedAudio
from needle.mix.descriptions import lanes_text, pulses_text
from needle.mix.side_bands import SideBands
from needle.mix.speaker_routing import PLAIN_ROUTING, SpeakerRouting
from needle.stable_text import label
from needle.tempo import TempoMap
from needle.units import OFF_DB

Audio = NDArray[np.float32]

LFE_SECONDS = 0.1
"""How much past the low-frequency channel's filter reads."""

BLOCK = 64
"""Samples between two evaluations of a gain; the grid is fixed to the session's first frame."""


def _values_text(element: object, kind: str) -> str:
    """The parameters of an element, as text."""
    return " ".join(str(getattr(element, name)) for name in defaults_of(kind))


SEND_PLACES = ("same", "opposite", "own")
"""Where a source stands in a return: as it stands itself, mirrored, or at the send's own pan."""


class Automated:
    """What has parameters as attributes, some of them with a lane in ``lanes``."""

    lanes: Mapping[str, Lane]

    def value(self, name: str, times: Values) -> Values:
        """A number at each time (s), by its lane; of length 1 where it has none."""
        lane = self.lanes.get(name)
        return lane.evaluate(times) if lane else np.array([getattr(self, name)])


@dataclass(frozen=True)
class MixSend(Automated, values_class("send")):  # type: ignore[misc] # made of the parameters
    """What a source gives to a return: ``level`` in dB, tapped ``pre`` the source's level or after it.

    ``front``, ``height`` and ``spread`` (degrees) tell the place of its own in a room. Lanes may take the place of
    numbers. A ``pulse`` of its own moves what it gives.
    """

    level: float
    pre: bool = False
    place: str = "same"
    lanes: Mapping[str, Lane] = field(default_factory=dict)
    pulse: Pulsing | None = None

    def __post_init__(self) -> None:
        if self.place not in SEND_PLACES:
            raise NeedleError("mix.unknown_send_place", place=self.place, choices=SEND_PLACES)

    @cached_property
    def _values_text(self) -> str:
        return _values_text(self, "send")

    def text_between(self, low: float, high: float) -> str:
        """What it depends on between two times (s), as text."""
        moves = f"{lanes_text(self.lanes, low, high)} {pulses_text((self.pulse,), low, high)}"
        return f"{self.pre} {self.place} {self._values_text} {moves}"


@dataclass(frozen=True)
class MixLayer(Automated, values_class("layer")):  # type: ignore[misc] # made of the parameters
    """A copy of a source through effects at a place of its own: two sides about ``pan``, ``span`` to either side.

    ``input``: the source, or the ``previous`` layer in the stack; tapped ``pre`` the level of that one or after it.
    Whatever its input, the source's level governs it. ``level`` in dB; lanes may take the place of numbers.
    """

    id: str
    chain: Chain = field(default_factory=Chain)
    input: str = "source"
    pre: bool = False
    muted: bool = False
    lanes: Mapping[str, Lane] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.input not in LAYER_INPUTS:
            raise NeedleError("mix.unknown_layer_input", input=self.input, choices=LAYER_INPUTS)

    def text_between(self, low: float, high: float) -> str:
        """What it depends on between two times (s), as text, besides its input."""
        names = ("pre", "level", *(name for name in defaults_of("layer") if name != "level"))
        values = [label(self.input), *(getattr(self, name) for name in names)]
        return f"{self.chain.key} {values} {lanes_text(self.lanes, low, high)}"


LAYER_INPUTS = ("source", "previous")


@dataclass(frozen=True)
class MixSource(Automated, values_class("source")):  # type: ignore[misc] # made of the parameters
    """One source. ``audio`` is float32 (channels, frames); ``offset`` the frame at which it starts.

    An ``asset`` that is the SHA-256 of a file tells the audio in caches, together with its ``first_channel`` there.

    ``gain`` and levels in dB, places in -1…1; a lane in ``lanes`` takes the place of its static value. ``trim`` (dB)
    is added to ``level``. ``shift`` and ``group_level`` come from its group. With ``double`` a copy stands opposite,
    ``double_ms`` later, and both are ``double_trim`` dB louder or softer. A ``pulse`` moves it in rhythm, a
    ``group_pulse`` with its group. A source with a ``deal`` sounds as its ``parts``, each at a ``place`` of the deal.
    ``frozen`` is what it sounds like in every channel, level and trim left out, as long as it is what
    ``frozen_fingerprint`` says (``needle.render.freezing``).

    In a room ``pan`` is left to right, ``front`` back to front, ``height`` down to up; each side of a source panned
    as *sides* has its own, and stands over a part of the field as wide as its width (0…1) says. ``speaker_routing``
    says which loudspeakers may sound, ``room_rotation`` turns it with the whole room, ``lfe`` (dB) goes to the
    low-frequency channel. ``layers`` stand under it; with ``direct_muted`` only they sound.
    """

    id: str
    audio: Audio | GeneratedAudio
    asset: str = ""
    first_channel: int = 0
    offset: int = 0
    gain: float = 0.0
    muted: bool = False
    mode: str = "pan"
    swap_channels: bool = False
    invert_left: bool = False
    invert_right: bool = False
    delay_panning: str = "off"
    delay_panning_ms: float = 0.7
    level_share: float = 0.0
    double: bool = False
    double_ms: float = 0.0
    double_trim: float = 0.0
    shift: float = 0.0
    group_level: float = 0.0
    lanes: Mapping[str, Lane] = field(default_factory=dict)
    sends: Mapping[str, MixSend] = field(default_factory=dict)
    pulse: Pulsing | None = None
    group_pulse: Pulsing | None = None
    deal: Deal | None = None
    place: str = ""
    frozen: Audio | GeneratedAudio | None = None
    frozen_fingerprint: str = ""
    snap: bool = False
    room_rotation: float = 0.0
    speaker_routing: SpeakerRouting = PLAIN_ROUTING
    layers: tuple[MixLayer, ...] = ()
    direct_muted: bool = False

    def __post_init__(self) -> None:
        if self.audio.ndim != 2:
            raise NeedleError("mix.audio_shape")
        if self.mode != SIDE_BANDS:
            mode_for(self.mode, self.channels)
        timing_of(self.delay_panning, self.delay_panning_ms, self.level_share)

    @property
    def channels(self) -> int:
        return self.audio.shape[0]

    @property
    def panning(self) -> PlacementMode:
        """What panning means for it."""
        return BANDED if self.mode == SIDE_BANDS else MODES[self.mode]

    @property
    def by_side(self) -> bool:
        """Whether each of its sides has a place of its own."""
        return self.mode in (SIDES, SIDE_BANDS)

    @property
    def has_side_width(self) -> bool:
        """Whether a side of it stands over a part of the field."""
        return self.mode == SIDES and any(getattr(self, name) or name in self.lanes for name in _SIDE_WIDTHS)

    @property
    def pulses(self) -> tuple[Pulsing, ...]:
        """What moves it in rhythm: its own pulse, and its group's."""
        return tuple(pulse for pulse in (self.pulse, self.group_pulse) if pulse is not None)

    @property
    def still(self) -> "MixSource":
        """The source without what moves it in rhythm."""
        return replace(self, pulse=None, group_pulse=None) if self.pulses else self

    @cached_property
    def parts(self) -> tuple["MixSource", ...]:
        """What sounds of it: itself, or its dry centre and every place that it is dealt to."""
        return (self,) if self.deal is None else tuple(_dealt_parts(self, self.deal))

    def in_bands(self, rate: int) -> "MixSource":
        """The source with its sides taken apart into bands, at a rate (Hz), if one of them has a width."""
        if not self.has_side_width:
            return self
        sound = SideBands(self.audio, self.audio_description, rate)
        begins = self.offset - sound.half
        return replace(
            self,
            audio=sound,
            offset=begins,
            mode=SIDE_BANDS,
            asset="",
            first_channel=0,
            frozen=None,
            frozen_fingerprint="",
        )

    @cached_property
    def known_texts(self) -> dict[tuple[int, int, int], str]:
        """What its sound depends on, by rate (Hz) and two frames, as far as that was asked for."""
        return {}

    @cached_property
    def statics(self) -> str:
        """Every value that is not automated, as text."""
        values = {name: getattr(self, name) for name in _STATIC if name not in self.lanes}
        # What is new since something was frozen counts where it is not as it is at first.
        values = {name: value for name, value in values.items() if value != _NEW_DEFAULTS.get(name)}
        values = {label(name): value for name, value in values.items()}
        dealt = self.deal.text if self.deal else ""
        return f"{self.audio_description} {values} {dealt}"

    @cached_property
    def audio_description(self) -> str:
        """Which audio it is: an asset that is named by its content, or else the content itself."""
        if isinstance(self.audio, GeneratedAudio):
            return self.audio.text
        if re.fullmatch(r"[0-9a-f]{64}", self.asset):
            return f"{self.asset} {self.first_channel} {self.audio.shape}"
        content = np.ascontiguousarray(self.audio)
        return f"{hashlib.blake2b(content.data, digest_size=16).hexdigest()} {content.shape}"

    @property
    def to_lfe(self) -> bool:
        """Whether anything of it goes to the low-frequency channel."""
        return self.lfe > OFF_DB or "lfe" in self.lanes or self.speaker_routing.to_lfe

    def longest_delay(self, rate: int) -> int:
        """How many samples before a moment its placement may read; 0 if nothing of it is late."""
        latest = self.delay_panning_ms if self.delay_panning != "off" else 0.0
        if self.double:
            latest += self.double_ms
        return int(np.ceil(latest / 1000.0 * rate)) + REACH + BLOCK if latest else 0

    def sounds_between(self, start: int, stop: int, late: int = 0) -> bool:
        """Whether any of its audio lies between two frames of the session, or up to ``late`` frames earlier."""
        if self.frozen is not None and stop > 0 and start < self.frozen.shape[1] + late:
            return True
        if self.deal is not None:
            return any(part.sounds_between(start, stop, late) for part in self.parts)
        return self.offset < stop and start < self.offset + self.audio.shape[1] + late


_OTHERWISE = (
    "audio", "asset", "lanes", "sends", "muted", "id", "pulse", "group_pulse", "deal", "frozen", "frozen_fingerprint",
    "speaker_routing", "layers", "direct_muted",
)  # fmt: skip
_SIDE_WIDTHS = ("width_left", "width_right")
_FINGERPRINTED_FIRST = (
    "first_channel", "offset", "gain", "level", "trim", "mode", "pan", "pan_left", "pan_right", "level_left",
    "level_right", "span", "width", "swap_channels", "invert_left", "invert_right", "delay_panning",
    "delay_panning_ms", "level_share", "double", "double_ms", "double_trim", "shift", "group_level", "place", "front",
    "height", "front_left", "front_right", "height_left", "height_right", "spread", "rotation", "centre_level", "lfe",
    "snap", "room_rotation",
)  # fmt: skip
"""The order in which what was frozen long ago was described; what is new since comes after."""


def _order(name: str) -> int:
    return _FINGERPRINTED_FIRST.index(name) if name in _FINGERPRINTED_FIRST else len(_FINGERPRINTED_FIRST)


_NEW_DEFAULTS = {name: value for name, value in defaults_of("source").items() if name not in _FINGERPRINTED_FIRST}
_STATIC = tuple(sorted((f.name for f in fields(MixSource) if f.name not in _OTHERWISE), key=_order))


def _dealt_parts(source: MixSource, deal: Deal) -> Iterator[MixSource]:
    """A dealt source's dry centre, if it has one, and what sounds at every place."""
    plain = replace(source, deal=None, frozen=None, frozen_fingerprint="")
    voiced: dict[str, Any] = {"offset": 0, "mode": "pan", "asset": "", "first_channel": 0}
    if deal.has_dry:
        sound: dict[str, Any] = {"audio": DealtVoice(deal, None), **voiced} if deal.sound == "voice" else {}
        yield replace(plain, gain=source.gain + deal.dry, place="dry", **sound)
    lanes = {name: lane for name, lane in source.lanes.items() if name not in ("pan", "pan_left", "pan_right")}
    wide: dict[str, Any] = (
        {"mode": "span", "span": (source.pan_right - source.pan_left) / 2.0} if source.mode == "sides" else {}
    )
    for index, place in enumerate(deal.places):
        if place.level <= OFF_DB:
            continue
        placed: dict[str, Any] = {
            "lanes": lanes,
            "pan": place.pan,
            "gain": source.gain + place.level,
            "place": place.id,
        }
        for name in WHERE_IN_ROOM:
            if (at := getattr(place, name)) is not None:
                placed |= {name: at, "lanes": {key: lane for key, lane in placed["lanes"].items() if key != name}}
        if deal.sound == "voice":
            yield replace(plain, audio=DealtVoice(deal, index), **placed, **voiced)
        else:
            made = DealtSlices if place.shapes_slices else DealtStem
            stem = made(source.audio, source.audio_description, source.offset, deal, index)
            yield replace(plain, audio=stem, asset="", **placed, **wide)


@dataclass(frozen=True)
class MixReturn(Automated, values_class("return")):  # type: ignore[misc] # made of the parameters
    """An input in the mix's layout that sends feed, its effects, and its place: ``level`` dB, balance ``pan``,
    ``width`` 0…2; in a room also the balance of back and ``front``, of down and up (``height``), how far each channel
    is ``spread`` (degrees), ``rotation``, and how much of a reverb's tail is diffuse (``envelopment`` 0…1).

    Lanes may take the place of numbers. A ``pulse`` moves it in rhythm.
    """

    id: str
    chain: Chain = field(default_factory=Chain)
    muted: bool = False
    lanes: Mapping[str, Lane] = field(default_factory=dict)
    pulse: Pulsing | None = None
    room_rotation: float = 0.0

    @cached_property
    def values_text(self) -> str:
        """Every value that is not automated, as text."""
        return f"{_values_text(self, 'return')} {self.room_rotation}"

    def is_diffuse(self, room: Layout) -> bool:
        """Whether some of a reverb's tail is diffuse in a layout."""
        return room.surround and self.chain.has_room and bool(self.envelopment or "envelopment" in self.lanes)

    def reach(self, room: Layout, around: Around) -> tuple[int, int]:
        """Frames before and after a stretch that its output depends on."""
        reaches = [self.chain.reach(around)]
        if self.is_diffuse(room):
            reaches += [self.chain.with_early_rooms.reach(around), self.chain.diffuse_reach(around)]
        return max(past for past, _ in reaches), max(ahead for _, ahead in reaches)


@dataclass(frozen=True)
class Mix:
    """Sources that sound together: ``rate`` in Hz, ``length`` in seconds, one pan law and one ``layout`` for all."""

    rate: int
    length: float
    sources: tuple[MixSource, ...] = ()
    law: str = "constant-power"
    centre_zero: bool = False
    returns: tuple[MixReturn, ...] = ()
    tempo: TempoMap = field(default_factory=TempoMap)
    layout: str = "0+2+0"

    def __post_init__(self) -> None:
        law_named(self.law)
        layout_named(self.layout)

    @property
    def room(self) -> Layout:
        """The loudspeakers it is made for."""
        return layout_named(self.layout)

    @property
    def outputs(self) -> int:
        """How many channels it has."""
        return len(self.room.channels)

    @property
    def frames(self) -> int:
        """The length in frames."""
        return round(self.length * self.rate)

    @cached_property
    def around(self) -> Around:
        """What the effects know of the session."""
        return Around(self.rate, self.tempo)


def taken_by(source: MixSource, layer: MixLayer) -> list[MixLayer]:
    """A layer, the one that it takes from, and so on to the one that takes the source."""
    stack = list(source.layers)
    layers, index = [layer], stack.index(layer)
    while index > 0 and stack[index].input == "previous":
        index -= 1
        layers.append(stack[index])
    return layers
