"""Any revision of a session in little time: the nearest snapshot before it, and the operations after that.

A snapshot is taken every ``EVERY`` revisions. It stores only the entities that have changed since the one before, so
that a session of many sources whose moves are drawn for hours stays small.
"""

from collections.abc import Iterable
from uuid import UUID

from django.db import transaction
from django.db.models import Max

from needle.session.validation import PARTS, Document
from server.mixsessions.deltas import SETTINGS_KEY, apply_delta, entity_in, packed, unpacked
from server.mixsessions.models import EntityVersion, MixSession, OperationRecord

EVERY = 500

_AT_ONCE = 200


def store_beginning(session: MixSession, document: Document) -> None:
    """Store the document that a session begins as: its snapshot at revision 0."""
    entities = [("session", SETTINGS_KEY), *((part, key) for part in PARTS for key in document[part])]
    _store(session.pk, 0, document, entities)


def take_snapshots(session_id: UUID) -> None:
    """Take every snapshot that is due. Whoever else does so at the same time takes the same ones."""
    while True:
        session = MixSession.objects.only("revision", "snapshot_revision").get(pk=session_id)
        due = session.snapshot_revision + EVERY
        if due > session.revision:
            return
        before = at_snapshot(session_id, session.snapshot_revision)
        document, changed = before, set()
        for delta in _deltas(session_id, session.snapshot_revision, due):
            document = apply_delta(document, delta)
            changed |= {(change["part"], change["key"]) for change in delta}
        with transaction.atomic():
            _store(session_id, due, document, sorted(changed))
            MixSession.objects.filter(pk=session_id, snapshot_revision__lt=due).update(snapshot_revision=due)


def _store(session_id: UUID, revision: int, document: Document, entities: Iterable[tuple[str, str]]) -> None:
    versions = (
        EntityVersion(
            session_id=session_id, revision=revision, kind=part, key=key, value=packed(entity_in(document, part, key))
        )
        for part, key in entities
    )
    EntityVersion.objects.bulk_create(versions, batch_size=_AT_ONCE, ignore_conflicts=True)


def at_snapshot(session_id: UUID, revision: int) -> Document:
    """The document at a snapshot, by its revision."""
    stored = EntityVersion.objects.filter(session=session_id, revision__lte=revision)
    by_entity = stored.values_list("kind", "key").annotate(at=Max("revision")).order_by()
    latest = {(part, key): at for part, key, at in by_entity}
    document: Document = {"session": {}, **{part: {} for part in PARTS}}
    revisions = set(latest.values())
    for part, key, at, value in stored.filter(revision__in=revisions).values_list("kind", "key", "revision", "value"):
        if latest[part, key] != at or value is None:
            continue
        if part == "session":
            document["session"] = unpacked(value)
        else:
            document[part][key] = unpacked(value)
    return {part: dict(sorted(rows.items())) if part != "session" else rows for part, rows in document.items()}


def document_at(session_id: UUID, revision: int) -> Document:
    """The document as it stood after a revision that the session has come to."""
    latest = MixSession.objects.values_list("snapshot_revision", flat=True).get(pk=session_id)
    nearest = min(latest, revision // EVERY * EVERY)
    document = at_snapshot(session_id, nearest)
    for delta in _deltas(session_id, nearest, revision):
        document = apply_delta(document, delta)
    return document


def _deltas(session_id: UUID, after: int, until: int) -> Iterable[list[dict]]:
    """The deltas of the operations after a revision, until another."""
    rows = OperationRecord.objects.filter(session=session_id, revision__gt=after, revision__lte=until)
    return rows.order_by("revision").values_list("delta", flat=True).iterator(chunk_size=_AT_ONCE)
