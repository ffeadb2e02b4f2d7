"""Pieces: what goes into a return and what comes out of it, kept half a second at a time by what it depends on.

A long room is costly, and most edits leave it alone: a change of a source that is not sent there, a solo, another
listener. What is kept is exactly what would be rendered again.
"""

import hashlib
from collections.abc import Callable
from threading import Lock

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

Audio = NDArray[np.float32]

_KEPT_BYTES = 512 << 20

_lock = Lock()
_kept: LRUCache[str, Audio] = LRUCache(_KEPT_BYTES, getsizeof=lambda audio: audio.nbytes)


def piece_frames(rate: int) -> int:
    """Frames in a piece; pieces lie on a grid that is fixed to the session's first frame."""
    return rate // 2


def digest(text: str) -> str:
    """A short key for a long text."""
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def assembled(
    size: int,
    first: int,
    last: int,
    key_of: Callable[[int], str],
    make: Callable[[int, int], Audio],
    keep: bool = True,
) -> Audio:
    """Frames ``first`` to ``last`` (2, last - first) put together from pieces of ``size`` frames.

    ``key_of(piece)`` says what a piece depends on; ``make(low, high)`` renders the pieces from ``low`` up to
    ``high``, (2, (high - low) × size). Only what is not kept is rendered, neighbours in one run. Without ``keep`` it
    is not kept then, so that what is heard once does not drive out what is heard again.
    """
    low, high = first // size, -(-last // size)
    keys = {piece: key_of(piece) for piece in range(low, high)}
    with _lock:
        found = {piece: _kept[key] for piece, key in keys.items() if key in _kept}
    missing = [piece for piece in keys if piece not in found]
    while missing:
        run = [piece for place, piece in enumerate(missing) if piece == missing[0] + place]
        made = make(run[0], run[-1] + 1)
        for place, piece in enumerate(run):
            found[piece] = np.ascontiguousarray(made[:, place * size : (place + 1) * size])
        if keep:
            with _lock:
                for piece in run:
                    _kept[keys[piece]] = found[piece]
        del missing[: len(run)]
    whole = np.concatenate([found[piece] for piece in range(low, high)], axis=1)
    return whole[:, first - low * size : last - low * size]
