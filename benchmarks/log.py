"""The log: its size, and any revision of a session of 64 sources × 2,000 points after 50,000 operations.

Run (with the packages of ./test): python -m benchmarks.log
"""

import os
import random
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any
from uuid import uuid4

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
os.environ.setdefault("NEEDLE_LOCAL", "1")
os.environ.setdefault("NEEDLE_DATA", tempfile.mkdtemp())

SOURCES, POINTS, OPERATIONS = 64, 2000, int(os.environ.get("OPERATIONS", "50000"))
TIMES = 40
_AT_ONCE = 500


def main() -> None:
    import django

    django.setup()
    from django.contrib.auth import get_user_model
    from django.core.management import call_command
    from django.db import connection

    from server.editing.operations import operation_from
    from server.editing.services import submit, undo
    from server.mixsessions import snapshots
    from server.mixsessions.log import document_at, present, since, turns_of
    from server.mixsessions.models import EntityVersion, MixSession, OperationRecord

    call_command("migrate", verbosity=0)
    user = get_user_model().objects.create_user("rowan")
    session = _session(user)
    edits = Edits(session.pk)
    _timed("an edit stored, at the beginning", TIMES, lambda: submit(user, session.pk, uuid4(), None, edits()))
    session.refresh_from_db()
    rows = []
    for revision in range(session.revision + 1, OPERATIONS + 1):
        operation = edits()
        before, after = operation.before.model_dump(), operation.after.model_dump()
        key = f"{operation.owner}/pan"
        change = {"part": "lanes", "key": key, "points": {"at": edits.at, "removed": 1, "inserted": [after]}}
        rows.append(
            OperationRecord(
                session=session, revision=revision, client_id=uuid4(), author=user, base_revision=revision - 1,
                kind=operation.kind, body=operation.model_dump(exclude_none=True), delta=[change],
                inverse={**operation.model_dump(exclude_none=True), "before": after, "after": before},
                touches=[[key, before["t"], before["t"]]], summary="pan point moved",
            )
        )  # fmt: skip
        if len(rows) == _AT_ONCE or revision == OPERATIONS:
            OperationRecord.objects.bulk_create(rows)
            MixSession.objects.filter(pk=session.pk).update(revision=revision)
            rows.clear()
            snapshots.take_snapshots(session.pk)
    edits.store()
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT AVG(LENGTH(body) + LENGTH(inverse) + LENGTH(delta) + LENGTH(touches)) "
            "FROM mixsessions_operationrecord"
        )
        (each,) = cursor.fetchone()
        cursor.execute("SELECT SUM(LENGTH(value)) FROM mixsessions_entityversion")
        (snapshot_bytes,) = cursor.fetchone()
    size = Path(connection.settings_dict["NAME"]).stat().st_size
    print(f"a moved point of {POINTS:,} in the log: {each:.0f} bytes")
    print(f"after {OPERATIONS:,} operations: {size / 1e6:.0f} MB, {snapshot_bytes / 1e6:.0f} MB of it snapshots "
          f"({EntityVersion.objects.count():,} entities)")  # fmt: skip
    session.refresh_from_db()
    chance = random.Random(5)
    _timed("any revision", TIMES, lambda: document_at(session.pk, chance.randrange(session.revision)))
    _timed("the session as it stands", TIMES, lambda: present(session.pk))
    _timed(
        "the last 100 revisions, told to who missed them", TIMES, lambda: since(session.pk, session.revision - 100)
    )
    _timed("what an undo would take back", TIMES, lambda: turns_of(session, user))
    _timed("an edit stored, at the end", TIMES, lambda: submit(user, session.pk, uuid4(), None, edits()))
    _timed("an undo", 10, lambda: undo(user, session.pk, uuid4()))
    operation_from(OperationRecord.objects.latest("revision").body)


def _timed(what: str, times: int, work: Callable[[], Any]) -> None:
    took = []
    for _number in range(times):
        start = time.perf_counter()
        work()
        took.append((time.perf_counter() - start) * 1000.0)
    took.sort()
    print(f"{what}: {took[len(took) // 2]:.0f} ms (95th percentile {took[int(len(took) * 0.95)]:.0f} ms)")


def _session(user: Any) -> Any:
    from needle.automation.curve import Lane, stored
    from needle.session.document import SOURCE_DEFAULTS, empty_document
    from needle.session.owners import lane_value
    from server.mixsessions.services import create_session

    document = empty_document("Long log", 48000, 300.0)
    for number in range(SOURCES):
        key = f"s{number}"
        document["sources"][key] = {
            **SOURCE_DEFAULTS, "id": key, "name": key, "colour": number % 10, "order": number, "asset": "0" * 64,
            "channels": 1, "seconds": 300.0, "mode": "pan",
        }  # fmt: skip
        points = [
            {"t": i * 0.15, "value": (i * 7 + number) % 20 / 10 - 1, "shape": "straight", "tension": 0.0,
             "shape_start": 0.0, "shape_end": 1.0}
            for i in range(POINTS)
        ]  # fmt: skip
        document["lanes"][f"{key}/pan"] = lane_value(f"{key}/pan", stored(Lane.of(points).points))
    return create_session(document, user)


class Edits:
    """Moves of single points, as hands make them, one after the other."""

    def __init__(self, session_id: Any) -> None:
        from server.mixsessions.models import Entity

        self._chance = random.Random(7)
        self._rows = {row.key: row for row in Entity.objects.filter(session=session_id, kind="lanes")}
        self.at = 0

    def __call__(self) -> Any:
        from server.editing.operations.points import MovePoint

        owner = f"s{self._chance.randrange(SOURCES)}"
        points = self._rows[f"{owner}/pan"].value["points"]
        self.at = self._chance.randrange(POINTS)
        before = points[self.at]
        points[self.at] = {**before, "value": round(self._chance.uniform(-1.0, 1.0), 3)}
        return MovePoint(owner=owner, parameter="pan", before=before, after=points[self.at])

    def store(self) -> None:
        for row in self._rows.values():
            row.save(update_fields=["value"])


if __name__ == "__main__":
    main()
