"""A small renderer of object audio files by the rules of ITU-R BS.2127-0, 7.3, for tests: it reads the XML by itself.

It shares the static panner with the product: the power of a point on each speaker. How gains follow from block to
block, what jumps, and how objects diverge, follows the Recommendation here.
"""

import re
import xml.etree.ElementTree as ET
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from needle.dsp.room_panner import apply_speaker_mask, polar_powers
from needle.io.bw64 import description_of, opened
from needle.layouts import Layout
from needle.room_coordinates import room_to_polar


@dataclass
class Block:
    """From ``start`` on (s), the gains come to ``gains`` within ``ramp`` seconds, and stay until ``end``."""

    start: float
    end: float
    ramp: float
    gains: np.ndarray


def seconds(text: str | None, otherwise: float) -> float:
    if not text:
        return otherwise
    hours, minutes, rest, part, of = re.fullmatch(r"(\d+):(\d+):(\d+)(?:\.(\d+)(?:S(\d+))?)?", text).groups()
    fraction = (int(part) / (int(of) if of else 10 ** len(part))) if part else 0.0
    return int(hours) * 3600 + int(minutes) * 60 + int(rest) + fraction


def number(element: ET.Element | None, otherwise: float) -> float:
    return otherwise if element is None or not element.text else float(element.text)


def gain_of(element: ET.Element) -> float:
    gain = element.find("gain")
    if gain is not None and gain.get("gainUnit") == "dB":
        return 10.0 ** (float(gain.text) / 20.0)
    return number(gain, 1.0)


def gains_of(block: ET.Element, layout: Layout) -> np.ndarray:
    """The gain vector of a block: (speakers,)."""
    place = {position.get("coordinate").lower(): float(position.text) for position in block.findall("position")}
    if (block.findtext("cartesian") or "0") in ("1", "true"):
        azimuth, elevation, distance = room_to_polar(place["x"], place["y"], place.get("z", 0.0))
    else:
        azimuth, elevation, distance = place["azimuth"], place["elevation"], place.get("distance", 1.0)
    extent = max(number(block.find("width"), 0.0), number(block.find("height"), 0.0))
    lock = (block.findtext("channelLock") or "0") in ("1", "true")
    powers = np.zeros(len(layout.speakers))
    for turn, share in diverged(block.find("objectDivergence")):
        powers += share * polar_powers(layout, azimuth + turn, elevation, distance, extent, 1.0, lock).ravel()
    zones = [
        [float(zone.get(name)) for name in ("minAzimuth", "maxAzimuth", "minElevation", "maxElevation")]
        for zone in block.findall("zoneExclusion/zone")
    ]
    off = frozenset(
        s.name
        for s in layout.speakers
        if any(z[0] <= s.azimuth <= z[1] and z[2] <= s.elevation <= z[3] for z in zones)
    )
    powers = apply_speaker_mask(layout, powers, {off: 1.0}) if off else powers
    return np.sqrt(powers) * gain_of(block)


def diverged(element: ET.Element | None) -> list[tuple[float, float]]:
    """Turns (degrees) and the shares of the power there: (1 - d) / (1 + d) stays, d / (1 + d) goes to either side."""
    d = number(element, 0.0)
    if not d:
        return [(0.0, 1.0)]
    degrees = float(element.get("azimuthRange", 45.0))
    return [(0.0, (1.0 - d) / (1.0 + d)), (degrees, d / (1.0 + d)), (-degrees, d / (1.0 + d))]


def blocks_of(channel: ET.Element, start: float, layout: Layout, gain: float) -> list[Block]:
    blocks = []
    for element in channel.findall("audioBlockFormat"):
        begins = start + seconds(element.get("rtime"), 0.0)
        lasts = seconds(element.get("duration"), np.inf)
        jump = element.find("jumpPosition")
        jumps = jump is not None and jump.text in ("1", "true")
        ramp = float(jump.get("interpolationLength", 0.0)) if jumps else lasts
        blocks.append(Block(begins, begins + lasts, ramp, gains_of(element, layout) * gain))
    return blocks


def gains_over(blocks: list[Block], times: np.ndarray) -> np.ndarray:
    """The gains at each time (s), (speakers, times). The first block holds; later ones ramp from the one before."""
    gains = np.zeros((len(blocks[0].gains), len(times)))
    before = blocks[0].gains
    holds = np.maximum(np.searchsorted([block.start - 1e-9 for block in blocks], times, side="right") - 1, 0)
    for index, block in enumerate(blocks):
        inside = holds == index
        if index == 0 or block.ramp <= 0.0 or not np.isfinite(block.ramp):
            gains[:, inside] = block.gains[:, np.newaxis]
        else:
            share = np.clip((times[inside] - block.start) / block.ramp, 0.0, 1.0)
            gains[:, inside] = before[:, np.newaxis] + share * (block.gains - before)[:, np.newaxis]
        before = block.gains
    return gains


def rendered(path: Path, layout: Layout) -> np.ndarray:
    """A file of objects, rendered: (speakers, frames)."""
    rows, xml = description_of(path)
    root = ET.fromstring(xml.rstrip(b"\0 \r\n\t"))
    for element in root.iter():
        element.tag = element.tag.rpartition("}")[2]
    by_id = {item.get(f"{item.tag}ID") or item.get("UID"): item for item in root.iter()}
    with opened(path) as file:
        audio = file.read(dtype="float64", always_2d=True).T
        times = np.arange(audio.shape[1]) / file.samplerate
    out = np.zeros((len(layout.speakers), audio.shape[1]))
    for item in root.iter("audioObject"):
        start, gain = seconds(item.get("start"), 0.0), gain_of(item)
        for uid in item.findall("audioTrackUIDRef"):
            row = next(row for row in rows if row.uid == uid.text)
            track = by_id[row.uid]
            name = track.findtext("audioChannelFormatIDRef")
            if name is None:
                stream = by_id[by_id[track.findtext("audioTrackFormatIDRef")].findtext("audioStreamFormatIDRef")]
                name = stream.findtext("audioChannelFormatIDRef")
            channel = by_id[name.removesuffix("_00")]
            blocks = blocks_of(channel, start, layout, gain)
            out += gains_over(blocks, times) * audio[row.track] * (times >= start)
    return out


def residual_db(output: np.ndarray, wanted: np.ndarray) -> float:
    """The power of the difference over that of what is wanted (dB)."""
    return float(10.0 * np.log10(((output - wanted) ** 2).sum() / (wanted**2).sum() + 1e-30))
