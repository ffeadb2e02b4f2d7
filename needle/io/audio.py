"""Audio files: checked by libsndfile, read and written in stretches of any length."""

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any, Self

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

from needle.dsp.kernels.quantization import quantize
from needle.errors import NeedleError
from needle.io.containers import (
    AsRf64,
    check_promise,
    clear_peak_time,
    is_bw64,
    promised,
    set_channel_mask,
    wave_samples,
)
from needle.layouts import STEREO, Layout
from needle.mix.dealt_sounds import GeneratedAudio

Audio = NDArray[np.float32]

STRETCH_FRAMES = 1 << 16
MAX_CHANNELS = 64
LOWEST_RATE, HIGHEST_RATE = 4000, 768_000
MAX_SECONDS = 8 * 3600.0
MAX_SAMPLES = 4 << 30
"""Decoded audio beyond this (frames × channels at the session's rate, 16 GB as float) is refused."""


@dataclass(frozen=True)
class AudioInfo:
    """What a file holds: ``rate`` in Hz, ``frames`` per channel."""

    rate: int
    channels: int
    frames: int

    @property
    def seconds(self) -> float:
        return self.frames / self.rate


def audio_info(path: Path) -> AudioInfo:
    """What the file holds; NeedleError if it is not audio that can be read, breaks off, or is beyond all measure."""
    with opened_audio(path) as file:
        info = AudioInfo(file.samplerate, file.channels, file.frames)
    if not LOWEST_RATE <= info.rate <= HIGHEST_RATE:
        raise NeedleError("audio.sampling_rate", file=path.name, rate=info.rate)
    if info.frames <= 0:
        raise NeedleError("audio.no_sound", file=path.name)
    if info.seconds > MAX_SECONDS or info.frames * info.channels > MAX_SAMPLES:
        raise NeedleError(
            "audio.too_long",
            file=path.name,
            hours=round(info.seconds / 3600, 1),
            channels=info.channels,
            most_hours=round(MAX_SECONDS / 3600),
            most_samples=MAX_SAMPLES >> 30,
        )
    check_promise(path)
    return info


def frames_at(info: AudioInfo, rate: int) -> int:
    """How many frames the file has when it is resampled to ``rate`` (Hz)."""
    return info.frames if info.rate == rate else round(info.frames * rate / info.rate)


def check_decoded_size(path: Path, info: AudioInfo, rate: int) -> None:
    """Check what the file decodes to at ``rate`` (Hz), frames × channels.

    NeedleError if that is more than ``MAX_SAMPLES``: a compressed file says nothing of it by its own size, and a low
    sampling rate little.
    """
    samples = frames_at(info, rate) * info.channels
    if samples > MAX_SAMPLES:
        raise NeedleError(
            "audio.decodes_too_long",
            file=path.name,
            hours=round(info.seconds / 3600, 1),
            channels=info.channels,
            samples=round(samples / 1e9, 1),
            rate=rate,
            most=round(MAX_SAMPLES / 1e9, 1),
        )


def read_stretches(path: Path, frames: int = STRETCH_FRAMES) -> Iterator[Audio]:
    """The file's samples in order, each stretch float32 (channels, up to ``frames``).

    NeedleError if the file cannot be read or holds samples that are not numbers.
    """
    with opened_audio(path) as file:
        expected, read = file.frames, 0
        while True:
            try:
                block = file.read(frames, dtype="float32", always_2d=True)
            except soundfile.SoundFileError as error:
                raise NeedleError(
                    "audio.damaged_after", file=path.name, read=round(read / file.samplerate, 2)
                ) from error
            if not len(block):
                break
            check_samples(path, block)
            read += len(block)
            yield np.ascontiguousarray(block.T)
        if read < expected:
            raise NeedleError("audio.breaks_off_after_frames", file=path.name, read=read, expected=expected)


def check_samples(path: Path, block: Audio) -> None:
    """NeedleError if some samples of a file are not numbers."""
    if not np.isfinite(block).all():
        raise NeedleError("audio.not_numbers", file=path.name)


def read_at(path: Path, rate: int) -> Iterator[Audio]:
    """The file's samples at ``rate`` (Hz) in order, resampled as it is read: ``frames_at`` frames in all.

    Each stretch is float32 (channels, frames); memory does not grow with the file.
    """
    info = audio_info(path)
    if info.rate == rate:
        yield from read_stretches(path)
        return
    resampler = soxr.ResampleStream(info.rate, rate, info.channels, dtype="float32", quality="VHQ")
    left = frames_at(info, rate)
    for stretch in read_stretches(path):
        tail = np.ascontiguousarray(resampler.resample_chunk(stretch.T).T[:, :left])
        left -= tail.shape[1]
        yield tail
    tail = resampler.resample_chunk(np.zeros((0, info.channels), np.float32), last=True).T[:, :left]
    yield np.ascontiguousarray(np.pad(tail, ((0, 0), (0, left - tail.shape[1]))))


def read_audio(path: Path, rate: int) -> Audio:
    """The whole file at ``rate`` (Hz), resampled if it has another: float32 (channels, frames).

    32-bit floats at that rate are mapped from the file, so that no copy of them is made.
    """
    info = audio_info(path)
    direct = _read_directly(path) if info.rate == rate else None
    if isinstance(direct, np.ndarray):
        return direct
    whole, at = np.empty((info.channels, frames_at(info, rate)), np.float32), 0
    for stretch in read_at(path, rate):
        whole[:, at : at + stretch.shape[1]] = stretch
        at += stretch.shape[1]
    return whole


def stored_audio(path: Path, rate: int) -> Audio | GeneratedAudio:
    """The same for who reads it a stretch at a time: what can be decoded as it is read stays in the file."""
    info = audio_info(path)
    direct = _read_directly(path, in_memory=False) if info.rate == rate else None
    return read_audio(path, rate) if direct is None else direct


def _read_directly(path: Path, in_memory: bool = True) -> Audio | GeneratedAudio | None:
    """A WAV file's samples without libsndfile between: floats mapped, 24 bits decoded; None for any other."""
    header = wave_samples(path)
    if header is None or header.channels > 2:
        return None
    shape = (header.frames, header.channels)
    if header.floats and header.bits == 32 and header.at % 4 == 0:
        mapped: Audio = np.memmap(path, "<f4", "r", offset=header.at, shape=shape).T
        for low in range(0, header.frames, STRETCH_FRAMES):
            check_samples(path, mapped[:, low : low + STRETCH_FRAMES])
        return mapped
    if not header.floats and header.bits == 24:
        # Each sample is the upper three bytes of a 32-bit word that begins a byte earlier.
        stored = np.memmap(path, np.uint8, "r")
        words = np.ndarray(shape[::-1], "<i4", stored, header.at - 1, (3, 3 * header.channels))
        samples = StoredAudio(words)
        return samples.between(0, header.frames) if in_memory else samples
    return None


class StoredAudio(GeneratedAudio):
    """Samples of 24 bits in a file, as floats whenever some of them are read."""

    def __init__(self, words: NDArray[np.int32]) -> None:
        self._words = words
        self.shape = (words.shape[0], words.shape[1])

    def __getitem__(self, key: Any) -> Any:
        if not isinstance(key, tuple):
            return StoredAudio(self._words[key])
        rows, frames = key
        low, high, _ = frames.indices(self.shape[1])
        return StoredAudio(self._words[rows]).between(low, max(low, high))

    def between(self, low: int, high: int) -> Audio:
        """Its samples from frame ``low`` to ``high``, float32 (channels, high - low)."""
        out = np.empty((self.shape[0], high - low), np.float32)
        for begin in range(low, high, STRETCH_FRAMES):
            end = min(begin + STRETCH_FRAMES, high)
            upper = self._words[:, begin:end] & np.int32(-256)
            np.multiply(upper, np.float32(2.0**-31), out=out[:, begin - low : end - low], casting="unsafe")
        return out

    @cached_property
    def text(self) -> str:  # type: ignore[override] # worked out when it is asked for
        """Which audio it is: by its content, as of any other."""
        content = self.between(0, self.shape[1])
        return f"{hashlib.blake2b(content.data, digest_size=16).hexdigest()} {self.shape}"


FORMATS = {
    "wav-float": ("WAV", "FLOAT", ".wav"),
    "wav-24": ("WAV", "PCM_24", ".wav"),
    "wav-16": ("WAV", "PCM_16", ".wav"),
    "flac-24": ("FLAC", "PCM_24", ".flac"),
    "flac-16": ("FLAC", "PCM_16", ".flac"),
    "rf64-float": ("RF64", "FLOAT", ".wav"),
    "rf64-24": ("RF64", "PCM_24", ".wav"),
}
"""What audio can be written as, by name: container, sample format and file ending."""

_STEP = {"PCM_16": 2.0**-15, "PCM_24": 2.0**-23}
_RF64_FROM = 0xFFFF_0000
_SEED = 0x5EED


class AudioWriter:
    """Writes consecutive stretches of (channels, frames) to a file; ``channels`` is their number, or a layout.

    A WAV file of a layout tells its channel mask, and has its channels in the mask's order. ``clipped`` counts the
    samples over full scale.

    Integer formats get triangular dither of one step each way (TPDF), the same every time, however the file is cut
    into stretches. It is another one for every channel and for every ``seed``: files that are added up later, as
    stems are, take seeds of their own, so that their dither adds up as noise does. RF64 takes over where a WAV would
    pass 4 GB: ``frames`` is the length to expect. Without ``dither`` samples that the format can tell are told
    exactly.
    """

    def __init__(
        self,
        path: Path,
        rate: int,
        channels: int | Layout,
        kind: str = "wav-float",
        frames: int = 0,
        dither: bool = True,
        seed: str = "",
    ) -> None:
        if kind not in FORMATS:
            raise NeedleError("audio.unknown_format", kind=kind, choices=FORMATS)
        container, self._subtype, _ = FORMATS[kind]
        layout = channels if isinstance(channels, Layout) else STEREO
        channels = len(layout.channels) if isinstance(channels, Layout) else channels
        self._order = layout.file_order if layout.surround else None
        self._mask = layout.mask if layout.surround and container != "FLAC" else 0
        if container == "FLAC":
            check_flac(layout)
        elif self._mask and container == "WAV":
            container = "WAVEX"
        self._path = path
        if container != "FLAC" and frames * channels * 4 > _RF64_FROM:
            container = "RF64"
        self._file = soundfile.SoundFile(
            path, "w", samplerate=rate, channels=channels, format=container, subtype=self._subtype
        )
        self._seeds = (
            np.random.SeedSequence([_SEED, *seed.encode()]).generate_state(channels, np.uint64).astype(np.uint64)
        )
        self._dither = dither
        self._written = 0
        self.clipped = 0

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._file.close()
        # The same samples make the same file, whenever it is written.
        clear_peak_time(self._path)
        if self._mask:
            set_channel_mask(self._path, self._mask)

    def write(self, audio: Audio) -> Audio:
        """Write the next stretch; what the file holds of it, as float32 (channels, frames) in the same order."""
        self.clipped += int(np.count_nonzero(np.abs(audio) > 1.0))
        ordered = audio if self._order is None else audio[self._order]
        step = _STEP.get(self._subtype)
        if step is None:
            self._file.write(ordered.T)
            return audio
        # libsndfile takes 32-bit integers and keeps their upper bits.
        whole = np.empty(ordered.shape, np.int32)
        quantize(np.ascontiguousarray(ordered), self._seeds, self._written, step, self._dither, whole)
        self._file.write(whole.T)
        self._written += audio.shape[1]
        stored = whole * np.float32(2.0**-31)
        return stored if self._order is None else stored[np.argsort(self._order)]


_IN_FLAC = ("0+2+0", "mono", "quad", "0+5+0", "0+7+0")


def check_flac(layout: Layout) -> None:
    """NeedleError if FLAC has no order for a layout's channels (RFC 9639, 9.1.3)."""
    if layout.name not in _IN_FLAC:
        raise NeedleError("audio.flac_channels", title=layout.title.lower(), name=layout.name)


def write_audio(path: Path, audio: Audio, rate: int, kind: str = "wav-float") -> None:
    """Write ``audio`` (channels, frames) as one file."""
    with AudioWriter(path, rate, audio.shape[0], kind, audio.shape[1]) as writer:
        writer.write(audio)


def opened_audio(path: Path, most: int = MAX_CHANNELS) -> soundfile.SoundFile:
    """The file, to read samples from. NeedleError if it is not audio, or has more than ``most`` channels."""
    path = Path(path)
    promise = promised(path)
    if promise and promise.channels > most:
        raise NeedleError("audio.too_many_channels", file=path.name, channels=promise.channels, most=most)
    try:
        file = soundfile.SoundFile(AsRf64(path) if is_bw64(path) else path)
    except (soundfile.SoundFileError, OSError) as error:
        raise NeedleError("audio.not_audio", file=path.name) from error
    if file.channels > most:
        file.close()
        raise NeedleError("audio.too_many_channels", file=path.name, channels=file.channels, most=most)
    return file
