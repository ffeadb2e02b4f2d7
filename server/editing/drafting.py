"""Drafts: changes of lanes that are looked at and heard before anybody applies them, and recorded takes."""

from collections.abc import Iterable, Sequence
from typing import Any
from uuid import UUID

from needle.automation.curve import Lane, Point, stored
from needle.automation.edits import RangeEdit, Surroundings, changed
from needle.automation.grid import bars_words
from needle.automation.recording import Hold, Pass, recorded_steps
from needle.automation.splice import written
from needle.session.document import piece_length, tempo_map
from needle.session.owners import lane_in, lane_key, lane_value, named, owned_parameter, static_in
from needle.session.rhythm import PULSE_DEFAULTS
from needle.session.validation import Document
from server.common.errors import ApiError
from server.editing.models import Draft
from server.mixsessions.models import MixSession, OperationRecord

HISTORY_SHOWN = 60
_PULSE = "/pulse"

Write = dict[str, Any]


class Drafting:
    """Changes to lanes of a document, one after the other, and what has to be written for each."""

    def __init__(self, session: MixSession, document: Document, revision: int) -> None:
        self.session, self.document, self.revision = session, document, revision
        self.tempo = tempo_map(document)
        self.length = piece_length(document)
        self.writes: list[Write] = []
        self._lanes: dict[str, Lane] = {}

    def lane(self, owner: str, parameter: str) -> tuple[Lane, float]:
        """A lane as the draft has it so far, and its static value."""
        static = static_in(self.document, owner, parameter)
        key = lane_key(owner, parameter)
        if key not in self._lanes:
            self._lanes[key] = lane_in(self.document, owner, parameter)
        return self._lanes[key], static

    def change(
        self,
        owner: str,
        parameter: str,
        start: float,
        end: float,
        edit: RangeEdit,
        glide: float = 0.0,
        stay: bool = False,
    ) -> None:
        """Make a range operation on a lane."""
        around = Surroundings(owned_parameter(owner, parameter), self.tempo, self.length)
        lane, static = self.lane(owner, parameter)
        self.put(owner, parameter, changed(lane, static, start, end, edit, around, glide, stay))

    def put(self, owner: str, parameter: str, lane: Lane) -> None:
        """The lane has become another one."""
        before, _ = self.lane(owner, parameter)
        self._lanes[lane_key(owner, parameter)] = lane
        change = written(before, lane)
        if change is not None:
            start, end, points = change
            self.writes.append(
                {"owner": owner, "parameter": parameter, "start": start, "end": end, "points": stored(points)}
            )

    def whose(self, owners: Iterable[str]) -> str:
        """What lanes belong to, in a word or two."""
        names = list(dict.fromkeys(named(self.document, owner) for owner in owners))
        return names[0] if len(names) == 1 else f"{len(names)} sources"

    def draft(self, user, summary: str) -> Draft:
        """Keep it to be looked at; only the latest few of one's own are kept."""
        return Draft.keep(self.session, user, Draft.Kind.PREVIEW, self.revision, self.writes, {"summary": summary})

    def take(self, user, about: dict[str, Any]) -> Draft:
        """Keep it as a take."""
        return Draft.keep(self.session, user, Draft.Kind.TAKE, self.revision, self.writes, about)


Control = tuple[str, str, Sequence[tuple[Sequence[tuple[float, float]], float]]]
"""What was done with a control: whose parameter, and each time that it was held (samples, end)."""


def record_take(
    drafting: Drafting, user, start: float, end: float, mode: str, glide: float, controls: Iterable[Control]
) -> Draft:
    """A recorded pass as a take."""
    samples, owners = 0, []
    for owner, parameter, holds in controls:
        run = Pass(start, end, tuple(Hold(tuple(values), until) for values, until in holds))
        samples += sum(len(hold.samples) for hold in run.holds)
        lane, static = drafting.lane(owner, parameter)
        # Stretch by stretch, so that what a colleague does between two of them stays.
        for step in recorded_steps(lane, static, run, mode, owned_parameter(owner, parameter), glide):
            drafting.put(owner, parameter, step)
        owners.append(owner)
    summary = f"{drafting.whose(owners)}: {bars_words(drafting.tempo, start, end)} recorded ({mode})"
    about = {"summary": summary, "start": start, "end": end, "mode": mode, "samples": samples}
    return drafting.take(user, about)


def own_takes(session: MixSession, user) -> Iterable[Draft]:
    """Somebody's own takes, latest first."""
    return Draft.objects.filter(session=session, author=user, kind=Draft.Kind.TAKE)


def forget(session: MixSession, user, take: UUID) -> int:
    """Drop a take; ApiError if it is not there or somebody else's."""
    count, _ = own_takes(session, user).filter(pk=take).delete()
    if not count:
        raise ApiError("edit.take_deleted", 404)
    return count


def lane_history(session: MixSession, owner: str, parameter: str) -> list[OperationRecord]:
    """The operations that changed a lane, latest first."""
    rows = OperationRecord.objects.filter(
        session=session, subjects__name=lane_key(owner, parameter), subjects__changed=True
    )
    rows = rows.select_related("author").defer("body", "inverse", "delta", "touches")
    return list(rows.order_by("-revision")[:HISTORY_SHOWN])


def with_moves(session: MixSession, document: Document, moves: Sequence[str], at) -> Document:
    """A document with other moves, as somebody listens to them: the words of ``Heard.moves``.

    ``at(revision)`` gives the document at an earlier revision.
    """
    lanes, pulses = dict(document["lanes"]), dict(document["pulses"])

    def put(key: str, points: list[dict[str, Any]]) -> None:
        if points:
            lanes[key] = lane_value(key, points)
        else:
            lanes.pop(key, None)

    for move in moves:
        which, _, what = move.partition("=")
        if which == "draft":
            for write in _draft(session, what).writes:
                if "pulse" in write:
                    pulses[write["pulse"]] = {"id": write["pulse"], **PULSE_DEFAULTS, **write["values"]}
                    continue
                key = lane_key(write["owner"], write["parameter"])
                before = Lane.of(lanes.get(key, {"points": []})["points"])
                points = tuple(Point(**point) for point in write["points"])
                put(key, stored(before.with_range(write["start"], write["end"], points).points))
        elif which.endswith(_PULSE):
            owner = which.removesuffix(_PULSE)
            result = None if what == "none" else at(int(what))["pulses"].get(owner)
            pulses[owner] = result or {"on": False}
        elif what == "none":
            put(which, [])
        else:
            put(which, at(int(what))["lanes"].get(which, {"points": []})["points"])
    return {**document, "lanes": lanes, "pulses": pulses}


def _draft(session: MixSession, key: str) -> Draft:
    result = Draft.objects.filter(session=session, pk=key).first()
    if result is None:
        raise ApiError("edit.preview_expired", 404)
    return result
