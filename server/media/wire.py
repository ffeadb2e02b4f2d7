"""How sound goes over a line: as it is, in FLAC, or in Opus by pairs of channels, with its readings packed beside it.

The browser decodes what it gets by itself. FLAC has 24 bits. Opus (RFC 6716) codes every pair by itself, at the bit
rate of its form; it gets some sound before and after the half second, so that halves fit together where they meet.
"""

import io
import json
import struct
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

from needle.render.segments import lead_frames

Audio = NDArray[np.float32]
Form = Literal["float", "flac", "opus-256", "opus-160", "opus-96"]
"""Forms of sound, from the heaviest to the lightest; the numbers are kbit/s for a pair of channels."""

STEP = 1 / 256
"""What a packed reading is counted in: dB, or what else the meter counts in."""
UNKNOWN = -(1 << 15)
"""Stands for nan among packed readings."""

_OPUS_RATE = 48_000
_MOST_IN_FLAC = 8
_LIBRARY_RANGE = (6_000, 256_000)
"""Bit/s of one channel at the ends of libsndfile's compression level."""


@dataclass(frozen=True)
class Detail:
    """How much of the pictures goes with a form: every ``points_every``-th point, so many ``spectra`` a segment."""

    points_every: int
    spectra: int


_DETAIL = {"float": Detail(1, 5), "flac": Detail(1, 2)}
_LIGHT = Detail(6, 1)


def detail_of(form: Form) -> Detail:
    """What goes with a form of the pictures, so that they stay a small part of it."""
    return _DETAIL.get(form, _LIGHT)


def lead_of(form: Form, rate: int) -> int:
    """Frames before a segment that a form needs: a lossy code settles in them."""
    return lead_frames(rate) if form.startswith("opus") else 0


def pack_audio(form: Form, around: Audio, rate: int) -> tuple[float, list[bytes]]:
    """Audio (channels, ``lead_frames`` + frames + ``tail_frames``) in a form: what it is to be multiplied by, blocks.

    Every block has some of the channels, in order: one each as it is, up to eight in FLAC, two in Opus.
    """
    audio = around[:, lead_frames(rate) - lead_of(form, rate) :]
    if form == "float":
        return 1.0, [np.ascontiguousarray(channel, "<f4").tobytes() for channel in audio]
    # A file of fixed point ends at full scale, and a mix before its last fader may go beyond.
    gain = 2.0 ** max(int(np.ceil(np.log2(max(float(np.abs(audio).max(initial=0.0)), 1.0)))), 0)
    at_once = _MOST_IN_FLAC if form == "flac" else 2
    groups = [audio[first : first + at_once] / np.float32(gain) for first in range(0, len(audio), at_once)]
    if form == "flac":
        return gain, [file_bytes(group, rate, format="FLAC", subtype="PCM_24") for group in groups]
    bits_per_second = 500 * int(form.removeprefix("opus-"))
    return gain, [_opus(group, rate, bits_per_second) for group in groups]


def _opus(audio: Audio, rate: int, bits_per_second: int) -> bytes:
    """Audio in Ogg Opus, at so many bit/s for each channel."""
    if rate != _OPUS_RATE:
        audio = soxr.resample(audio.T, rate, _OPUS_RATE).T
    low, high = _LIBRARY_RANGE
    level = (high - bits_per_second) / (high - low)
    return file_bytes(audio, _OPUS_RATE, format="OGG", subtype="OPUS", compression_level=level)


def file_bytes(audio: Audio, rate: int, **kind: Any) -> bytes:
    """Audio (channels, frames) as a file of some ``format`` and ``subtype`` (libsndfile's names)."""
    file = io.BytesIO()
    soundfile.write(file, np.ascontiguousarray(audio.T), rate, **kind)
    return file.getvalue()


def pack_rows(values: NDArray[np.floating]) -> bytes:
    """Rows of readings in 16 bits, each row as what it differs by from the one before; ``STEP`` counts them."""
    limited = np.clip(np.nan_to_num(values / STEP), UNKNOWN + 1, -UNKNOWN - 1)
    counted = np.where(np.isnan(values), UNKNOWN, np.round(limited)).astype(np.int16)
    return np.diff(counted, axis=0, prepend=np.int16(0)).astype("<i2").tobytes()


def pack_points(points: NDArray[np.floating]) -> bytes:
    """Points between -1 and 1 in 8 bits a coordinate."""
    return np.round(np.clip(points, -1.0, 1.0) * 127).astype(np.int8).tobytes()


def packed(head: dict[str, Any], beside: Sequence[bytes], blocks: Sequence[bytes]) -> bytes:
    """A body: a 32-bit length (little-endian), so many bytes of deflated side, then the blocks of sound.

    The side is a 32-bit length, that many bytes of JSON, and what stands ``beside`` the sound, in order.
    """
    text = json.dumps({**head, "blocks": [len(block) for block in blocks]}, separators=(",", ":")).encode()
    side = zlib.compress(b"".join([struct.pack("<I", len(text)), text, *beside]), 6)
    return b"".join([struct.pack("<I", len(side)), side, *blocks])
