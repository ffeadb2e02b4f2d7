"""A small renderer of object audio files by the rules of ITU-R BS.2127-0, 7.3, for tests: it reads the XML by itself.

Of the product it shares the static panner alone: where a place's power goes. How blocks follow each other, what jumps
and what is led over, is told here from the Recommendation.
"""

import re
import xml.etree.ElementTree as ET
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from needle.files.adm.bw64 import description_of, opened
from needle.layouts import Layout
from needle.placing.coordinates import polar_of
from needle.placing.room import permitted, polar_powers


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
    found = element.find("gain")
    if found is not None and found.get("gainUnit") == "dB":
        return 10.0 ** (float(found.text) / 20.0)
    return number(found, 1.0)


def gains_of(block: ET.Element, layout: Layout) -> np.ndarray:
    """The gain vector of a block: (speakers,)."""
    place = {one.get("coordinate").lower(): float(one.text) for one in block.findall("position")}
    if (block.findtext("cartesian") or "0") in ("1", "true"):
        azimuth, elevation, distance = polar_of(place["x"], place["y"], place.get("z", 0.0))
    else:
        azimuth, elevation, distance = place["azimuth"], place["elevation"], place.get("distance", 1.0)
    extent = max(number(block.find("width"), 0.0), number(block.find("height"), 0.0))
    divergence = number(block.find("objectDivergence"), 0.0)
    # 7.3.7: (1 - d) / (1 + d) stays, and d / (1 + d) goes to either side.
    centre = (1.0 - divergence) / (1.0 + divergence)
    lock = (block.findtext("channelLock") or "0") in ("1", "true")
    powers = polar_powers(layout, azimuth, elevation, distance, extent, centre, lock)
    zones = [
        [float(zone.get(name)) for name in ("minAzimuth", "maxAzimuth", "minElevation", "maxElevation")]
        for zone in block.findall("zoneExclusion/zone")
    ]
    off = frozenset(
        s.name
        for s in layout.speakers
        if any(z[0] <= s.azimuth <= z[1] and z[2] <= s.elevation <= z[3] for z in zones)
    )
    powers = permitted(layout, powers, {off: 1.0}) if off else powers
    return np.sqrt(np.ravel(powers)) * gain_of(block)


def blocks_of(channel: ET.Element, start: float, layout: Layout, gain: float) -> list[Block]:
    found = []
    for element in channel.findall("audioBlockFormat"):
        begins = start + seconds(element.get("rtime"), 0.0)
        lasts = seconds(element.get("duration"), np.inf)
        jump = element.find("jumpPosition")
        jumps = jump is not None and jump.text in ("1", "true")
        ramp = float(jump.get("interpolationLength", 0.0)) if jumps else lasts
        found.append(Block(begins, begins + lasts, ramp, gains_of(element, layout) * gain))
    return found


def gains_over(blocks: list[Block], times: np.ndarray) -> np.ndarray:
    """The gains at each time (s): (speakers, times). The first block holds; others lead over from the one before."""
    found = np.zeros((len(blocks[0].gains), len(times)))
    before = blocks[0].gains
    holds = np.maximum(np.searchsorted([block.start - 1e-9 for block in blocks], times, side="right") - 1, 0)
    for index, block in enumerate(blocks):
        here = holds == index
        if index == 0 or block.ramp <= 0.0 or not np.isfinite(block.ramp):
            found[:, here] = block.gains[:, np.newaxis]
        else:
            share = np.clip((times[here] - block.start) / block.ramp, 0.0, 1.0)
            found[:, here] = before[:, np.newaxis] + share * (block.gains - before)[:, np.newaxis]
        before = block.gains
    return found


def rendered(path: Path, layout: Layout) -> np.ndarray:
    """A file of objects, rendered: (speakers, frames)."""
    rows, xml = description_of(path)
    root = ET.fromstring(xml.rstrip(b"\0 \r\n\t"))
    for element in root.iter():
        element.tag = element.tag.rpartition("}")[2]
    by_id = {one.get(f"{one.tag}ID") or one.get("UID"): one for one in root.iter()}
    with opened(path) as file:
        audio = file.read(dtype="float64", always_2d=True).T
        times = np.arange(audio.shape[1]) / file.samplerate
    out = np.zeros((len(layout.speakers), audio.shape[1]))
    for one in root.iter("audioObject"):
        start, gain = seconds(one.get("start"), 0.0), gain_of(one)
        for uid in one.findall("audioTrackUIDRef"):
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


def residual_db(found: np.ndarray, wanted: np.ndarray) -> float:
    """What is left of the sound where one is taken from the other (dB of it)."""
    return float(10.0 * np.log10(((found - wanted) ** 2).sum() / (wanted**2).sum() + 1e-30))
