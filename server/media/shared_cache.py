"""Arrays that the processes of one machine share: files in memory where there is room for that, else on disk.

What stands under a key never changes. The least recently read go first; whoever writes much makes room.
"""

import hashlib
import os
import shutil
import threading
from collections.abc import Sequence
from contextlib import suppress
from functools import lru_cache
from pathlib import Path
from uuid import uuid4

import numpy as np
from django.conf import settings

_IN_MEMORY = Path("/dev/shm")
_SHARE_OF_MEMORY = 0.25
_NAME = f"needle-{os.getuid()}-"
_SERVER = "server"
_LOOKS_EVERY = 32 << 20
"""After so many bytes that it has written a process looks whether there is too much."""


class SharedCache:
    """A folder of arrays by key, ``limit`` bytes at the most (and up to 32 MB a process more)."""

    def __init__(self, folder: Path, limit: int) -> None:
        self._folder, self._limit = folder, limit
        self._written = 0
        self._lock = threading.Lock()
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)

    def get(self, key: str) -> list[np.ndarray] | None:
        """The arrays under a key, if they are there."""
        try:
            with (self._folder / key).open("rb") as file:
                count = file.read(1)[0]
                arrays = [np.lib.format.read_array(file, allow_pickle=False) for _ in range(count)]
                os.utime(file.fileno())
        except (OSError, ValueError, IndexError):
            return None
        return arrays

    def has(self, key: str) -> bool:
        """Whether anything stands under a key."""
        return (self._folder / key).exists()

    def put(self, key: str, arrays: Sequence[np.ndarray]) -> bool:
        """Keep arrays under a key; whether there was room for them."""
        partial = self._folder / f".{uuid4().hex}"
        try:
            with partial.open("wb") as file:
                file.write(bytes([len(arrays)]))
                for array in arrays:
                    np.lib.format.write_array(file, np.ascontiguousarray(array), allow_pickle=False)
                size = file.tell()
            partial.replace(self._folder / key)
        except OSError:
            partial.unlink(missing_ok=True)
            self._folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            self._make_room()
            return False
        with self._lock:
            self._written += size
            look = self._written >= _LOOKS_EVERY
            if look:
                self._written = 0
        if look:
            self._make_room()
        return True

    def clear(self) -> None:
        """Forget everything."""
        for entry in list(self._folder.iterdir()):
            entry.unlink(missing_ok=True)

    def sign(self) -> None:
        """Say that this process is a server that uses it."""
        (self._folder / f"{_SERVER}.{os.getpid()}").touch()

    def remove(self) -> None:
        """Forget everything, the folder too."""
        shutil.rmtree(self._folder, ignore_errors=True)

    def _make_room(self) -> None:
        """Remove what has not been read for longest, down to nine tenths of the limit."""
        entries = []
        for entry in os.scandir(self._folder):
            if entry.name.startswith((".", _SERVER)):  # on its way, or a server's sign
                continue
            with suppress(FileNotFoundError):
                about = entry.stat()
                entries.append((about.st_mtime_ns, about.st_size, entry.path))
        size_in_all = sum(size for _, size, _ in entries)
        if size_in_all <= self._limit:
            return
        for _, size, path in sorted(entries):
            Path(path).unlink(missing_ok=True)
            size_in_all -= size
            if size_in_all <= 0.9 * self._limit:
                return


@lru_cache(maxsize=4)
def _at(data: Path) -> SharedCache:
    limit = settings.CACHE_BYTES
    with suppress(OSError):
        # What a system keeps in memory may be small, as in a container.
        if settings.CACHE_IN_MEMORY and shutil.disk_usage(_IN_MEMORY).free * _SHARE_OF_MEMORY >= limit:
            # Each data folder has a cache of its own: what two servers on a machine know does not meet.
            name = f"{_NAME}{hashlib.sha256(str(data).encode()).hexdigest()[:12]}"
            cache = SharedCache(_IN_MEMORY / name, limit)
            if (_IN_MEMORY / name).stat().st_uid == os.getuid():
                return cache
    return SharedCache(data / "cache", limit)


def shared_cache() -> SharedCache:
    """The cache of this data folder."""
    return _at(settings.DATA_DIR)


def prepare_cache() -> None:
    """As a server starts: forget what an earlier program has worked out, and what servers left that were killed."""
    cache = shared_cache()
    cache.clear()
    cache.sign()
    for folder in _IN_MEMORY.glob(f"{_NAME}*"):
        if not any(_is_alive(int(path.suffix[1:])) for path in folder.glob(f"{_SERVER}.*")):
            shutil.rmtree(folder, ignore_errors=True)


def _is_alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        pass
    return True
