"""Changes that meet: what colleagues have changed of the same, since a change or without its author knowing."""

import math
from collections import defaultdict
from collections.abc import Iterable
from typing import Any

from server.editing.operations import Operation, Touch, overlap, shared
from server.mixsessions.deltas import touched_thing
from server.mixsessions.log import live, without_heavy_fields
from server.mixsessions.models import MixSession, OperationRecord, OperationSubject

MOST_OVERWRITTEN = 8
"""The most overwritten changes that are listed; more are hardly of use."""


def changed_since(session: MixSession, row: OperationRecord, user) -> list[OperationRecord]:
    """Colleagues' operations after ``row`` that changed the same things, in order."""
    own = touches_of(row)
    later = _on_the_same(session, row.revision, own).filter(undoes=None).exclude(author=user)
    return [other for other in without_heavy_fields(later).select_related("author") if _meet(own, touches_of(other))]


def _on_the_same(session: MixSession, revision: int, touches: Iterable[Touch]):
    """Operations after a revision on things or lanes that are touched, by their index: nothing else is read."""
    names = {touched_thing(touch[0]) for touch in touches}
    subjects = OperationSubject.objects.filter(session=session, revision__gt=revision, name__in=names)
    return live(session).filter(pk__in=subjects.values("operation"))


def remaining(own: Iterable[Touch], rivals: Iterable[Touch]) -> list[Touch]:
    """What of one's touches nobody else has touched; of stretches of time what is left of them."""
    result = list(own)
    for other in rivals:
        result = [left for touch in result for left in _without(touch, other)]
    return result


def _without(touch: Touch, other: Touch) -> list[Touch]:
    if not overlap(touch, other):
        return [touch]
    name, start, end = touch
    if start is None or end is None or other[1] is None or other[2] is None:
        return []
    sides = [(start, math.nextafter(other[1], -math.inf)), (math.nextafter(other[2], math.inf), end)]
    return [(name, low, high) for low, high in sides if low <= high]


def unseen(session: MixSession, user, base_revision: int, operation: Operation) -> list[OperationRecord]:
    """Colleagues' operations on the same things after the revision that a change was made on, in order.

    Those that still count: what was made and taken back meanwhile has left nothing.
    """
    if base_revision >= session.revision:
        return []
    touches = operation.touches()
    names = {touch[0] for touch in touches}
    later = _on_the_same(session, base_revision, touches).exclude(author=user)
    later = later.exclude(undoes__revision__gt=base_revision, kind="undo")
    rows = later.defer("inverse", "delta").select_related("author")
    return [row for row in rows if any(touch[0] in names for touch in touches_of(row))]


def overwritten(operation: Operation, others: Iterable[OperationRecord]) -> list[dict[str, Any]]:
    """Those of ``others`` that the operation goes over: the later wins, and both are told."""
    own = operation.touches()
    result = [row for row in others if _meet(own, touches_of(row))]
    return [
        {"revision": row.revision, "author": {"id": row.author_id, "name": row.author_name}, "summary": row.summary}
        for row in result[-MOST_OVERWRITTEN:]
    ]


def meeting(row: OperationRecord, later: OperationRecord) -> list[Touch]:
    """What of a change a later one has touched too; of stretches what they share."""
    later_touches = touches_of(later)
    return [shared(own, other) for own in touches_of(row) for other in later_touches if overlap(own, other)]


def touches_of(row: OperationRecord) -> list[Touch]:
    """What an operation touched."""
    return [(touch[0], touch[1], touch[2]) for touch in row.touches]


def _meet(own: list[Touch], others: list[Touch]) -> bool:
    by_name = defaultdict(list)
    for touch in own:
        by_name[touch[0]].append(touch)
    return any(overlap(a, b) for b in others if b[0] in by_name for a in by_name[b[0]])
