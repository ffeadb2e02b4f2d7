"""What a caller may keep between two runs of the engine, by exactly what it depends on.

A long room is costly, and most edits leave it alone: a change of a source that is not sent there, a solo, another
listener. What is kept is exactly what would be rendered again.
"""

import hashlib
from collections.abc import Callable
from threading import Lock
from typing import TypeVar, cast

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from needle.mix.listening import Listening
from needle.mix.model import Mix

Audio = NDArray[np.float32]
Kept = NDArray[np.float32] | NDArray[np.complex64]
T = TypeVar("T")

_MOST_PREPARED = 32


class RenderCache:
    """Pieces of sound and spectra, half a second each, by key, and what plans have prepared, such as responses.

    The least recently used go first.

    Parameters
    ----------
    size
        Bytes that are kept at the most.
    """

    def __init__(self, size: int) -> None:
        self._lock = Lock()
        self._pieces: LRUCache[str, Kept] = LRUCache(size, getsizeof=lambda piece: piece.nbytes)
        self._prepared: LRUCache[str, object] = LRUCache(_MOST_PREPARED)

    def get(self, key: str) -> Kept | None:
        """The piece with a key, if it is there."""
        with self._lock:
            return self._pieces.get(key)

    def put(self, key: str, piece: Kept) -> None:
        """Keep a piece; one that is too large is not kept."""
        with self._lock:
            if piece.nbytes <= self._pieces.maxsize:
                self._pieces[key] = piece

    def plan(self, mix: Mix, listening: Listening, make: Callable[[], T]) -> T:
        """The plan of a mix (this very one) for one who listens, made once while it is among the last asked for."""
        # The mix is kept beside its plan, so that no other one can come to have its identity.
        return self.once(f"plan {id(mix)} {listening!r}", lambda: (mix, make()))[1]

    def once(self, key: str, make: Callable[[], T]) -> T:
        """What ``make`` gives, worked out once as long as it is among those last asked for."""
        with self._lock:
            prepared = self._prepared.get(key)
        if prepared is None:
            prepared = make()
            with self._lock:
                self._prepared[key] = prepared
        return cast(T, prepared)


def piece_frames(rate: int) -> int:
    """Frames in a piece; pieces lie on a grid that is fixed to the session's first frame."""
    return rate // 2


def digest(text: str) -> str:
    """A short key for a long text."""
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def in_pieces(
    cache: RenderCache,
    size: int,
    start: int,
    stop: int,
    key_of: Callable[[int], str],
    make: Callable[[int, int], Audio],
) -> Audio:
    """Frames ``start`` to ``stop`` (channels, stop - start) put together from pieces of ``size`` frames.

    ``key_of(piece)`` says what a piece depends on; ``make(low, high)`` renders the pieces from ``low`` up to
    ``high``, (channels, (high - low) × size). Only what is not kept is rendered, neighbours in one run.
    """
    low, high = start // size, -(-stop // size)
    keys = {piece: key_of(piece) for piece in range(low, high)}
    pieces = {piece: cached for piece, key in keys.items() if (cached := cache.get(key)) is not None}
    missing = [piece for piece in keys if piece not in pieces]
    while missing:
        neighbours = [piece for place, piece in enumerate(missing) if piece == missing[0] + place]
        audio = make(neighbours[0], neighbours[-1] + 1)
        for place, piece in enumerate(neighbours):
            pieces[piece] = np.ascontiguousarray(audio[:, place * size : (place + 1) * size])
            cache.put(keys[piece], pieces[piece])
        del missing[: len(neighbours)]
    whole = np.concatenate([pieces[piece] for piece in range(low, high)], axis=1)
    return np.asarray(whole[:, start - low * size : stop - low * size], dtype=np.float32)
