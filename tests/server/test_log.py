"""The log: small, and read no further than what is asked for."""

import copy
import json
import re
from typing import Any
from unittest import mock
from uuid import uuid4

from django.db import connection
from django.test import SimpleTestCase
from django.test.utils import CaptureQueriesContext
from hypothesis import given
from hypothesis import strategies as st

from needle.errors import NeedleError
from needle.session.document import empty_document
from server.editing.operations import operation_from
from server.editing.services import replayed
from server.mixsessions import snapshots
from server.mixsessions.deltas import apply_delta, documents_delta
from server.mixsessions.log import MOST_AT_ONCE, document_at, serialize_revision, since
from server.mixsessions.models import EntityVersion, OperationRecord, OperationSubject
from server.mixsessions.state import DocumentState, stored_document
from tests import examples
from tests.server.sessions import SessionCase, source
from tests.server.strategies import KEYS, operations

POINTS = 2000
LANE = {"owner": "low", "parameter": "pan"}
LINE = [{"t": i / 100, "value": (i % 7) / 10} for i in range(POINTS)]


class Deltas(SimpleTestCase):
    @examples(100)
    @given(st.lists(operations, min_size=1, max_size=20))
    def test_a_delta_makes_one_document_the_other(self, bodies: list[dict]) -> None:
        document = empty_document("Any")
        for order, key in enumerate(KEYS):
            document["sources"][key] = source(key, "0" * 64, order, 2 if key == "wide" else 1)
        state = DocumentState(document)
        for body in bodies:
            before = state.document
            copied = copy.deepcopy(before)
            try:
                operation_from(body).apply(state)
            except NeedleError:
                state.document = before
            for old, new in ((before, state.document), (state.document, before), (document, state.document)):
                delta = json.loads(json.dumps(documents_delta(old, new)))
                self.assertEqual(apply_delta(old, delta), new)
            self.assertEqual(before, copied, "a delta is applied to a copy")


class Log(SessionCase):
    def queries(self, path: str, who: str = "emil") -> list[str]:
        with CaptureQueriesContext(
            connection,
        ) as captured:
            answer = self.as_(who).get(path)
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        return [query["sql"] for query in captured]

    def drawn(self, key: str = "low") -> None:
        body = {"kind": "write-points", **LANE, "owner": key, "start": 0.0, "end": 100.0, "points": LINE}
        self.assertEqual(self.operate(self.as_("emil"), body).status_code, 200)

    def moved(self, times: int, who: str = "emil") -> dict[str, Any]:
        """One point of two thousand, moved so often; the last answer."""
        answer: dict[str, Any] = {}
        client = self.as_(who)
        for i in range(times):
            before = {"t": 5.0, "value": LINE[500]["value"] if i == 0 else (i - 1) % 9 / 10}
            body = {"kind": "move-point", **LANE, "before": before, "after": {"t": 5.0, "value": i % 9 / 10}}
            answered = self.operate(client, body)
            self.assertEqual(answered.status_code, 200, answered.content)
            answer = answered.json()
        return answer

    def test_moving_one_point_of_many_costs_little_in_the_log_and_on_the_wire(self) -> None:
        self.drawn()
        answer = self.moved(1)
        row = OperationRecord.objects.filter(session=self.session).latest("revision")
        stored = [row.body, row.inverse, row.delta, row.touches, row.overwrote]
        self.assertLess(sum(len(json.dumps(part)) for part in stored) + len(row.summary), 1000)
        self.assertLess(len(json.dumps(serialize_revision(row))), 1000)
        self.assertLess(len(json.dumps(answer)), 1200)
        (change,) = row.delta
        self.assertEqual((change["points"]["at"], change["points"]["removed"]), (500, 1))
        switch = {"kind": "switch-lane", **LANE, "on": False}
        for _ in range(2):
            self.operate(self.as_("emil"), switch)
            self.assertLess(len(json.dumps(serialize_revision(OperationRecord.objects.latest("pk")))), 1000)
            switch["on"] = True

    def test_every_revision_is_there_between_snapshots_and_at_them(self) -> None:
        states = {self.revision(): stored_document(self.session)}
        with mock.patch.object(snapshots, "EVERY", 4):
            self.drawn()
            for i in range(11):
                self.make(i)
                states[self.revision()] = stored_document(self.session)
                with self.captureOnCommitCallbacks(execute=True):
                    pass
            snapshots.take_snapshots(self.session.pk)
            self.session.refresh_from_db()
            self.assertEqual(self.session.snapshot_revision, self.session.revision // 4 * 4)
            for revision, document in states.items():
                self.assertEqual(document_at(self.session.pk, revision), document, revision)
        self.assertEqual(replayed(self.session), stored_document(self.session))
        # A lane that was drawn once is stored once, however many snapshots follow.
        versions = EntityVersion.objects.filter(session=self.session, kind="lanes", key="low/pan")
        self.assertEqual(versions.count(), 1)

    def make(self, i: int) -> None:
        bodies = [
            {"kind": "place-source", "source": "high", "pan": i / 20},
            {"kind": "rename-source", "source": "wide", "name": f"Wide {i}"},
            {"kind": "set-send", "source": "low", "to": "hall", "level": -float(i)},
        ]
        if i == 0:
            self.operate(self.as_("emil"), {"kind": "add-return", "to": {"id": "hall", "name": "Hall"}})
        self.assertEqual(self.operate(self.as_("emil"), bodies[i % 3]).status_code, 200)

    def test_a_revision_reads_only_what_came_after_the_snapshot_before_it(self) -> None:
        with mock.patch.object(snapshots, "EVERY", 5):
            for i in range(12):
                self.make(i)
            snapshots.take_snapshots(self.session.pk)
            with CaptureQueriesContext(connection) as captured:
                document_at(self.session.pk, 12)
        self.assertLessEqual(len(captured), 5)
        (log,) = [query["sql"] for query in captured if "mixsessions_operationrecord" in query["sql"]]
        self.assertIn('"revision" > 10', log)

    def test_pages_read_neither_the_log_nor_documents(self) -> None:
        base = f"/api/sessions/{self.session.pk}"
        self.drawn()
        few = {path: self.queries(path) for path in (f"{base}/history", f"{base}/removed", "/api/sessions", base)}
        self.moved(40)
        self.operate(self.as_("emil"), {"kind": "remove-source", "source": "high"})
        many = {path: self.queries(path) for path in few}
        for path, queries in many.items():
            self.assertLessEqual(len(queries), len(few[path]) + 1, path)
            log = [query for query in queries if 'FROM "mixsessions_operationrecord"' in query]
            for query in log:
                if path == base and '"delta"' in query:
                    # The document that is known is followed: only what came after it is read.
                    self.assertIn('"revision" > ', query)
                    continue
                self.assertNotIn('"delta"', query.partition(" FROM ")[0], path)
                self.assertNotIn('"body"', query.partition(" FROM ")[0], path)
                self.assertTrue("LIMIT" in query or " IN (" in query, query)
        listed = many["/api/sessions"]
        self.assertFalse(
            [
                query
                for query in listed
                if re.search(r'"mixsessions_entity"."value"(, "mixsessions| AS "value"| FROM)', query)
            ]
        )

    def test_what_was_missed_is_told_in_pages(self) -> None:
        with mock.patch("server.mixsessions.log.MOST_AT_ONCE", 3):
            start = self.revision()
            for i in range(5):
                self.make(i)
            first = since(self.session.pk, start)
            self.assertEqual([message["revision"] for message in first], [start + 1, start + 2, start + 3])
            second = since(self.session.pk, first[-1]["revision"])
            self.assertEqual(second[-1]["revision"], self.revision())
        self.assertGreater(MOST_AT_ONCE, 100)

    def test_operations_are_found_by_what_they_are_about(self) -> None:
        layer = {"id": "thick", "source": "low", "name": "Thick"}
        self.operate(self.as_("emil"), {"kind": "add-layer", "layer": layer})
        point = [{"t": 0.0, "value": 0.5}]
        body = {"kind": "write-points", "owner": "layer:thick", "parameter": "pan", "start": 0.0, "end": 1.0}
        self.operate(self.as_("emil"), {**body, "points": point})
        self.operate(self.as_("emil"), {"kind": "remove-layer", "source": "low", "layer": "thick"})
        self.operate(self.as_("emil"), {"kind": "remove-source", "source": "high"})
        subjects = OperationSubject.objects.filter(session=self.session, changed=True).order_by("-revision", "name")
        self.assertEqual(
            list(subjects.values_list("name", "removed")[:6]),
            [("high", True), ("layer:thick/pan", False), ("low", False), ("layer:thick/pan", False), ("low", False),
             ("low", False)],
        )  # fmt: skip

    def test_a_source_that_is_removed_with_its_lanes_stands_once_in_its_history(self) -> None:
        self.drawn()
        self.operate(self.as_("emil"), {"kind": "remove-source", "source": "low"})
        rows = self.as_("emil").get(self.url("/history?source=low")).json()["rows"]
        self.assertEqual([row["kind"] for row in rows], ["remove-source", "write-points", "add-source"])

    def test_an_undo_reads_only_what_colleagues_changed_of_the_same(self) -> None:
        self.operate(self.as_("olga"), {"kind": "set-gain", "source": "wide", "gain": -3.0})
        self.drawn()
        self.moved(20)
        self.operate(self.as_("emil"), {"kind": "place-source", "source": "wide", "pan": 0.2})
        with CaptureQueriesContext(connection) as captured:
            answer = self.turn(self.as_("olga"), "undo")
        self.assertEqual(answer.status_code, 200, answer.content)
        for query in [
            query["sql"] for query in captured if '"mixsessions_operationrecord"."touches"' in query["sql"]
        ]:
            self.assertTrue("mixsessions_operationsubject" in query or "LIMIT" in query, query)

    def test_what_undoes_a_change_is_the_same_after_a_snapshot(self) -> None:
        before = stored_document(self.session)
        with mock.patch.object(snapshots, "EVERY", 2):
            for i in range(4):
                self.make(i)
            for _ in range(5):
                answer = self.as_("emil").post(
                    self.url("/undo"), json.dumps({"client_id": str(uuid4())}), content_type="application/json"
                )
                self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(stored_document(self.session), before)
