"""The rules of ITU-R BS.2076-2 and BS.2088-1 for what a file must look like, written from the Recommendations and not
from what writes them: identifiers, references, times, ranges."""

import re
import struct
import xml.etree.ElementTree as ET
from collections.abc import Iterator

_IDS = {
    "audioProgramme": ("audioProgrammeID", r"APR_[0-9a-f]{4}"),
    "audioContent": ("audioContentID", r"ACO_[0-9a-f]{4}"),
    "audioObject": ("audioObjectID", r"AO_[0-9a-f]{4}"),
    "audioPackFormat": ("audioPackFormatID", r"AP_[0-9a-f]{8}"),
    "audioChannelFormat": ("audioChannelFormatID", r"AC_[0-9a-f]{8}"),
    "audioStreamFormat": ("audioStreamFormatID", r"AS_[0-9a-f]{8}"),
    "audioTrackFormat": ("audioTrackFormatID", r"AT_[0-9a-f]{8}_[0-9a-f]{2}"),
    "audioTrackUID": ("UID", r"ATU_[0-9a-f]{8}"),
}
_TIME = re.compile(r"^(\d\d):([0-5]\d):([0-5]\d)\.(\d{5,9})$")
_NEEDS = {
    "audioProgramme": ["audioContentIDRef"],
    "audioContent": ["audioObjectIDRef"],
    "audioObject": ["audioPackFormatIDRef", "audioTrackUIDRef"],
    "audioPackFormat": ["audioChannelFormatIDRef"],
    "audioChannelFormat": ["audioBlockFormat"],
    "audioStreamFormat": ["audioChannelFormatIDRef"],
    "audioTrackFormat": ["audioStreamFormatIDRef"],
    "audioTrackUID": ["audioPackFormatIDRef"],
}
_RANGES = {
    "azimuth": (-180.0, 180.0), "elevation": (-90.0, 90.0), "distance": (0.0, 1.0), "width": (0.0, 360.0),
    "height": (0.0, 360.0), "objectDivergence": (0.0, 1.0), "gain": (0.0, 1000.0),
}  # fmt: skip


def chunks(data: bytes) -> dict[bytes, bytes]:
    """The chunks of a BW64 file by name, sizes checked."""
    assert data[:4] == b"BW64", data[:4]
    assert data[4:8] == b"\xff\xff\xff\xff"
    assert data[8:16] == b"WAVEds64"
    riff, size = struct.unpack("<QQ", data[20:36])
    assert riff == len(data) - 8, (riff, len(data))
    found, at = {}, 12
    while at < len(data):
        name, length = data[at : at + 4], struct.unpack("<I", data[at + 4 : at + 8])[0]
        length = size if name == b"data" and length == 0xFFFFFFFF else length
        assert at + 8 + length <= len(data), name
        found[name] = data[at + 8 : at + 8 + length]
        at += 8 + length + length % 2
    return found


def check_file(data: bytes, rate: int, frames: int) -> ET.Element:
    """AssertionError if a file breaks a rule; its ``audioFormatExtended``."""
    found = chunks(data)
    tag, channels, told_rate, _, align, bits = struct.unpack("<HHIIHH", found[b"fmt "])
    assert (tag, told_rate, bits, align) == (1, rate, 24, channels * 3)
    assert len(found[b"data"]) == frames * align
    root = ET.fromstring(found[b"axml"])
    for element in root.iter():
        element.tag = element.tag.rpartition("}")[2]
    extended = root.find(".//audioFormatExtended")
    assert extended is not None
    by_id = _identifiers(extended)
    for name, needed in _NEEDS.items():
        for element in extended.findall(name):
            for child in needed:
                assert element.find(child) is not None, (name, child)
    for element in extended.iter():
        if element.tag.endswith("IDRef") or element.tag == "audioTrackUIDRef":
            kind = element.tag.removesuffix("Ref").removesuffix("ID").removesuffix("U")
            kind = "audioTrackUID" if element.tag == "audioTrackUIDRef" else kind
            assert by_id[element.text].tag == kind, element.text
    _check_tracks(found[b"chna"], channels, by_id)
    length = frames / rate
    for channel in extended.findall("audioChannelFormat"):
        _check_channel(channel, length)
    return extended


def _identifiers(extended: ET.Element) -> dict[str, ET.Element]:
    by_id: dict[str, ET.Element] = {}
    for element in extended:
        attribute, pattern = _IDS[element.tag]
        key = element.get(attribute, "")
        assert re.fullmatch(pattern, key), key
        assert key not in by_id, key
        by_id[key] = element
        if element.tag in ("audioPackFormat", "audioChannelFormat"):
            assert element.get("typeLabel") == key[3:7], key
    return by_id


def _check_tracks(body: bytes, channels: int, by_id: dict[str, ET.Element]) -> None:
    tracks, count = struct.unpack("<HH", body[:4])
    assert tracks == channels
    assert len(body) == 4 + 40 * count
    seen = set()
    for row in range(count):
        index, uid, track, pack = struct.unpack("<H12s14s11sx", body[4 + 40 * row : 44 + 40 * row])
        assert 1 <= index <= channels
        seen.add(index)
        told = by_id[uid.decode()]
        assert told.findtext("audioTrackFormatIDRef") == track.decode()
        assert told.findtext("audioPackFormatIDRef") == pack.decode()
    assert len(seen) == channels


def _check_channel(channel: ET.Element, length: float) -> None:
    key = channel.get("audioChannelFormatID", "")
    blocks = channel.findall("audioBlockFormat")
    at = 0
    for number, block in enumerate(blocks, start=1):
        assert block.get("audioBlockFormatID") == f"AB_{key[3:]}_{number:08x}"
        if key[3:7] == "0003":
            start, duration = _steps(block.get("rtime")), _steps(block.get("duration"))
            # Blocks follow each other without a gap or an overlap, to the very end.
            assert start == at, (key, number)
            assert duration > 0, (key, number)
            at += duration
        for name, value in _numbers(block):
            low, high = _RANGES[name]
            assert low <= value <= high, (name, value)
        for zone in block.findall("zoneExclusion/zone"):
            limits = {k: float(v) for k, v in zone.attrib.items()}
            assert set(limits) == {"minAzimuth", "maxAzimuth", "minElevation", "maxElevation"}
            assert limits["minElevation"] <= limits["maxElevation"]
    if key[3:7] == "0003":
        assert abs(at / 1e5 - length) <= 1e-4, (at, length)


def _numbers(block: ET.Element) -> Iterator[tuple[str, float]]:
    for element in block:
        if element.tag == "position":
            yield element.get("coordinate", ""), float(element.text or "")
        elif element.tag in _RANGES:
            yield element.tag, float(element.text or "")


def _steps(text: str | None) -> int:
    matched = _TIME.match(text or "")
    assert matched, text
    hours, minutes, seconds, part = matched.groups()
    return (int(hours) * 3600 + int(minutes) * 60 + int(seconds)) * 100_000 + int(part[:5])
