"""An ADM file read: what its tracks are, and how its objects move (ITU-R BS.2076-2; timing and interpolation as in
BS.2127-0, 7.3)."""

import math
import re
import xml.etree.ElementTree as ET
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from needle.errors import NeedleError
from needle.io.adm.model import NUMBERS, AdmObject, AdmProgramme, Channel, Moves, SpeakerPlace, Zone
from needle.io.adm.steps import crossfade_times
from needle.io.audio import AudioInfo
from needle.io.bw64 import TrackRow, description_of
from needle.messages import Message
from needle.room_coordinates import room_to_polar
from needle.units import db_to_gain

MOST_BLOCKS = 1_000_000
_OBJECTS, _SPEAKERS = "0003", "0001"
_DIVERGENCE_RANGE = 30.0
"""How far to either side a divergent object sounds here (degrees)."""

_DEFAULT_DIVERGENCE_RANGE = 45.0
"""The same in a file that does not say it (BS.2076-2, objectDivergence)."""

_ALIKE_DEGREES = 1.0
"""Width and height that differ by no more are taken as alike."""

_TYPES = {"0002": "matrix", "0004": "sound_field", "0005": "binaural"}
_CLOCK = re.compile(r"^(\d{1,3}):(\d{1,2}):(\d{1,2})(?:\.(\d{1,12})(?:S(\d{1,9}))?)?$")


def read_programme(path: Path, info: AudioInfo) -> AdmProgramme:
    """The first programme of a file whose sound is ``info``, or everything if it names none.

    NeedleError if there is nothing in it that can be taken. What is left out is in the programme's ``notes``.
    """
    rows, xml = description_of(path)
    root = _parsed(path, xml)
    return _Reader(path, root, rows, info).programme()


def _parsed(path: Path, xml: bytes) -> ET.Element:
    try:
        # Whatever its encoding is: what it declares of itself is read before anything in it is unfolded.
        root = fromstring(xml.rstrip(b"\0 \r\n\t"), forbid_dtd=True)
    except DefusedXmlException as error:
        raise NeedleError("adm.document_type", file=path.name) from error
    except (ET.ParseError, ValueError, LookupError) as error:
        raise NeedleError("adm.damaged", file=path.name, reason=error) from error
    for element in root.iter():
        # Whoever wrote it may have put any namespace in front.
        element.tag = element.tag.rpartition("}")[2] if isinstance(element.tag, str) else ""
    result = root if root.tag == "audioFormatExtended" else root.find(".//audioFormatExtended")
    if result is None:
        raise NeedleError("adm.no_format", file=path.name)
    return result


@dataclass
class _Block:
    """A block as it is told: from ``start`` to ``end`` (s); ``ramp`` is how long (s) it takes to get there."""

    start: float
    end: float
    ramp: float
    values: dict[str, float]
    zones: tuple[Zone, ...]
    lock: bool


class _Reader:
    def __init__(self, path: Path, root: ET.Element, rows: list[TrackRow], info: AudioInfo) -> None:
        self.path, self.root, self.rows, self.info = path, root, rows, info
        self.notes: list[Message] = []
        self._by_id: dict[str, ET.Element] = {}
        for element in root:
            key = element.get(f"{element.tag}ID") or element.get("UID")
            if key:
                self._by_id[key] = element
        self._noted: set[tuple[str, str]] = set()
        self._parents: dict[str, ET.Element] = {}
        self._blocks_left = MOST_BLOCKS

    def programme(self) -> AdmProgramme:
        top = self.root.find("audioProgramme")
        chosen = self._chosen(top)
        result = [item for element in chosen if (item := self._object(element))]
        if not result:
            if self.notes:
                raise NeedleError("adm.no_objects_because", file=self.path.name, reason=self.notes[0])
            raise NeedleError("adm.no_objects", file=self.path.name)
        name = (top.get("audioProgrammeName") if top is not None else "") or self.path.stem
        return AdmProgramme(name, self.info.seconds, tuple(result), tuple(dict.fromkeys(self.notes)))

    def _chosen(self, top: ET.Element | None) -> list[ET.Element]:
        """The audioObjects of a programme, those inside others too, each once; all of them without a programme."""
        if len(self.root.findall("audioProgramme")) > 1:
            self.notes.append(Message("adm.first_programme"))
        waiting = []
        for content in _refs(top, "audioContentIDRef") if top is not None else []:
            waiting += _refs(self._by_id.get(content), "audioObjectIDRef")
        if not waiting:
            return self.root.findall("audioObject")
        result: dict[str, ET.Element] = {}
        while waiting:
            key = waiting.pop(0)
            element = self._by_id.get(key)
            if element is None or key in result or element.tag != "audioObject":
                continue
            result[key] = element
            inside = _refs(element, "audioObjectIDRef")
            for item in inside:
                self._parents.setdefault(item, element)
            waiting += inside
        return list(result.values())

    def _ancestors(self, element: ET.Element) -> list[ET.Element]:
        """The objects in which an object is, the nearest first."""
        ancestors: list[ET.Element] = []
        key = element.get("audioObjectID") or ""
        while (parent := self._parents.get(key)) is not None and parent not in ancestors:
            ancestors.append(parent)
            key = parent.get("audioObjectID") or ""
        return ancestors

    def _object(self, element: ET.Element) -> AdmObject | None:
        name = (element.get("audioObjectName") or element.get("audioObjectID") or "Object")[:100]
        start = _seconds(element.get("start"), 0.0)
        nested = [element, *self._ancestors(element)]
        gain = math.prod(_gain(item.find("gain")) for item in nested)
        if any((item.findtext("mute") or "").strip() in ("1", "true") for item in nested):
            self.notes.append(Message("adm.muted", name=name))
            return None
        if any(item.find("positionOffset") is not None for item in nested):
            self.notes.append(Message("adm.position_offset", name=name))
        channels = []
        for uid in _refs(element, "audioTrackUIDRef"):
            row = next((row for row in self.rows if row.uid == uid), None)
            if row is None or row.track >= self.info.channels:
                missing = "adm.track_missing" if uid != "ATU_00000000" else "adm.silent_track"
                self.notes.append(Message(missing, name=name))
                continue
            channel = self._channel(row, name, start, gain)
            if channel is not None:
                channels.append(channel)
        self._note_pair(name, channels)
        moving = tuple(channel for channel in channels if channel.moves is not None)
        standing = tuple(channel for channel in channels if channel.speaker is not None)
        blocks = moving or standing
        return AdmObject(name, blocks) if blocks else None

    def _note_pair(self, name: str, channels: list[Channel]) -> None:
        """List what only the first of two channels can have here."""
        moves = [channel.moves for channel in channels if channel.moves is not None]
        if len(moves) != 2:
            return
        for number in ("extent", "divergence"):
            first, second = (getattr(channel_moves, number) for channel_moves in moves)
            if not np.array_equal(np.unique(first), np.unique(second)):
                self.notes.append(Message(f"adm.other_{number}", name=name))

    def _note_block(self, name: str, element: ET.Element, begins: float) -> None:
        """List what of a block cannot be taken, with its time."""
        at = _clock_text(begins)
        for tag in ("diffuse", "depth"):
            if _child(element, tag) != 0.0:
                self._note_once(Message(f"adm.{tag}", name=name, at=at))
        lock = element.find("channelLock")
        if lock is not None and lock.get("maxDistance"):
            self._note_once(Message("adm.lock_distance", name=name, at=at))
        width, height = _child(element, "width"), _child(element, "height")
        if abs(width - height) > _ALIKE_DEGREES:
            self._note_once(Message("adm.extent_shape", name=name, at=at, width=width, height=height))
        if element.find("zoneExclusion/zone[@minX]") is not None:
            self._note_once(Message("adm.room_zones", name=name, at=at))
        divergence = element.find("objectDivergence")
        if divergence is not None and _child(element, "objectDivergence"):
            degrees = _float(divergence.get("azimuthRange"), _DEFAULT_DIVERGENCE_RANGE)
            if abs(degrees - _DIVERGENCE_RANGE) > 0.01:
                self._note_once(Message("adm.divergence", name=name, at=at, degrees=degrees, ours=_DIVERGENCE_RANGE))

    def _note_once(self, note: Message) -> None:
        """List what is so for the first time for the object that it names."""
        key = str(note.parameters["name"]), note.code
        if key not in self._noted:
            self._noted.add(key)
            self.notes.append(note)

    def _channel(self, row: TrackRow, name: str, start: float, gain: float) -> Channel | None:
        element = self._channel_format(row)
        if element is None:
            self.notes.append(Message("adm.channel_missing", name=name))
            return None
        called = element.get("audioChannelFormatName") or name
        kind = _type_of(element)
        blocks = element.findall("audioBlockFormat")
        if kind == _SPEAKERS and blocks:
            return Channel(row.track, called[:100], speaker=_speaker(blocks[0], called, gain))
        if kind != _OBJECTS or not blocks:
            self.notes.append(Message(f"adm.{_TYPES.get(kind, 'unknown_type')}", name=name))
            return None
        self._blocks_left -= len(blocks)
        if self._blocks_left < 0:
            raise NeedleError("adm.too_many_blocks", file=self.path.name, most=MOST_BLOCKS)
        moves = _moves(self._blocks(name, blocks, start, gain))
        for begins in crossfade_times(moves)[:1]:
            self.notes.append(Message("adm.crossfades", name=name, at=_clock_text(begins)))
        return Channel(row.track, called[:100], moves=moves)

    def _channel_format(self, row: TrackRow) -> ET.Element | None:
        """The channel format of a track, by whatever way the file goes to it."""
        track = self._by_id.get(row.uid)
        names = [row.format]
        if track is not None:
            names += _refs(track, "audioTrackFormatIDRef") + _refs(track, "audioChannelFormatIDRef")
        for name in names:
            if name.startswith("AC_"):
                key = name.removesuffix("_00")
                if key in self._by_id:
                    return self._by_id[key]
                continue
            for stream in _refs(self._by_id.get(name), "audioStreamFormatIDRef"):
                for channel in _refs(self._by_id.get(stream), "audioChannelFormatIDRef"):
                    if channel in self._by_id:
                        return self._by_id[channel]
            # A stream may name its tracks without being named by them.
            for element in self.root.findall("audioStreamFormat"):
                if name in _refs(element, "audioTrackFormatIDRef"):
                    for channel in _refs(element, "audioChannelFormatIDRef"):
                        if channel in self._by_id:
                            return self._by_id[channel]
        return None

    def _blocks(self, name: str, elements: list[ET.Element], start: float, gain: float) -> Iterator[_Block]:
        zones: tuple[Zone, ...] | None = None
        for element in elements:
            begins = start + _seconds(element.get("rtime"), 0.0)
            lasts = _seconds(element.get("duration"), math.inf)
            jump = element.find("jumpPosition")
            jumps = jump is not None and (jump.text or "").strip() in ("1", "true")
            length = _float(jump.get("interpolationLength"), 0.0) if jump is not None else 0.0
            self._note_block(name, element, begins)
            here = _zones(element)
            if zones is not None and here != zones:
                self._note_once(Message("adm.later_zones", name=name, at=_clock_text(begins)))
            zones = here if zones is None else zones
            values = _place(element)
            values["gain"] = _gain(element.find("gain")) * gain
            values["extent"] = min(max(_child(element, "width"), _child(element, "height"), 0.0), 360.0)
            values["divergence"] = min(max(_child(element, "objectDivergence"), 0.0), 1.0)
            lock = (element.findtext("channelLock") or "").strip() in ("1", "true")
            ramp = max(length, 0.0) if jumps else math.inf
            yield _Block(begins, begins + max(lasts, 0.0), ramp, values, here, lock)


def _moves(blocks: Iterator[_Block]) -> Moves:
    """The corners of what blocks tell: each leads from where the last one came to, or jumps and stays."""
    times: list[float] = []
    rows: list[_Block] = []

    def corner(at: float, block: _Block) -> None:
        if times and at <= times[-1]:
            # Two values at one time: the later one takes over a moment later.
            at = math.nextafter(times[-1], math.inf)
        times.append(max(at, 0.0))
        rows.append(block)

    for block in blocks:
        if not rows:
            corner(0.0, block)
            continue
        before = rows[-1]
        if block.start > times[-1]:
            corner(block.start, before)
        end = block.end if math.isfinite(block.end) else block.start
        ramp = min(block.ramp, end - block.start)
        corner(block.start + ramp, block)
        if end > times[-1]:
            corner(end, block)
    numbers = {name: np.array([row.values[name] for row in rows]) for name in NUMBERS}
    numbers["azimuth"] = np.unwrap(numbers["azimuth"], period=360.0)
    return Moves(
        np.array(times), **numbers, zones=tuple(row.zones for row in rows), lock=tuple(row.lock for row in rows)
    )


def _clock_text(seconds: float) -> str:
    minutes, rest = divmod(max(seconds, 0.0), 60.0)
    return f"{int(minutes)}:{rest:05.2f}"


def _place(element: ET.Element) -> dict[str, float]:
    result: dict[str, float] = {}
    for position in element.findall("position"):
        result[(position.get("coordinate") or "").lower()] = _float(position.text, 0.0)
    if (element.findtext("cartesian") or "").strip() in ("1", "true") or {"x", "y"} & result.keys():
        room = [min(max(result.get(axis, 0.0), -1.0), 1.0) for axis in "xyz"]
        azimuth, elevation, distance = map(float, room_to_polar(*room))
    else:
        azimuth = result.get("azimuth", 0.0)
        elevation, distance = result.get("elevation", 0.0), result.get("distance", 1.0)
    limited = min(max(elevation, -90.0), 90.0), min(max(distance, 0.0), 1.0)
    return {"azimuth": math.fmod(azimuth, 360.0), "elevation": limited[0], "distance": limited[1]}


def _speaker(block: ET.Element, name: str, gain: float) -> SpeakerPlace:
    label = (block.findtext("speakerLabel") or name).strip().rpartition(":")[2][:16]
    place = _place(block)
    return SpeakerPlace(label, place["azimuth"], place["elevation"], gain * _gain(block.find("gain")))


def _zones(element: ET.Element) -> tuple[Zone, ...]:
    result = []
    for zone in element.findall("zoneExclusion/zone"):
        limits = [_float(zone.get(name), math.nan) for name in _LIMITS]
        if all(map(math.isfinite, limits)):
            result.append(Zone(*limits))
    return tuple(result)


_LIMITS = ("minAzimuth", "maxAzimuth", "minElevation", "maxElevation")


def _type_of(element: ET.Element) -> str:
    label = element.get("typeLabel") or ""
    if label:
        return label
    return {"Objects": _OBJECTS, "DirectSpeakers": _SPEAKERS}.get(element.get("typeDefinition") or "", "")


def _refs(element: ET.Element | None, name: str) -> list[str]:
    return [] if element is None else [(reference.text or "").strip() for reference in element.findall(name)]


def _child(element: ET.Element, name: str) -> float:
    return _float(element.findtext(name), 0.0)


def _float(text: str | None, otherwise: float) -> float:
    try:
        value = float(text or "")
    except ValueError:
        return otherwise
    return value if math.isfinite(value) else otherwise


def _gain(element: ET.Element | None) -> float:
    if element is None:
        return 1.0
    if (element.get("gainUnit") or "linear").lower() == "db":
        return float(db_to_gain(min(_float(element.text, 0.0), 60.0)))
    return min(max(_float(element.text, 1.0), 0.0), 1000.0)


def _seconds(text: str | None, otherwise: float) -> float:
    """A time as the XML has it, hh:mm:ss.zzzzz or hh:mm:ss.zzzzzSfffff (BS.2076-2, 10.3), in seconds."""
    if not text:
        return otherwise
    matched = _CLOCK.match(text.strip())
    if not matched:
        raise NeedleError("adm.not_a_time", text=text[:40])
    hours, minutes, seconds, part, of = matched.groups()
    whole = int(hours) * 3600 + int(minutes) * 60 + int(seconds)
    if not part:
        return float(whole)
    share = int(part) / int(of) if of and int(of) else int(part) / 10 ** len(part)
    return whole + share
