"""Operations: inverses, replay, undo of one's own, refusals, and applying once."""

import copy
import threading
from typing import Any
from unittest import mock
from uuid import uuid4

from django.db import connection
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from needle.errors import NeedleError
from needle.session.document import empty_document
from needle.session.migrations import VERSION
from needle.session.restoring import source_as_it_was
from needle.session.validation import check_document
from server.editing import services
from server.editing.operations import Operation, PutThings, lanes, operation_from, overlap
from server.editing.restoring import touched_as_it_was
from server.editing.services import replayed
from server.mixsessions.log import document_at
from server.mixsessions.models import OperationRecord
from server.mixsessions.state import DocumentState, stored_document
from tests import examples
from tests.server.sessions import CommittedCase, SessionCase, source
from tests.server.strategies import KEYS, few_points, operations


class Inverses(SimpleTestCase):
    @examples(150)
    @given(st.lists(operations, min_size=1, max_size=20))
    def test_operations_then_their_inverses_restore_the_state_exactly(self, bodies: list[dict]) -> None:
        opened = empty_document("Any")
        for order, key in enumerate(KEYS):
            opened["sources"][key] = source(key, "0" * 64, order, 2 if key == "wide" else 1)
        before = copy.deepcopy(opened)
        state = DocumentState(opened)
        inverses: list[Operation] = []
        for body in bodies:
            held = state.document
            try:
                inverses.append(operation_from(body).apply(state))
            except NeedleError:
                # What the database does with the transaction.
                state.document = held
        for inverse in reversed(inverses):
            operation_from(inverse.model_dump(by_alias=True, exclude_none=True)).apply(state)
        self.assertEqual(state.document, before)

    @examples(100)
    @given(st.lists(st.tuples(st.booleans(), few_points, few_points), min_size=1, max_size=12))
    def test_points_put_moved_and_taken_away_come_back_exactly(self, moves: list[tuple[bool, dict, dict]]) -> None:
        opened = empty_document("Any")
        opened["sources"]["low"] = source("low", "0" * 64, 0)
        state, inverses, states = DocumentState(opened), [], []
        for puts, was, to in moves:
            states.append(state.document)
            body = {"kind": "move-point", "owner": "low", "parameter": "pan", "after": to}
            inverses.append(operation_from(body if puts else {**body, "before": was}).apply(state))
        for inverse in reversed(inverses):
            inverse.apply(state)
            self.assertEqual(state.document, states.pop())

    @examples(60)
    @given(st.lists(operations, min_size=1, max_size=16), st.data())
    def test_any_state_is_put_back_exactly_and_so_is_what_one_change_had_set(
        self, bodies: list[dict], data: st.DataObject
    ) -> None:
        opened = empty_document("Any")
        for order, key in enumerate(KEYS):
            opened["sources"][key] = source(key, "0" * 64, order, 2 if key == "wide" else 1)
        state, made = DocumentState(opened), [([], opened)]
        for body in bodies:
            held = state.document
            try:
                operation_from(body).apply(state)
                made.append((operation_from(body).touches(), state.document))
            except NeedleError:
                state.document = held
        touches, then = data.draw(st.sampled_from(made))
        now = state.document
        whole = PutThings.between("All", now, then)
        back = whole.apply(state)
        self.assertEqual(state.document, then)
        back.apply(state)
        self.assertEqual(state.document, now)
        again = touched_as_it_was(then, then, touches)
        self.assertEqual(again, then)
        mended = touched_as_it_was(now, then, touches)
        self.assertEqual(touched_as_it_was(mended, then, touches), mended)
        for key in KEYS:
            if key in then["sources"] and key in now["sources"]:
                restored = source_as_it_was(now, then, key)
                self.assertEqual(source_as_it_was(restored, then, key), restored)
                check_document(restored)

    def test_overlap(self) -> None:
        self.assertTrue(overlap(("a/pan", 1.0, 2.0), ("a/pan", 2.0, 3.0)))
        self.assertFalse(overlap(("a/pan", 1.0, 2.0), ("a/pan", 2.1, 3.0)))
        self.assertFalse(overlap(("a/pan", 1.0, 2.0), ("b/pan", 1.0, 2.0)))
        self.assertTrue(overlap(("a/pan", None, None), ("a/pan", 2.1, 3.0)))


class Log(SessionCase):
    def now(self) -> tuple[int, dict]:
        return self.revision(), stored_document(self.session)

    def test_replay_and_rewinding_give_the_state(self) -> None:
        documents = dict([self.now()])

        @examples(12)
        @given(
            st.lists(st.tuples(st.sampled_from(["olga", "emil"]), operations), min_size=1, max_size=5), st.booleans()
        )
        def go_on(made: list[tuple[str, dict]], back: bool) -> None:
            for name, body in made:
                self.operate(self.as_(name), body)
                if back:
                    self.turn(self.as_(name), "undo")
                documents.update([self.now()])
            self.assertEqual(replayed(self.session), stored_document(self.session))

        go_on()
        self.assertGreater(len(documents), 1)
        for revision, document in documents.items():
            self.assertEqual(document_at(self.session.id, revision), document)

    def test_same_client_id_is_applied_once(self) -> None:
        client, once = self.as_("emil"), uuid4()
        body = {"kind": "place-source", "source": "low", "pan": 0.25}
        first = self.operate(client, body, once).json()
        again = self.operate(client, {**body, "pan": 0.9}, once).json()
        self.assertEqual(first, again)
        self.assertEqual(self.state()["sources"]["low"]["pan"], 0.25)
        self.assertEqual(OperationRecord.objects.filter(client_id=once).count(), 1)
        self.assertEqual(self.operate(self.as_("olga"), body, once).status_code, 409)


class Waited(SessionCase):
    """A change that a page of the version before has left in a browser."""

    def sent(self, operation: dict, version: int | None) -> tuple[int, dict]:
        earlier = "base_revision" if version in (None, VERSION) else "made_on"
        body = {"client_id": str(uuid4()), earlier: 0, "operation": operation}
        body |= {} if version is None else {"format": version}
        answer = self.post(self.as_("emil"), "/operations", body)
        return answer.status_code, answer.json()

    def test_it_is_made_under_todays_names(self) -> None:
        point = {"t": 1.0, "value": 0.5, "shape": "ease", "begins": 0.5}
        lane = {"source": "low", "parameter": "centre", "start": 0.0, "end": 2.0, "points": [point]}
        several = [{"kind": "write-points", **lane}, {"kind": "arrange-source", "source": "low", "ink": 7}]
        status, answer = self.sent({"kind": "together", "what": "Two", "operations": several}, 7)
        self.assertEqual((status, answer["revision"]["summary"]), (200, "Two"))
        document = stored_document(self.session)
        self.assertEqual(document["sources"]["low"]["colour"], 7)
        self.assertEqual(document["lanes"]["low/centre_level"]["points"][0]["shape_start"], 0.5)

    def test_names_of_another_version_are_refused(self) -> None:
        before, earlier = self.revision(), {"kind": "arrange-source", "source": "low", "ink": 7}
        for operation, version in (
            (earlier, None),
            (earlier, VERSION),
            (earlier, 6),
            (earlier, VERSION + 1),
            ({}, 7),
        ):
            self.assertEqual(self.sent(operation, version)[0], 422, (operation, version))
        self.assertEqual(self.revision(), before)


class AtOnce(CommittedCase):
    def test_many_at_once_are_each_kept_once_and_in_order(self) -> None:
        before = self.revision()

        def work(name: str, key: str) -> None:
            client = self.as_(name)
            for i in range(8):
                answer = self.operate(client, {"kind": "place-source", "source": key, "pan": i / 10})
                assert answer.status_code == 200, answer.content
            connection.close()

        workers = [threading.Thread(target=work, args=pair) for pair in (("olga", "low"), ("emil", "high"))]
        for worker in workers:
            worker.start()
        for worker in workers:
            worker.join()
        rows = list(
            OperationRecord.objects.filter(session=self.session, revision__gt=before).values_list(
                "revision", flat=True
            )
        )
        self.assertEqual(rows, list(range(before + 1, before + 17)))
        self.assertEqual(replayed(self.session), stored_document(self.session))


class Undo(SessionCase):
    def place(self, name: str, key: str, pan: float) -> None:
        answer = self.operate(self.as_(name), {"kind": "place-source", "source": key, "pan": pan})
        self.assertEqual(answer.status_code, 200, answer.content)

    def pan(self, key: str) -> float:
        return self.state()["sources"][key]["pan"]

    def test_undo_is_ones_own_and_redo_puts_back(self) -> None:
        emil = self.as_("emil")
        self.place("emil", "low", 0.1)
        self.place("emil", "low", 0.2)
        self.place("olga", "high", 0.7)
        self.assertEqual(self.turn(emil, "undo").status_code, 200)
        self.assertEqual((self.pan("low"), self.pan("high")), (0.1, 0.7))
        self.turn(emil, "undo")
        self.assertEqual(self.pan("low"), 0.0)
        self.assertEqual(self.turn(emil, "undo").status_code, 409)
        self.turn(emil, "redo")
        self.turn(emil, "redo")
        self.assertEqual(self.pan("low"), 0.2)
        self.assertEqual(self.turn(emil, "redo").status_code, 409)
        self.turn(emil, "undo")
        self.assertEqual(self.pan("low"), 0.1)
        self.place("emil", "low", 0.5)
        self.assertEqual(self.turn(emil, "redo").status_code, 409)

    def test_what_a_colleague_changed_since_stays_and_nothing_earlier_goes_instead(self) -> None:
        emil = self.as_("emil")
        self.place("emil", "high", -0.3)
        self.place("emil", "low", 0.1)
        mine = self.revision()
        self.place("olga", "low", 0.9)
        for _ in range(2):
            refused = self.turn(emil, "undo")
            self.assertEqual(refused.status_code, 409)
            refusal = refused.json()
            self.assertIn("Olga has changed the same since: “Low: R90”", refusal["detail"])
            self.assertEqual((refusal["revision"], refusal["summary"], refusal["partly"]), (mine, "Low: R10", False))
            self.assertEqual((self.pan("low"), self.pan("high")), (0.9, -0.3))
        # Nothing of it is left to be taken back.
        self.assertEqual(self.turn(emil, "undo", partly=True).status_code, 409)
        # Who leaves it as it is may go on to what came before, by choice.
        answer = self.turn(emil, "undo", before=mine).json()
        self.assertEqual(answer["revision"]["summary"], "undo: High: L30")
        self.assertEqual((self.pan("low"), self.pan("high")), (0.9, 0.0))

    def test_what_is_left_of_a_change_is_taken_back_when_asked(self) -> None:
        emil = self.as_("emil")
        self.operate(emil, {"kind": "place-source", "source": "low", "pan": 0.1, "invert_left": True})
        self.operate(emil, {"kind": "place-source", "source": "low", "pan": 0.2, "invert_left": False})
        self.place("olga", "low", 0.9)
        refused = self.turn(emil, "undo").json()
        self.assertTrue(refused["partly"])
        self.assertIn("The rest of it can still be undone", refused["detail"])
        answer = self.turn(emil, "undo", partly=True)
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertIn("except for what Olga has changed", answer.json()["notice"]["text"])
        low = self.state()["sources"]["low"]
        self.assertEqual((low["pan"], low["invert_left"]), (0.9, True))
        self.assertEqual(replayed(self.session), stored_document(self.session))
        self.turn(emil, "redo")
        self.assertEqual(self.state()["sources"]["low"]["invert_left"], False)

    def test_of_a_stretch_what_a_colleague_left_alone_is_taken_back(self) -> None:
        def write(name: str, start: float, end: float, value: float) -> None:
            body = {"kind": "write-points", "owner": "low", "parameter": "pan", "start": start, "end": end}
            points = [{"t": t, "value": value} for t in (start, end)]
            self.assertEqual(self.operate(self.as_(name), {**body, "points": points}).status_code, 200)

        write("emil", 0.0, 4.0, 0.5)
        write("olga", 1.0, 2.0, -0.5)
        self.assertTrue(self.turn(self.as_("emil"), "undo").json()["partly"])
        self.assertEqual(self.turn(self.as_("emil"), "undo", partly=True).status_code, 200)
        points = self.state()["lanes"]["low/pan"]["points"]
        self.assertEqual([(p["t"], p["value"]) for p in points], [(1.0, -0.5), (2.0, -0.5)])

    def test_what_an_undo_and_a_redo_would_be_is_told(self) -> None:
        emil = self.as_("emil")
        self.assertEqual(emil.get(self.url()).json()["turns"], {"undo": None, "redo": None})
        answer = self.operate(emil, {"kind": "place-source", "source": "low", "pan": -0.4}).json()
        self.assertEqual(answer["turns"]["undo"], {"revision": self.revision(), "summary": "Low: L40"})
        self.place("olga", "high", 0.7)
        self.assertEqual(emil.get(self.url()).json()["turns"], answer["turns"])
        undone = self.turn(emil, "undo").json()["turns"]
        self.assertEqual((undone["undo"], undone["redo"]["summary"]), (None, "Low: L40"))
        redone = self.turn(emil, "redo").json()["turns"]
        self.assertEqual((redone["undo"]["summary"], redone["redo"]), ("Low: L40", None))

    def test_edits_of_automation_say_what_from_where_to_where_and_in_which_bars(self) -> None:
        lane = {"owner": "low", "parameter": "pan"}

        def said(kind: str, **values: Any) -> str:
            return self.operate(self.as_("emil"), {"kind": kind, **lane, **values}).json()["turns"]["undo"]["summary"]

        points = [{"t": t, "value": value} for t, value in ((0.0, -0.2), (1.0, 0.455), (3.0, 0.3))]
        drawn = said("write-points", start=0.0, end=3.0, points=points)
        self.assertEqual(drawn, "Low: pan drawn from L20 to R30, bars 1–2 (3 points)")
        before, after = {"t": 1.0, "value": 0.455}, {"t": 2.5, "value": 0.0}
        moved = said("move-point", before=before, before_rank=0, after=after, after_rank=0)
        self.assertEqual(moved, "Low: pan point moved from R45.5, bar 1, to C, bar 2")
        self.assertEqual(said("write-points", start=2.5, end=2.5, points=[]), "Low: pan cleared, bar 2")
        one = said("write-points", start=2.5, end=2.5, points=[{"t": 2.5, "value": -1.0}])
        self.assertEqual(one, "Low: pan set to L100, bar 2")

    def test_different_ranges_of_one_lane_do_not_disturb(self) -> None:
        def write(name: str, at: float, value: float) -> None:
            body = {"kind": "write-points", "owner": "low", "parameter": "pan", "start": at, "end": at}
            points = [{"t": at, "value": value, "shape": "ease", "tension": 0.0}]
            self.assertEqual(self.operate(self.as_(name), {**body, "points": points}).status_code, 200)

        write("emil", 1.0, 0.5)
        write("olga", 2.0, -0.5)
        self.turn(self.as_("emil"), "undo")
        left = self.state()["lanes"]["low/pan"]["points"]
        self.assertEqual([(p["t"], p["value"]) for p in left], [(2.0, -0.5)])


class Refusals(SessionCase):
    def test_malformed_operations_name_the_field(self) -> None:
        write = {"kind": "write-points", "owner": "low", "parameter": "pan", "start": 0, "end": 1}
        cases = [
            ({"kind": "place-source", "source": "low", "pan": 1.5}, "pan"),
            ({"kind": "place-source", "source": "low", "pan": float("nan")}, "pan"),
            ({"kind": "set-level", "source": "low", "level": float("inf")}, "level"),
            ({"kind": "set-level", "source": "low", "level": float("-inf")}, "level"),
            ({"kind": "place-source", "source": "../low", "pan": 0}, "source"),
            ({"kind": "place-source", "source": "low", "pan": 0, "also": 1}, "also"),
            ({"kind": "dance"}, "operation"),
            ({**write, "points": [{"t": float("nan"), "value": 0}]}, "t"),
            ({**write, "points": [{"t": 0.5, "value": 0, "shape": "wobble"}]}, "shape"),
            ({**write, "points": [{"t": 0.5, "value": float("inf")}]}, "value"),
        ]
        before = self.revision()
        for body, field in cases:
            with self.subTest(body=body):
                answer = self.operate(self.as_("emil"), body)
                self.assertEqual(answer.status_code, 422, answer.content)
                self.assertTrue(
                    any(p["field"].split(".")[-1] == field for p in answer.json()["fields"]), answer.json()
                )
        self.assertEqual(self.revision(), before)

    def test_what_would_keep_others_waiting_is_refused_before_anything_is_done(self) -> None:
        points = [{"t": t / 10, "value": 0.0} for t in range(8)]
        write = {"kind": "write-points", "owner": "low", "parameter": "pan", "start": 0.0, "end": 1.0}
        self.assertEqual(self.operate(self.as_("emil"), {**write, "points": points}).status_code, 200)
        place = {"kind": "place-source", "source": "high", "pan": 0.5}
        before = self.revision()
        refused = [
            {"kind": "shift-values", "sources": ["low"] * 3, "parameter": "pan", "by": 0.1},
            {"kind": "flip-sources", "sources": ["low", "high", "low"]},
            {"kind": "batch", "summary": "All", "operations": [place, {**write, "points": points}, place]},
            {"kind": "batch", "summary": "All", "operations": [{**write, "points": points[:1]}] * 3},
        ]
        with mock.patch.object(services, "MOST_AT_ONCE", 17):
            for body in refused:
                answer = self.operate(self.as_("emil"), body)
                self.assertEqual((answer.status_code, answer.json().get("code")), (422, "edit.too_much_at_once"))
            self.assertEqual(self.revision(), before)
            self.assertEqual(self.operate(self.as_("emil"), {**write, "points": points}).status_code, 200)
        with mock.patch.object(lanes, "MOST_POINTS", 7):
            body = {"kind": "restore-lanes", "lanes": {"low/pan": points}}
            self.assertEqual(self.operate(self.as_("emil"), body).json()["code"], "edit.too_many_points")

    def test_broken_rules_say_what_to_do(self) -> None:
        write = {"kind": "write-points", "owner": "low", "parameter": "pan", "start": 0.0, "end": 1.0}
        cases = [
            ({"kind": "place-source", "source": "gone", "pan": 0}, "gone"),
            ({**write, "parameter": "colour", "points": []}, "cannot be automated"),
            ({**write, "points": [{"t": 2.0, "value": 0}]}, "inside the range"),
            ({**write, "points": [{"t": 0.5, "value": 4.0}]}, "-1 to 1"),
            ({**write, "points": [{"t": 0.5, "value": 0}, {"t": 0.4, "value": 0}]}, "order"),
            ({**write, "start": 2.0, "points": []}, "end after"),
            ({"kind": "add-passage", "id": "x", "name": "X", "start": 4, "end": 4}, "end after"),
            ({"kind": "place-source", "source": "low"}, "nothing to change"),
            ({"kind": "place-source", "source": "low", "mode": "span"}, "cannot be used with"),
            ({"kind": "place-source", "source": "low", "delay_panning": "sideways"}, "symmetric"),
            ({"kind": "add-source", "source": source("new", "0" * 64, 1)}, "Import the file"),
            ({"kind": "join-group", "source": "low", "group": "none"}, "groups"),
            ({"kind": "set-send", "source": "low", "to": "nowhere", "level": 0}, "nowhere"),
            ({"kind": "set-session", "tempos": [[0.0, 5.0]]}, "10 and 400"),
            ({"kind": "set-session", "law": "sideways"}, "constant-power"),
            ({"kind": "shift-values", "sources": ["low"], "parameter": "colour", "by": 1}, "cannot be automated"),
            (
                {
                    "kind": "batch",
                    "summary": "half right",
                    "operations": [
                        {"kind": "place-source", "source": "low", "pan": 0.5},
                        {"kind": "place-source", "source": "gone", "pan": 0.5},
                    ],
                },
                "gone",
            ),
        ]
        before = self.state()
        for body, told in cases:
            with self.subTest(body=body):
                answer = self.operate(self.as_("olga"), body)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(told, answer.json()["detail"])
        self.assertEqual(self.state(), before)
