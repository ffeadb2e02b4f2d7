"""A mix on its way to other processes: written down once, where all of them find it."""

import hashlib
import io
import pickle
from collections.abc import Mapping
from dataclasses import fields
from functools import lru_cache
from typing import Any

import numpy as np

from needle.effects.base import Effect
from needle.effects.chain import effect_named
from needle.mix.model import Mix, MixSource
from server.common.pool_process import Abandoned
from server.media.shared_cache import shared_cache


class SharedMix:
    """A mix that can be pickled: what goes along is a key, and the mix is read when it is wanted."""

    def __init__(self, mix: Mix | None = None, key: str = "") -> None:
        self._mix, self._key = mix, key

    @property
    def mix(self) -> Mix:
        """The mix. Abandoned if it is not kept any more."""
        if self._mix is None:
            self._mix = _read(self._key)
        return self._mix

    def __reduce__(self) -> tuple[Any, ...]:
        if not self._key:
            packed = pack(self._mix)
            self._key = f"mix-{hashlib.blake2b(packed, digest_size=16).hexdigest()}"
            shared_cache().put(self._key, [np.frombuffer(packed, np.uint8)])
        return SharedMix, (None, self._key)


@lru_cache(maxsize=4)
def _read(key: str) -> Mix:
    stored = shared_cache().get(key)
    if stored is None:
        raise Abandoned
    return pickle.loads(stored[0].tobytes())


def pack(mix: Mix) -> bytes:
    """A mix as bytes: audio goes by the files that it is mapped from, effects by their names."""
    into = io.BytesIO()
    _Packer(into, pickle.HIGHEST_PROTOCOL).dump(mix)
    return into.getvalue()


class _Packer(pickle.Pickler):
    def reducer_override(self, value: Any) -> Any:
        if isinstance(value, MixSource) and isinstance(value.audio, np.memmap):
            values = {f.name: getattr(value, f.name) for f in fields(value) if f.name not in ("audio", "frozen")}
            frozen = "" if value.frozen is None else str(value.frozen.filename)
            return _source, (values, str(value.audio.filename), value.channels, frozen)
        if isinstance(value, Effect):
            return effect_named, (value.name,)
        return NotImplemented


def _source(values: Mapping[str, Any], path: str, channels: int, frozen: str) -> MixSource:
    whole = np.load(path, mmap_mode="r")
    sound = np.load(frozen, mmap_mode="r") if frozen else None
    return MixSource(
        audio=whole[values["first_channel"] : values["first_channel"] + channels], frozen=sound, **values
    )
