"""Many people at once over lines that drop, delay and double what is sent: all come to the same, nothing twice."""

import random
from collections import deque
from typing import Any
from uuid import UUID, uuid4

from django.contrib.auth import get_user_model

from needle.errors import NeedleError
from server.common.errors import ApiError
from server.editing.operations import operation_from
from server.editing.services import redo, replayed, submit, undo
from server.mixsessions.deltas import apply_delta
from server.mixsessions.log import serialize_revision, since
from server.mixsessions.models import Membership, OperationRecord
from server.mixsessions.state import stored_document
from tests import often
from tests.server.sessions import CommittedCase

PEOPLE = often(8, 20)
OPERATIONS = often(240, 5000)
KEYS = ("low", "high", "wide")


class Wire:
    """What is on its way to one person, in the order in which it will arrive, whatever was sent first."""

    def __init__(self, chance: random.Random) -> None:
        self.chance = chance
        self.coming: deque[dict[str, Any]] = deque()

    def carry(self, message: dict[str, Any]) -> None:
        fate = self.chance.random()
        if fate < 0.1:
            return
        self.coming.append(message)
        if fate < 0.2:
            self.coming.append(message)
        if fate > 0.8 and len(self.coming) > 1:
            # Late: what was sent after it arrives before it.
            self.coming.rotate(1)


class Person:
    """A browser as the protocol has it: a replica, changes on their way, and a line that comes and goes."""

    def __init__(self, crowd: "Crowd", user: Any, chance: random.Random) -> None:
        self.crowd, self.user, self.chance = crowd, user, chance
        self.document, self.revision = stored_document(crowd.session), crowd.session.revision
        self.early: dict[int, dict[str, Any]] = {}
        self.outbox: deque[tuple[UUID, int, dict[str, Any] | str]] = deque()
        self.acknowledged: set[UUID] = set()
        self.wire = Wire(chance)
        self.online = True

    def hear(self, message: dict[str, Any]) -> None:
        self.take(message)
        if self.early and self.online:
            self.catch_up()

    def take(self, message: dict[str, Any]) -> None:
        """Take in a revision; those that come too early wait for the ones before."""
        if message["revision"] <= self.revision:
            return
        self.early[message["revision"]] = message
        while self.revision + 1 in self.early:
            found = self.early.pop(self.revision + 1)
            self.document = apply_delta(self.document, found["delta"])
            self.revision += 1

    def catch_up(self) -> None:
        for message in since(self.crowd.session.id, self.revision):
            self.take(message)

    def wish(self) -> dict[str, Any] | str:
        """Something that an engineer may do next."""
        chance = self.chance
        key = chance.choice(KEYS)
        points = [{"t": round(chance.uniform(0, 4), 2), "value": round(chance.uniform(-1, 1), 2)} for _ in range(2)]
        points.sort(key=lambda point: point["t"])
        there = self.document["lanes"].get(f"{key}/pan", {"points": []})["points"]
        was = chance.choice(there) if there else None
        lane = {"owner": key, "parameter": "pan"}
        wishes: list[dict[str, Any] | str] = [
            {"kind": "place-source", "source": key, "pan": round(chance.uniform(-1, 1), 2)},
            {"kind": "set-level", "source": key, "level": round(chance.uniform(-20, 3), 1)},
            {"kind": "write-points", **lane, "start": points[0]["t"], "end": points[1]["t"], "points": points},
            {"kind": "move-point", **lane, "before": was, "after": points[0]},
            {"kind": "shift-values", "sources": list(KEYS), "parameter": "level", "by": chance.choice([-1.0, 1.0])},
            {"kind": "mute-source", "source": key, "muted": chance.random() < 0.5},
            {"kind": "rename-source", "source": key, "name": f"{key} {chance.randrange(99)}"},
            {"kind": "remove-source", "source": "gone"},
            "undo", "redo",
        ]  # fmt: skip
        return chance.choices(wishes, [8, 6, 6, 6, 2, 2, 1, 1, 3, 1])[0]

    def step(self) -> None:
        """Do something, send something, or hear something."""
        if self.chance.random() < (0.02 if self.online else 0.1):
            self.online = not self.online
            if self.online:
                self.catch_up()
        if self.chance.random() < 0.5 and self.crowd.left > 0:
            self.crowd.left -= 1
            self.outbox.append((uuid4(), self.revision, self.wish()))
        if self.online:
            if self.outbox:
                self.send()
            if self.wire.coming:
                self.hear(self.wire.coming.popleft())

    def send(self) -> None:
        """The first of what waits; it stays until it is answered, and may arrive twice."""
        client_id, base_revision, body = self.outbox[0]
        for _ in range(2 if self.chance.random() < 0.1 else 1):
            answer = self.crowd.serve(self.user, client_id, base_revision, body)
        if self.chance.random() < 0.1:
            return  # The answer is lost: the same goes out again.
        self.outbox.popleft()
        if answer is not None:
            self.acknowledged.add(client_id)
            self.hear(answer)


class Crowd:
    def __init__(self, session: Any, users: list[Any], seed: int) -> None:
        self.session, self.left = session, OPERATIONS
        self.people = [Person(self, user, random.Random(f"{seed} {user.pk}")) for user in users]
        self.known = session.revision

    def serve(
        self, user: Any, client_id: UUID, base_revision: int, body: dict[str, Any] | str
    ) -> dict[str, Any] | None:
        try:
            if isinstance(body, str):
                committed = (undo if body == "undo" else redo)(user, self.session.id, client_id)
            else:
                committed = submit(user, self.session.id, client_id, base_revision, operation_from(body))
        except (NeedleError, ApiError):
            return None
        message = serialize_revision(committed.row)
        if message["revision"] > self.known:
            self.known = message["revision"]
            for person in self.people:
                if person.online:
                    person.wire.carry(message)
        return message


class Convergence(CommittedCase):
    def test_all_come_to_the_same_and_everything_acknowledged_is_there_once(self) -> None:
        users = [get_user_model().objects.create(username=f"p{number}") for number in range(PEOPLE)]
        Membership.objects.bulk_create(
            Membership(session=self.session, user=user, role="engineer", colour=number)
            for number, user in enumerate(users)
        )
        self.session.refresh_from_db()
        crowd = Crowd(self.session, users, seed=26)
        order = random.Random(11)
        while crowd.left > 0:
            order.choice(crowd.people).step()
        for person in crowd.people:
            person.online = True
            while person.outbox:
                person.send()
        for person in crowd.people:
            while person.wire.coming:
                person.hear(person.wire.coming.popleft())
            person.catch_up()
        self.session.refresh_from_db()
        final = stored_document(self.session)
        self.assertGreater(self.session.revision, OPERATIONS / 2)
        for person in crowd.people:
            self.assertEqual(person.revision, self.session.revision)
            self.assertEqual(person.document, final)
        self.assertEqual(replayed(self.session), final)
        ids = list(OperationRecord.objects.filter(session=self.session).values_list("client_id", flat=True))
        self.assertEqual(len(ids), len(set(ids)))
        for person in crowd.people:
            self.assertLessEqual(person.acknowledged, set(ids))
        self.assertTrue(OperationRecord.objects.exclude(overwrote=[]).exists())
