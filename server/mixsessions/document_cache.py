"""Documents of sessions at their revisions, kept in memory: the latest is followed by the log, never read anew."""

from contextlib import suppress
from threading import Lock
from uuid import UUID

from cachetools import LRUCache

from needle.session.validation import Document
from server.mixsessions.deltas import apply_delta
from server.mixsessions.log import MOST_AT_ONCE, document_at, present, since
from server.mixsessions.models import MixSession

_MOST_BYTES = 192 << 20
_ENTITY_BYTES, _POINT_BYTES = 3_000, 450
"""About what an entity takes in memory, and a point of a lane."""


def size_of(document: Document) -> int:
    """About how many bytes a document takes, as if it shared nothing with others."""
    points = sum(len(lane["points"]) for lane in document["lanes"].values())
    entities = sum(len(part) for part in document.values())
    return _ENTITY_BYTES * entities + _POINT_BYTES * points


class _Follower:
    """One session's latest document, brought up to date from the log; what does not change stays the same object."""

    def __init__(self, session_id: UUID) -> None:
        self.session_id = session_id
        self.document: Document | None = None
        self.revision = 0
        self.lock = Lock()

    def follow(self) -> None:
        """Come to the latest revision."""
        missed = since(self.session_id, self.revision) if self.document is not None else []
        if self.document is None or len(missed) == MOST_AT_ONCE:
            self.document, self.revision = present(self.session_id)
            return
        for message in missed:
            self.document = apply_delta(self.document, message["delta"])
            self.revision = message["revision"]


_lock = Lock()
"""Held for a look at the caches only; each session has a lock of its own while it is followed."""
_followers: LRUCache[UUID, _Follower] = LRUCache(64)
_documents: LRUCache[tuple[UUID, int], Document] = LRUCache(_MOST_BYTES, getsizeof=lambda document: size_of(document))


def document_for(session: MixSession, revision: int) -> Document:
    """The session's document at a revision; nobody may change it. ApiError if the session has not come to it."""
    key = (session.id, revision)
    with _lock:
        result = _documents.get(key)
        follower = _followers.setdefault(session.id, _Follower(session.id))
    if result is not None:
        return result
    with follower.lock:
        if follower.revision < revision or follower.document is None:
            follower.follow()
        if follower.revision == revision:
            result = follower.document
    if result is None:
        result = document_at(session.id, revision)
    with _lock, suppress(ValueError):
        # One that is larger than all of the cache is known by its follower only.
        return _documents.setdefault(key, result)
    return result
