"""Mixes of sessions at their revisions, kept ready so that an edit costs only what it changed."""

from collections.abc import Mapping
from threading import Lock
from typing import Any
from uuid import UUID

from cachetools import LRUCache

from needle.automation.curve import Lane
from needle.mix.model import Mix
from needle.mix.reuse import with_known_sources
from needle.session.document import mix_of
from needle.session.owners import lane_key
from needle.session.validation import Document
from server.audio.assets import asset_audio
from server.audio.drafting import with_moves
from server.mixing.deltas import apply_delta
from server.mixing.models import Session
from server.mixing.revisions import MOST_AT_ONCE, document_at, present, since


class _Follower:
    """One session's latest document in memory, brought up to date from the log, with its lanes read."""

    def __init__(self, session_id: UUID) -> None:
        self.session_id = session_id
        self.document: Document | None = None
        self.revision = 0
        self.lock = Lock()
        self._lanes: dict[str, tuple[Mapping[str, Any], Lane]] = {}
        self._mix: Mix | None = None

    def follow(self) -> None:
        """Come to the latest revision."""
        missed = since(self.session_id, self.revision) if self.document is not None else []
        if self.document is None or len(missed) == MOST_AT_ONCE:
            self.document, self.revision = present(self.session_id)
            return
        for message in missed:
            self.document = apply_delta(self.document, message["delta"])
            self.revision = message["revision"]
        if len(self._lanes) > len(self.document["lanes"]):
            self._lanes = {key: read for key, read in self._lanes.items() if key in self.document["lanes"]}

    def lane(self, stored: Mapping[str, Any]) -> Lane:
        """A lane of the document, read once as long as it stays the same object."""
        kept = self._lanes.get(stored["id"])
        if kept is None or kept[0] is not stored:
            kept = (stored, Lane.of(stored["points"]))
            self._lanes[stored["id"]] = kept
        return kept[1]

    def mix(self) -> Mix:
        rate = self.document["session"]["rate"]
        result = mix_of(self.document, lambda asset: asset_audio(asset, rate), self.lane)
        self._mix = with_known_sources(result, self._mix) if self._mix else result
        return self._mix


_lock = Lock()
"""Held for a look at what is kept only; each session has a lock of its own while it is followed."""
_followers: LRUCache[UUID, _Follower] = LRUCache(64)
_tried: LRUCache[tuple[UUID, int, tuple[str, ...]], Mix] = LRUCache(16)
_documents: LRUCache[tuple[UUID, int], Document] = LRUCache(64)
_mixes: LRUCache[tuple[UUID, int], Mix] = LRUCache(32)


def document_for(session: Session, revision: int) -> Document:
    """The session's document at a revision; nobody may change it. ApiError if the session has not come to it."""
    return _followed(session.id, revision, None)


def mix_at(session: Session, revision: int) -> Mix:
    """The session's mix at a revision. ApiError if the session has not come to it."""
    key = (session.id, revision)
    with _lock:
        result = _mixes.get(key)
    if result is None:
        mixes: list[Mix] = []
        document = _followed(session.id, revision, mixes)
        rate = document["session"]["rate"]
        made = mixes[0] if mixes else mix_of(document, lambda asset: asset_audio(asset, rate))
        with _lock:
            result = _mixes.setdefault(key, made)
    return result


def _followed(session_id: UUID, revision: int, mixes: list[Mix] | None) -> Document:
    """The document at a revision; where the session is followed there, its mix comes along in ``mixes``."""
    key = (session_id, revision)
    with _lock:
        result = _documents.get(key)
        follower = _followers.setdefault(session_id, _Follower(session_id))
    if result is None or mixes is not None:
        with follower.lock:
            if follower.revision < revision or follower.document is None:
                follower.follow()
            if follower.revision == revision:
                result = follower.document
                if mixes is not None:
                    mixes.append(follower.mix())
    if result is None:
        result = document_at(session_id, revision)
    with _lock:
        return _documents.setdefault(key, result)


def mix_with(session: Session, revision: int, moves: tuple[str, ...]) -> Mix:
    """The mix at a revision with other moves on trial (``server.audio.drafting.with_moves``)."""
    if not moves:
        return mix_at(session, revision)
    key = (session.id, revision, moves)
    with _lock:
        result = _tried.get(key)
    if result is None:
        document, mix = document_for(session, revision), mix_at(session, revision)
        moved = with_moves(session, document, moves, lambda earlier: document_for(session, earlier))
        rate = document["session"]["rate"]
        known = {lane_key(source.id, name): lane for source in mix.sources for name, lane in source.lanes.items()}

        def lane(stored: Mapping[str, Any]) -> Lane:
            same = document["lanes"].get(stored["id"]) is stored and known.get(stored["id"])
            return same or Lane.of(stored["points"])

        made = mix_of(moved, lambda asset: asset_audio(asset, rate), lane)
        with _lock:
            result = _tried.setdefault(key, made)
    return result
