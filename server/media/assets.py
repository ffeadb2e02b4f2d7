"""Assets on disk: kept by content, decoded and resampled once, mapped into memory when they sound."""

import errno
import hashlib
import os
import shutil
import time
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from uuid import uuid4

import numpy as np
from django.conf import settings
from django.db import transaction
from numpy.typing import NDArray

from needle.dsp.onsets import THRESHOLD, Onsets, find_onsets
from needle.errors import NeedleError
from needle.io import intake
from needle.io.audio import STRETCH_FRAMES, AudioInfo, check_decoded_size, frames_at
from needle.metering.spectra import Spectrum, spectrum_of
from needle.metering.waveform import PER_SECOND, waveform
from needle.session.validation import Document
from server.common.locked import run_locked
from server.media.models import Asset

_MEASURED_AT_ONCE = 2
"""Sources of so many channels have their spectrum measured as they arrive; wider ones when it is first asked for."""

ROOM_TO_SPARE = 1 << 30
"""Bytes of disk that no file on its way in may take."""

_PARTIAL = ".partial"


class Stopped(Exception):
    """Whoever asked for a file to be taken in does not want it any more."""


def _decoded_path(asset: str, rate: int) -> Path:
    return settings.DATA_DIR / "assets" / asset[:2] / f"{asset}-{rate}.npy"


def store_asset(path: Path, rate: int, progress: Callable[[float], None] = lambda _: None) -> str:
    """Take in an audio file for sessions at ``rate`` (Hz); its hash. NeedleError if it cannot be read.

    ``progress`` is told the share that is done (0…1) and may stop it by raising ``Stopped``; nothing is left then.
    It is opened where it can do no harm (``server.common.locked``), and memory does not grow with it.
    """
    info = audio_facts(path)
    check_decoded_size(path, info, rate)
    asset = _hash(path)
    target = _decoded_path(asset, rate)
    known = Asset.objects.filter(pk=asset).first()
    if known and known.character and target.exists():
        return asset
    target.parent.mkdir(parents=True, exist_ok=True)
    shape = (info.channels, frames_at(info, rate))
    # Written beside and renamed, so that a file with the right name is always whole.
    partial = target.with_name(f"{uuid4().hex}{_PARTIAL}.npy")
    try:
        np.lib.format.open_memmap(partial, mode="w+", dtype=np.float32, shape=shape)
        _allocate(partial, path.name)
        decoded = run_locked(intake.decode, path, rate, partial, reads=[path], writes=[partial], progress=progress)
        os.replace(partial, target)
    finally:
        partial.unlink(missing_ok=True)
    if info.channels <= _MEASURED_AT_ONCE:
        asset_spectrum(asset, rate, 0, info.channels)
    values = {"channels": info.channels, "frames": info.frames, "rate": info.rate}
    with transaction.atomic():
        Asset.objects.update_or_create(sha256=asset, defaults={**values, "character": decoded.character.as_dict()})
        stored = target.exists()
    # The same sound from before may have been collected as unused meanwhile, its files with it.
    return asset if stored else store_asset(path, rate, progress)


def audio_facts(path: Path) -> AudioInfo:
    """What a foreign file holds. NeedleError if it is not audio that can be read."""
    result: AudioInfo = run_locked(intake.facts, path, reads=[path])
    return result


def _allocate(partial: Path, name: str) -> None:
    """Give a mapped file all its room on disk; NeedleError where there is not enough.

    A mapped page that finds no room when it is written ends the whole process (SIGBUS), so room comes first.
    """
    size = partial.stat().st_size
    try:
        if shutil.disk_usage(partial.parent).free < size + ROOM_TO_SPARE:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        if hasattr(os, "posix_fallocate"):  # Linux; elsewhere the look at what is free has to do
            with partial.open("r+b") as file:
                os.posix_fallocate(file.fileno(), 0, size)
    except OSError as error:
        if error.errno not in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG):
            raise
        raise NeedleError("media.decodes_too_large", name=name, size=round(size / 1e9, 2)) from error


def sweep_partials(older_than: float = 0.0) -> int:
    """Remove what was left half written when a process ended, if it is older than so many seconds; how many files."""
    until = time.time() - older_than
    left = [p for p in (settings.DATA_DIR / "assets").glob(f"*/*{_PARTIAL}.*") if p.stat().st_mtime <= until]
    for path in left:
        path.unlink(missing_ok=True)
    return len(left)


def _hash(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


@lru_cache(maxsize=512)
def asset_audio(asset: str, rate: int) -> NDArray[np.float32]:
    """An asset's samples at ``rate``, mapped from disk: float32 (channels, frames)."""
    return np.load(_decoded_path(asset, rate), mmap_mode="r")


def asset_seconds(asset: Asset, rate: int) -> float:
    """How long an asset sounds in a session at ``rate`` (Hz)."""
    return frames_at(AudioInfo(asset.rate, asset.channels, asset.frames), rate) / rate


@lru_cache(maxsize=256)
def asset_spectrum(asset: str, rate: int, first: int, channels: int) -> Spectrum:
    """The spectrum of some of an asset's channels; measured once, then read from beside it."""
    path = _decoded_path(asset, rate).with_suffix(f".{first}+{channels}.npz")
    if path.exists():
        with np.load(path) as stored:
            return Spectrum(stored["frequencies"], stored["cross"], stored["weight"])
    audio = asset_audio(asset, rate)[first : first + channels]
    stretches = (audio[:, at : at + STRETCH_FRAMES] for at in range(0, audio.shape[1], STRETCH_FRAMES))
    spectrum = spectrum_of(stretches, channels, rate)
    partial = path.with_name(f"{uuid4().hex}{_PARTIAL}.npz")
    np.savez(partial, frequencies=spectrum.frequencies, cross=spectrum.cross, weight=spectrum.weight)
    os.replace(partial, path)
    return spectrum


@lru_cache(maxsize=256)
def asset_onsets(asset: str, rate: int, first: int, channels: int, threshold: float = THRESHOLD) -> Onsets:
    """The onsets of some of an asset's channels; those by the usual threshold are found once, then read."""
    path = _decoded_path(asset, rate).with_suffix(f".{first}+{channels}.onsets.npz")
    if threshold == THRESHOLD and path.exists():
        with np.load(path) as stored:
            return Onsets(stored["times"], stored["strengths"])
    onsets = find_onsets(asset_audio(asset, rate)[first : first + channels], rate, threshold)
    if threshold == THRESHOLD:
        partial = path.with_name(f"{uuid4().hex}{_PARTIAL}.npz")
        np.savez(partial, times=onsets.times, strengths=onsets.strengths)
        os.replace(partial, path)
    return onsets


@lru_cache(maxsize=128)
def asset_waveform(asset: str, rate: int, first: int, channels: int) -> tuple[int, list[list[int]]]:
    """What to draw of some of an asset's channels: stretches a second, and 0…255 of their peak for each."""
    peaks = waveform(asset_audio(asset, rate)[first : first + channels], rate)
    scaled = peaks * (255.0 / max(float(peaks.max(initial=0.0)), 1e-6))
    return PER_SECOND, np.round(scaled).astype(int).tolist()


def source_spectrum(document: Document, key: str) -> Spectrum:
    """The spectrum of a source's audio."""
    row = document["sources"][key]
    return asset_spectrum(row["asset"], document["session"]["rate"], row["first_channel"], row["channels"])
