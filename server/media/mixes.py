"""Mixes of sessions at their revisions, kept ready so that an edit costs only what it changed."""

from collections.abc import Mapping
from threading import Lock
from typing import Any
from uuid import UUID

from cachetools import LRUCache

from needle.automation.curve import Lane
from needle.mix.model import Mix, MixSource
from needle.mix.reuse import with_known_sources
from needle.session.document import mix_of
from needle.session.held import with_held
from needle.session.owners import lane_key
from needle.session.validation import Document
from server.common.errors import ApiError
from server.editing.drafting import with_moves
from server.media.assets import asset_audio
from server.mixsessions.document_cache import document_for
from server.mixsessions.models import MixSession


class _Latest:
    """What is known of a session's latest mix: its lanes as they were read, and the mix."""

    def __init__(self) -> None:
        self.lock = Lock()
        self.revision = -1
        self._lanes: dict[str, tuple[Mapping[str, Any], Lane]] = {}
        self._mix: Mix | None = None

    def mix(self, document: Document, revision: int) -> Mix:
        """The mix of a later revision than before."""
        rate = document["session"]["rate"]
        self._lanes = {key: read for key, read in self._lanes.items() if key in document["lanes"]}
        result = mix_of(document, lambda asset: asset_audio(asset, rate), self._lane)
        self._mix = with_known_sources(result, self._mix) if self._mix else result
        self.revision = revision
        return self._mix

    def _lane(self, stored: Mapping[str, Any]) -> Lane:
        """A lane of the document, read once as long as it stays the same object."""
        cached = self._lanes.get(stored["id"])
        if cached is None or cached[0] is not stored:
            cached = (stored, Lane.of(stored["points"]))
            self._lanes[stored["id"]] = cached
        return cached[1]


_lock = Lock()
"""Held for a look at the caches only; each session has a lock of its own while its mix is made."""
_latest: LRUCache[UUID, _Latest] = LRUCache(64)
_previewed: LRUCache[tuple[UUID, int, tuple[str, ...], tuple[str, ...]], Mix] = LRUCache(64)
_mixes: LRUCache[tuple[UUID, int], Mix] = LRUCache(32)


def mix_at(session: MixSession, revision: int) -> Mix:
    """The session's mix at a revision. ApiError if the session has not come to it."""
    key = (session.id, revision)
    with _lock:
        result = _mixes.get(key)
        latest = _latest.setdefault(session.id, _Latest())
    if result is not None:
        return result
    document = document_for(session, revision)
    with latest.lock:
        if revision > latest.revision:
            result = latest.mix(document, revision)
    if result is None:
        rate = document["session"]["rate"]
        result = mix_of(document, lambda asset: asset_audio(asset, rate))
    with _lock:
        return _mixes.setdefault(key, result)


def mix_with(session: MixSession, revision: int, moves: tuple[str, ...], held: tuple[str, ...] = ()) -> Mix:
    """The mix at a revision with other moves on trial (``server.editing.drafting.with_moves``), and as hands hold it.

    ``held``: values by control, as ``oars.width=0.4`` (``needle.session.held``).
    """
    if not (moves or held):
        return mix_at(session, revision)
    key = (session.id, revision, moves, held)
    with _lock:
        result = _previewed.get(key)
    if result is None:
        document, mix = document_for(session, revision), mix_at(session, revision)
        moved = with_moves(session, document, moves, lambda earlier: document_for(session, earlier))
        moved = with_held(moved, dict(_held_value(one) for one in held))
        rate = document["session"]["rate"]
        known = {lane_key(source.id, name): lane for source in mix.sources for name, lane in source.lanes.items()}

        def lane(stored: Mapping[str, Any]) -> Lane:
            same = document["lanes"].get(stored["id"]) is stored and known.get(stored["id"])
            return same or Lane.of(stored["points"])

        result = with_known_sources(mix_of(moved, lambda asset: asset_audio(asset, rate), lane), mix)
        with _lock:
            result = _previewed.setdefault(key, result)
    return result


def _held_value(one: str) -> tuple[str, float]:
    control, _, value = one.partition("=")
    return control, float(value)


def source_of(mix: Mix, key: str) -> MixSource:
    """A source of a mix; ApiError if it is not there."""
    result = next((source for source in mix.sources if source.id == key), None)
    if result is None:
        raise ApiError("media.source_removed", 404)
    return result
