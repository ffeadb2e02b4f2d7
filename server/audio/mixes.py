"""Mixes of sessions at their revisions, kept ready so that an edit costs only what it changed."""

from collections.abc import Mapping
from threading import Lock
from typing import Any
from uuid import UUID

from cachetools import LRUCache

from needle.automation.curve import Lane
from needle.mix.model import Mix
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
        self._lanes: dict[str, tuple[Mapping[str, Any], Lane]] = {}

    def follow(self) -> None:
        """Come to the latest revision."""
        missed = since(self.session_id, self.revision) if self.document is not None else []
        if self.document is None or len(missed) == MOST_AT_ONCE:
            self.document, self.revision = present(self.session_id)
            return
        for message in missed:
            self.document = apply_delta(self.document, message["delta"])
            self.revision = message["revision"]

    def lane(self, stored: Mapping[str, Any]) -> Lane:
        """A lane of the document, read once as long as it stays the same object."""
        kept = self._lanes.get(stored["id"])
        if kept is None or kept[0] is not stored:
            kept = (stored, Lane.of(stored["points"]))
            self._lanes[stored["id"]] = kept
        return kept[1]

    def mix(self) -> Mix:
        rate = self.document["session"]["rate"]
        return mix_of(self.document, lambda asset: asset_audio(asset, rate), self.lane)


_lock = Lock()
_followers: LRUCache[UUID, _Follower] = LRUCache(64)
_tried: LRUCache[tuple[UUID, int, tuple[str, ...]], Mix] = LRUCache(16)
_kept: LRUCache[tuple[UUID, int], tuple[Document, Mix]] = LRUCache(256)


def mix_at(session: Session, revision: int) -> Mix:
    """The session's mix at a revision. Refused if the session has not come to it."""
    return _at(session, revision)[1]


def document_for(session: Session, revision: int) -> Document:
    """The document that a mix was made of; nobody may change it."""
    return _at(session, revision)[0]


def mix_with(session: Session, revision: int, moves: tuple[str, ...]) -> Mix:
    """The mix at a revision with other moves on trial (``server.audio.drafting.with_moves``)."""
    if not moves:
        return mix_at(session, revision)
    key = (session.id, revision, moves)
    with _lock:
        result = _tried.get(key)
    if result is None:
        document, mix = _at(session, revision)
        moved = with_moves(session, document, moves, lambda earlier: document_for(session, earlier))
        rate = document["session"]["rate"]
        known = {lane_key(source.id, name): lane for source in mix.sources for name, lane in source.lanes.items()}

        def lane(stored: Mapping[str, Any]) -> Lane:
            same = document["lanes"].get(stored["id"]) is stored and known.get(stored["id"])
            return same or Lane.of(stored["points"])

        result = mix_of(moved, lambda asset: asset_audio(asset, rate), lane)
        with _lock:
            _tried[key] = result
    return result


def _at(session: Session, revision: int) -> tuple[Document, Mix]:
    key = (session.id, revision)
    result = None
    with _lock:
        if key in _kept:
            return _kept[key]
        follower = _followers.setdefault(session.id, _Follower(session.id))
        if follower.revision < revision or follower.document is None:
            follower.follow()
        if follower.revision == revision:
            result = follower.document, follower.mix()
    if result is None:
        document = document_at(session.id, revision)
        rate = document["session"]["rate"]
        result = document, mix_of(document, lambda asset: asset_audio(asset, rate))
    with _lock:
        return _kept.setdefault(key, result)
