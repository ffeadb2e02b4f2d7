"""Assets on disk: kept by content, decoded and resampled once, mapped into memory when they sound."""

import hashlib
import os
from functools import lru_cache
from pathlib import Path
from uuid import uuid4

import numpy as np
from django.conf import settings
from numpy.typing import NDArray

from needle.files.audio import audio_info, read_audio
from server.audio.models import Asset


def _decoded_path(asset: str, rate: int) -> Path:
    return settings.DATA_DIR / "assets" / asset[:2] / f"{asset}-{rate}.npy"


def store_asset(path: Path, rate: int) -> str:
    """Take in an audio file for sessions at ``rate`` (Hz); its hash. NeedleError if it cannot be read."""
    with path.open("rb") as file:
        asset = hashlib.file_digest(file, "sha256").hexdigest()
    info = audio_info(path)
    target = _decoded_path(asset, rate)
    if not target.exists():
        target.parent.mkdir(parents=True, exist_ok=True)
        # Written beside and renamed, so that a file with the right name is always whole.
        partial = target.with_name(f"{uuid4().hex}.partial.npy")
        try:
            np.save(partial, read_audio(path, rate))
            os.replace(partial, target)
        finally:
            partial.unlink(missing_ok=True)
    Asset.objects.get_or_create(
        sha256=asset, defaults={"channels": info.channels, "frames": info.frames, "rate": info.rate}
    )
    return asset


@lru_cache(maxsize=512)
def asset_audio(asset: str, rate: int) -> NDArray[np.float32]:
    """An asset's samples at ``rate``, mapped from disk: float32 (channels, frames)."""
    return np.load(_decoded_path(asset, rate), mmap_mode="r")
