"""An ADM programme as XML, and a mix as a BW64 file with it (ITU-R BS.2076-2, BS.2088-1)."""

import xml.etree.ElementTree as ET
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from needle.errors import NeedleError
from needle.io.adm.from_mix import AdmExport, beds_within, passage, track_audio
from needle.io.adm.model import NUMBERS, STEPS_A_SECOND, AdmObject, AdmProgramme, Channel, Moves, Zone
from needle.io.bw64 import Bw64Writer, TrackRow
from needle.mix.model import Mix
from needle.render.cache import RenderCache

OBJECTS, SPEAKERS = "0003", "0001"
_TYPES = {OBJECTS: "Objects", SPEAKERS: "DirectSpeakers"}
_FIRST_STEPS = 5
"""The first block only says where an object is after 50 µs, for so long; the next one leads on from there."""

_CACHE_BYTES = 256 << 20
_AT_ONCE_SECONDS = 4
_LOOKING = 0.3
"""The share of the work that is done once it is known how loud the beds are."""


def write_adm(path: Path, mix: Mix, export: AdmExport, start: int = 0, stop: int | None = None) -> Iterator[float]:
    """Write a mix that was told as objects and beds; the share that is done, again and again.

    ``start`` and ``stop`` (frames) cut a passage out of it, which begins at 0 s in the file. Who asks may stop
    between any two; the file is whole only at the end. Memory does not grow with the length.
    NeedleError if nothing sounds.
    """
    if not export.programme.objects:
        raise NeedleError("adm.nothing_sounds")
    stop = mix.frames if stop is None else stop
    if (start, stop) != (0, mix.frames):
        export = passage(export, start / mix.rate, stop / mix.rate)
    step = _AT_ONCE_SECONDS * mix.rate
    stretches = [(low, min(low + step, stop)) for low in range(start, stop, step)]
    peaks = np.zeros(export.programme.tracks, np.float32)
    cache = RenderCache(_CACHE_BYTES)
    looking = _LOOKING if any(item.bed for item in export.programme.objects) else 0.0
    for low, high in stretches if looking else ():
        beds = track_audio(export, low, high, beds_only=True, cache=cache)
        peaks = np.maximum(peaks, np.abs(beds).max(axis=1, initial=0.0))
        yield looking * (high - start) / (stop - start)
    export = beds_within(export, peaks)
    rows, xml = described(export.programme, mix.rate)
    with Bw64Writer(path, mix.rate, len(peaks), stop - start) as writer:
        for low, high in stretches:
            writer.write(track_audio(export, low, high, cache=cache))
            yield looking + (1.0 - looking) * (high - start) / (stop - start)
        writer.describe(rows, xml)


def described(programme: AdmProgramme, rate: int) -> tuple[list[TrackRow], bytes]:
    """The track list of a programme, and its XML."""
    root = ET.Element("ebuCoreMain", {"xmlns": "urn:ebu:metadata-schema:ebuCore_2016", "xml:lang": "en"})
    inner = ET.SubElement(ET.SubElement(root, "coreMetadata"), "format")
    extended = ET.SubElement(inner, "audioFormatExtended", {"version": "ITU-R_BS.2076-2"})
    builder = _Builder(extended, programme, rate)
    builder.build()
    ET.indent(root, " ")
    text = ET.tostring(root, encoding="unicode", xml_declaration=False)
    return builder.rows, ('<?xml version="1.0" encoding="UTF-8"?>\n' + text + "\n").encode("utf-8")


def clock(steps: int) -> str:
    """A time in steps of 10 µs as the XML has it: hh:mm:ss.zzzzz."""
    seconds, rest = divmod(steps, STEPS_A_SECOND)
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}.{rest:05}"


class _Builder:
    """Puts a programme's elements under ``audioFormatExtended``, kind by kind, as the Recommendation lists them."""

    def __init__(self, extended: ET.Element, programme: AdmProgramme, rate: int) -> None:
        self.extended, self.programme, self.rate = extended, programme, rate
        self.rows: list[TrackRow] = []
        self.steps = max(round(programme.seconds * STEPS_A_SECOND), _FIRST_STEPS + 1)
        self._parts: dict[str, list[ET.Element]] = {kind: [] for kind in _ORDER}
        self._numbers = {OBJECTS: 0x1000, SPEAKERS: 0x1000}
        self._packs = {OBJECTS: 0x1000, SPEAKERS: 0x1000}

    def build(self) -> None:
        name = self.programme.name
        edges = {"start": clock(0), "end": clock(self.steps)}
        top = self._add("audioProgramme", {"audioProgrammeID": "APR_1001", "audioProgrammeName": name, **edges})
        content = self._add("audioContent", {"audioContentID": "ACO_1001", "audioContentName": name})
        _text(top, "audioContentIDRef", "ACO_1001")
        for number, item in enumerate(self.programme.objects, start=0x1001):
            _text(content, "audioObjectIDRef", f"AO_{number:04x}")
            self._object(f"AO_{number:04x}", item)
        _text(content, "dialogue", "2", {"mixedContentKind": "0"})
        for kind in _ORDER:
            self.extended.extend(self._parts[kind])

    def _add(self, kind: str, attributes: dict[str, str]) -> ET.Element:
        element = ET.Element(kind, attributes)
        self._parts[kind].append(element)
        return element

    def _object(self, key: str, one: AdmObject) -> None:
        kind = SPEAKERS if one.bed else OBJECTS
        self._packs[kind] += 1
        pack_id = f"AP_{kind}{self._packs[kind]:04x}"
        times = {"start": clock(0), "duration": clock(self.steps)}
        element = self._add("audioObject", {"audioObjectID": key, "audioObjectName": one.name, **times})
        _text(element, "audioPackFormatIDRef", pack_id)
        names = {"audioPackFormatID": pack_id, "audioPackFormatName": one.name, **_type(kind)}
        pack = self._add("audioPackFormat", names)
        for channel in one.channels:
            self._numbers[kind] += 1
            tail = f"{kind}{self._numbers[kind]:04x}"
            uid = f"ATU_{channel.track + 1:08x}"
            _text(element, "audioTrackUIDRef", uid)
            _text(pack, "audioChannelFormatIDRef", f"AC_{tail}")
            self._channel(tail, kind, channel)
            self._track(tail, channel.name, uid, pack_id)
            self.rows.append(TrackRow(channel.track, uid, f"AT_{tail}_01", pack_id))

    def _channel(self, tail: str, kind: str, channel: Channel) -> None:
        names = {"audioChannelFormatID": f"AC_{tail}", "audioChannelFormatName": channel.name, **_type(kind)}
        element = self._add("audioChannelFormat", names)
        if channel.speaker is not None:
            block = ET.SubElement(element, "audioBlockFormat", {"audioBlockFormatID": f"AB_{tail}_00000001"})
            place = channel.speaker
            _text(block, "speakerLabel", place.label)
            _position(block, "azimuth", place.azimuth)
            _position(block, "elevation", place.elevation)
            _position(block, "distance", 1.0)
            if place.gain != 1.0:
                _text(block, "gain", _number(place.gain))
            if place.lfe:
                ET.SubElement(element, "frequency", {"typeDefinition": "lowPass"}).text = "120"
        elif channel.moves is not None:
            self._blocks(element, tail, channel.moves)

    def _blocks(self, element: ET.Element, tail: str, moves: Moves) -> None:
        steps = [min(round(float(t) * STEPS_A_SECOND), self.steps) for t in moves.times]
        # Of times that rounding brings together the last one counts; so does what the first block has no time for.
        indices: list[int] = []
        for index, step in enumerate(steps):
            if indices and step <= max(steps[indices[-1]], _FIRST_STEPS):
                indices[-1] = index
            else:
                indices.append(index)
        ends = [_FIRST_STEPS, *(steps[i] for i in indices[1:])] if len(indices) > 1 else [self.steps]
        if ends[-1] < self.steps:
            ends.append(self.steps)
            indices.append(indices[-1])
        begins = 0
        for number, (index, end) in enumerate(zip(indices, ends, strict=True), start=1):
            times = {"rtime": clock(begins), "duration": clock(end - begins)}
            named = {"audioBlockFormatID": f"AB_{tail}_{number:08x}", **times}
            block = ET.SubElement(element, "audioBlockFormat", named)
            values = {name: float(getattr(moves, name)[index]) for name in NUMBERS}
            if number == 1 and len(indices) > 1:
                values = self._under_way(moves, index, indices[1])
            self._block(block, values, moves, index, first=number == 1)
            begins = end

    @staticmethod
    def _under_way(moves: Moves, first: int, then: int) -> dict[str, float]:
        """Where the first block ends, on the way to the next corner: the line from there on is as it was."""
        at = np.clip(_FIRST_STEPS / STEPS_A_SECOND, *moves.times[[first, then]])
        corners = [first, then]
        return {name: float(np.interp(at, moves.times[corners], getattr(moves, name)[corners])) for name in NUMBERS}

    @staticmethod
    def _block(block: ET.Element, values: dict[str, float], moves: Moves, index: int, first: bool) -> None:
        _position(block, "azimuth", _wrapped(values["azimuth"]))
        _position(block, "elevation", values["elevation"])
        _position(block, "distance", values["distance"])
        if values["extent"]:
            for name in ("width", "height"):
                _text(block, name, _number(values["extent"]))
        _text(block, "gain", _number(values["gain"]))
        if moves.lock[index]:
            _text(block, "channelLock", "1")
        if values["divergence"]:
            _text(block, "objectDivergence", _number(values["divergence"]), {"azimuthRange": "30.0"})
        if first:
            _text(block, "jumpPosition", "1")
        if moves.zones[index]:
            zones = ET.SubElement(block, "zoneExclusion")
            for zone in moves.zones[index]:
                ET.SubElement(zones, "zone", _limits(zone)).text = ""

    def _track(self, tail: str, name: str, uid: str, pack: str) -> None:
        stream = self._add(
            "audioStreamFormat",
            {"audioStreamFormatID": f"AS_{tail}", "audioStreamFormatName": name, **_PCM},
        )
        _text(stream, "audioChannelFormatIDRef", f"AC_{tail}")
        _text(stream, "audioTrackFormatIDRef", f"AT_{tail}_01")
        track = self._add(
            "audioTrackFormat",
            {"audioTrackFormatID": f"AT_{tail}_01", "audioTrackFormatName": name, **_PCM},
        )
        _text(track, "audioStreamFormatIDRef", f"AS_{tail}")
        track_uid = self._add("audioTrackUID", {"UID": uid, "sampleRate": str(self.rate), "bitDepth": "24"})
        _text(track_uid, "audioTrackFormatIDRef", f"AT_{tail}_01")
        _text(track_uid, "audioPackFormatIDRef", pack)


_ORDER = (
    "audioProgramme", "audioContent", "audioObject", "audioPackFormat", "audioChannelFormat", "audioStreamFormat",
    "audioTrackFormat", "audioTrackUID",
)  # fmt: skip
_PCM = {"formatLabel": "0001", "formatDefinition": "PCM"}


def _type(kind: str) -> dict[str, str]:
    return {"typeLabel": kind, "typeDefinition": _TYPES[kind]}


def _text(under: ET.Element, name: str, text: str, attributes: dict[str, str] | None = None) -> None:
    ET.SubElement(under, name, attributes or {}).text = text


def _position(block: ET.Element, coordinate: str, value: float) -> None:
    _text(block, "position", _number(value), {"coordinate": coordinate})


def _number(value: float) -> str:
    return f"{value:.6f}"


def _wrapped(azimuth: float) -> float:
    """Within -180…180."""
    return (azimuth + 180.0) % 360.0 - 180.0


def _limits(zone: Zone) -> dict[str, str]:
    return {
        "minElevation": _number(max(zone.min_elevation, -90.0)),
        "maxElevation": _number(min(zone.max_elevation, 90.0)),
        "minAzimuth": _number(_wrapped(zone.min_azimuth)),
        "maxAzimuth": _number(_wrapped(zone.max_azimuth)),
    }
