"""Workers: processes of their own for long listening, so that the server goes on answering while they are at it.

Each has its own stretches of every piece, and so what it keeps of returns stays useful.
"""

import io
import os
import pickle
import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from dataclasses import fields
from multiprocessing import connection, get_context, parent_process
from typing import Any

import numpy as np

from needle.effects.base import Effect
from needle.effects.chain import effect_named
from needle.mix.model import Mix, MixSource
from server.audio.threads import lower_priority

COUNT = 2
"""Workers of each kind: as many as a small machine has cores."""

MEASURING, GATHERING = "measuring", "gathering"
"""What follows every edit, and what may take its time: neither waits in the other's line."""

_NICER = {MEASURING: 8, GATHERING: 14}

# Arrays of many megabytes come and go all the time: a worker keeps their memory instead of giving it back each time.
_MEMORY = {"MALLOC_MMAP_THRESHOLD_": str(1 << 30), "MALLOC_TRIM_THRESHOLD_": str(1 << 30)}

_lock = threading.Lock()
_pools: dict[tuple[str, int], ProcessPoolExecutor] = {}


def _begin(nicer: int) -> None:
    lower_priority(nicer)

    def leave_with_the_server() -> None:
        connection.wait([parent_process().sentinel])
        os._exit(0)

    threading.Thread(target=leave_with_the_server, daemon=True).start()


def _pool(kind: str, number: int) -> ProcessPoolExecutor:
    key = kind, number % COUNT
    with _lock:
        if key not in _pools:
            for name, value in _MEMORY.items():
                os.environ.setdefault(name, value)
            context = get_context("spawn")
            _pools[key] = ProcessPoolExecutor(1, context, initializer=_begin, initargs=(_NICER[kind],))
        return _pools[key]


def submit(kind: str, number: int, work: Callable[..., Any], mix: "Packed", *given: Any) -> Future:
    """Have a worker of a kind call ``work(mix, *given)``. A worker that has died is replaced."""
    try:
        return _pool(kind, number).submit(_work, work, mix.bytes, given)
    except BrokenProcessPool:
        with _lock:
            _pools.pop((kind, number % COUNT), None)
        return _pool(kind, number).submit(_work, work, mix.bytes, given)


@contextmanager
def awaiting(waiting: Sequence[Future]) -> Iterator[None]:
    """While it lasts somebody waits for this work; afterwards what has not begun is left."""
    try:
        yield
    finally:
        for future in waiting:
            future.cancel()


def wake() -> None:
    """Start those that are wanted first, before anybody waits for them."""
    for number in range(COUNT):
        _pool(MEASURING, number).submit(os.getpid)


def _work(work: Callable[..., Any], packed: bytes, given: tuple[Any, ...]) -> Any:
    return work(_unpacked(packed), *given)


_last: tuple[bytes, Mix] | None = None


def _unpacked(packed: bytes) -> Mix:
    """The mix; several stretches of one follow each other."""
    global _last
    if _last is None or _last[0] != packed:
        _last = packed, pickle.loads(packed)
    return _last[1]


class Packed:
    """A mix on its way to a worker: audio goes by the files that it is mapped from, effects by their names."""

    def __init__(self, mix: Mix) -> None:
        into = io.BytesIO()
        _Packer(into, pickle.HIGHEST_PROTOCOL).dump(mix)
        self.bytes = into.getvalue()


class _Packer(pickle.Pickler):
    def reducer_override(self, one: Any) -> Any:
        if isinstance(one, MixSource) and isinstance(one.audio, np.memmap):
            values = {f.name: getattr(one, f.name) for f in fields(one) if f.name not in ("audio", "frozen")}
            frozen = "" if one.frozen is None else str(one.frozen.filename)
            return _source, (values, str(one.audio.filename), one.channels, frozen)
        if isinstance(one, Effect):
            return effect_named, (one.name,)
        return NotImplemented


def _source(values: Mapping[str, Any], path: str, channels: int, frozen: str) -> MixSource:
    whole = np.load(path, mmap_mode="r")
    sound = np.load(frozen, mmap_mode="r") if frozen else None
    return MixSource(
        audio=whole[values["first_channel"] : values["first_channel"] + channels], frozen=sound, **values
    )
