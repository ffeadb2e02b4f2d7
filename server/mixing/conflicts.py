"""Changes that meet: what colleagues have changed of the same, since a change or without its author knowing."""

from collections import defaultdict
from collections.abc import Iterable, Iterator
from typing import Any

from server.mixing.models import Operation as Row
from server.mixing.models import Session
from server.mixing.operations import Operation, Touch, overlap, shared

MOST_TOLD = 8
"""So many of the changes that one goes over are told; more are hardly of use."""


def live(session: Session):
    """Operations that have not been undone. An undo that was itself redone no longer counts."""
    undone = Row.objects.filter(session=session, undoes__isnull=False)
    redone = undone.filter(undone_by__isnull=False).values("pk")
    return session.operations.exclude(pk__in=undone.exclude(pk__in=redone).values("undoes"))


class Later:
    """What colleagues have changed after a moment, gathered going back in time."""

    def __init__(self) -> None:
        self._by_name: dict[str, list[tuple[Touch, int]]] = defaultdict(list)

    def add(self, row: Row) -> None:
        for touch in _touches(row):
            self._by_name[touch[0]].append((touch, row.pk))

    def meeting(self, row: Row) -> Row | None:
        """One of them that changed the same thing as ``row``, the first that did."""
        result = [
            pk for mine in _touches(row) for touch, pk in reversed(self._by_name[mine[0]]) if overlap(mine, touch)
        ]
        return Row.objects.select_related("author").get(pk=result[0]) if result else None


def own_latest(session: Session, user) -> Iterator[tuple[Row, Row | None]]:
    """One's own operations that can be undone, the latest first, each with a colleague's that changed the same since.

    Rows are read as they are needed: who undoes what they have just done waits for nothing.
    """
    later = Later()
    for row in _light(live(session).filter(undoes=None)).order_by("-revision").iterator(chunk_size=100):
        if row.author_id == user.pk:
            yield row, later.meeting(row)
        else:
            later.add(row)


def changed_since(session: Session, row: Row, user) -> Row | None:
    """A colleague's operation after ``row`` that changed the same thing, if there is one."""
    later = Later()
    for other in _light(live(session).filter(revision__gt=row.revision, undoes=None)).exclude(author=user):
        later.add(other)
    return later.meeting(row)


def _light(rows):
    """Rows without what weighs most: it is read when it is asked for."""
    return rows.defer("body", "inverse", "delta")


def unseen(session: Session, user, base_revision: int, operation: Operation) -> list[Row]:
    """Colleagues' operations on the same things after the revision that a change was made on, in order.

    Those that still count: what was made and taken back meanwhile has left nothing.
    """
    if base_revision >= session.revision:
        return []
    names = {touch[0] for touch in operation.touches()}
    later = live(session).filter(revision__gt=base_revision).exclude(author=user)
    later = later.exclude(undoes__revision__gt=base_revision, kind="undo")
    # Most of what others do is about other things: only what it touches is read of that.
    near = [
        pk for pk, touches in later.values_list("pk", "touches").iterator() if any(t[0] in names for t in touches)
    ]
    return list(Row.objects.filter(pk__in=near).defer("inverse", "delta").select_related("author")) if near else []


def overwritten(operation: Operation, others: Iterable[Row]) -> list[dict[str, Any]]:
    """Those of ``others`` that the operation goes over: the later wins, and both are told."""
    mine = operation.touches()
    result = [row for row in others if _meet(mine, _touches(row))]
    return [
        {"revision": row.revision, "author": {"id": row.author_id, "name": row.author_name}, "summary": row.summary}
        for row in result[-MOST_TOLD:]
    ]


def meeting(row: Row, later: Row) -> list[Touch]:
    """What of a change a later one has touched too; of stretches what they share."""
    others = _touches(later)
    return [shared(mine, other) for mine in _touches(row) for other in others if overlap(mine, other)]


def _touches(row: Row) -> list[Touch]:
    return [(touch[0], touch[1], touch[2]) for touch in row.touches]


def _meet(mine: list[Touch], others: list[Touch]) -> bool:
    by_name = defaultdict(list)
    for touch in mine:
        by_name[touch[0]].append(touch)
    return any(overlap(a, b) for b in others if b[0] in by_name for a in by_name[b[0]])
