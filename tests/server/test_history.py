"""The history through the API: read, compared, named, put back."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any
from uuid import uuid4

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from needle.automation.curve import Lane
from server.editing.services import replayed
from server.mixsessions.log import document_at
from server.mixsessions.state import stored_document
from tests.server.sessions import SessionCase, forget
from tests.server.shared import SharedCase


class History(SharedCase):
    def busy(self) -> int:
        """A few changes by two people; the revision in the middle."""
        self.make("emil", "place-source", source="low", pan=-0.5)
        self.write("emil", {0.5: -0.2, 1.5: 0.4, 3.0: 0.2})
        self.make("olga", "add-return", to={"id": "hall", "name": "Hall", "effects": []})
        self.make("olga", "set-send", source="low", to="hall", level=-6.0)
        middle = self.revision()
        self.make("olga", "set-level", source="high", level=-4.0)
        self.write("olga", {1.0: 0.9, 2.0: 0.9})
        self.make("emil", "place-source", source="low", pan=0.25, spread=30.0)
        self.make("olga", "remove-return", to="hall")
        return middle

    def test_the_log_is_read_by_person_source_and_time(self) -> None:
        self.busy()
        rows = self.got("lisa", "/history")["rows"]
        self.assertEqual([row["revision"] for row in rows], sorted((row["revision"] for row in rows), reverse=True))
        self.assertEqual(rows[0]["summary"], "Return Hall removed")
        emil = self.got("lisa", "/history", author=self.users["emil"].pk)["rows"]
        self.assertEqual({row["author"]["name"] for row in emil}, {"Emil"})
        low = [row["summary"] for row in self.got("lisa", "/history", source="low")["rows"]]
        self.assertIn("Low to Hall: -6.0 dB", low)
        self.assertFalse([said for said in low if said.startswith("High")])
        soon, late = ((timezone.now() + timedelta(hours=by)).isoformat() for by in (1, 2))
        self.assertEqual(self.got("lisa", "/history", since=soon, until=late)["rows"], [])
        self.assertEqual(self.got("lisa", "/history", until=soon)["rows"], rows)
        self.turn(self.as_("emil"), "undo")
        undone = [row for row in self.got("lisa", "/history")["rows"] if row["undone"]]
        self.assertEqual([row["summary"] for row in undone], ["Low: R25, spread 30°"])

    def test_what_moved_a_layer_is_its_sources_even_when_the_layer_is_gone(self) -> None:
        self.make("emil", "add-layer", layer={"id": "behind", "source": "low", "name": "Behind"})
        self.make("emil", "add-layer", layer={"id": "other", "source": "high", "name": "Other"})
        for layer in ("behind", "other"):
            self.write("emil", {0.5: -2.0, 1.5: -4.0}, owner=f"layer:{layer}", parameter="level")
        self.make("olga", "remove-layer", source="low", layer="behind")

        def of(source: str) -> list[int]:
            return [row["revision"] for row in self.got("lisa", "/history", source=source)["rows"]]

        last = self.revision()
        self.assertIn(
            "low",
            [
                one["source"]
                for one in self.got("lisa", f"/history/{last - 1}/differences", revision=last)["differences"]
                if one["part"] == "lanes"
            ],
        )
        self.assertEqual(of("low")[:3], [last, last - 2, last - 4])
        self.assertEqual(of("high")[:2], [last - 1, last - 3])

    def test_it_comes_page_by_page(self) -> None:
        for step in range(70):
            self.make("emil", "place-source", source="low", pan=step / 100)
        found, before = [], 0
        while True:
            page = self.got("lisa", "/history", before=before)
            found += [row["revision"] for row in page["rows"]]
            before = page["more"]
            if not before:
                break
        self.assertEqual(found, list(range(self.revision(), 0, -1)))

    def test_what_differs_is_told_in_words_and_lanes(self) -> None:
        middle = self.busy()
        answer = self.got("lisa", f"/history/{middle}/differences", revision=self.revision())
        by = {(one["part"], one["key"]): one for one in answer["differences"]}
        self.assertEqual(
            (by["sources", "high"]["then"], by["sources", "high"]["now"]), ("level +0.0 dB", "level -4.0 dB")
        )
        self.assertEqual((by["returns", "hall"]["then"], by["returns", "hall"]["now"]), ("there", ""))
        self.assertEqual(by["lanes", "low/pan"]["source"], "low")
        self.assertEqual([p["t"] for p in answer["lanes"]["low/pan"]], [0.5, 1.5, 3.0])
        self.assertEqual([p["value"] for p in answer["lanes"]["high/level"]], [0.0])

    def test_everything_or_a_source_or_a_stretch_comes_back_as_a_change(self) -> None:
        middle = self.busy()
        then = {**self.at(middle)}
        self.asked("emil", f"/history/{middle}/restore", client_id=str(uuid4()), source="low")
        self.session.refresh_from_db()
        now = stored_document(self.session)
        self.assertEqual(now["sources"]["low"], then["sources"]["low"])
        self.assertEqual(now["lanes"]["low/pan"], then["lanes"]["low/pan"])
        self.assertEqual((now["sources"]["high"]["level"], now["sends"], now["returns"]), (-4.0, {}, {}))
        self.asked("emil", f"/history/{middle}/restore", client_id=str(uuid4()))
        self.session.refresh_from_db()
        self.assertEqual(stored_document(self.session), then)
        self.asked("emil", f"/history/{middle}/restore", 422, client_id=str(uuid4()))
        for _ in range(2):
            self.assertEqual(self.turn(self.as_("emil"), "undo").status_code, 200)
        self.assertEqual(self.state()["sources"]["low"]["spread"], 30.0)
        self.assertEqual(replayed(self.session), stored_document(self.session))

    def test_a_stretch_moves_as_it_did_and_outside_it_nothing_changes(self) -> None:
        middle = self.busy()
        latest = self.revision()
        self.asked("emil", f"/history/{middle}/restore", client_id=str(uuid4()), start=0.8, end=1.6)
        mixes = {
            name: self.moving(revision)
            for name, revision in (("then", middle), ("now", latest), ("mended", self.revision()))
        }
        for t in (0.85, 1.2, 1.55):
            self.assertAlmostEqual(mixes["mended"](t), mixes["then"](t), places=6)
        for t in (0.0, 0.6, 0.79, 1.61, 2.0, 3.5):
            self.assertAlmostEqual(mixes["mended"](t), mixes["now"](t), places=6)
        self.asked("emil", f"/history/{middle}/restore", 422, client_id=str(uuid4()), start=2.0, end=1.0)

    def at(self, revision: int) -> dict[str, Any]:
        return document_at(self.session.id, revision)

    def moving(self, revision: int) -> Callable[[float], float]:
        lane = Lane.of(self.at(revision)["lanes"]["low/pan"]["points"])
        return lambda t: float(lane.evaluate(t))

    def test_an_earlier_revision_is_as_loud_as_it_is_told_to_be(self) -> None:
        middle = self.revision()
        for key in ("low", "high", "wide"):
            self.make("emil", "set-level", source=key, level=-6.0)
        answer = {"done": 0.0}
        while answer["done"] < 1.0:
            answer = self.got("lisa", f"/history/{middle}/loudness-match", revision=self.revision())
        self.assertAlmostEqual(answer["trim"], -6.0, delta=0.05)

    def test_versions_have_names(self) -> None:
        made = self.asked("emil", "/versions", name="For the client", revision=2)
        self.assertEqual(self.got("lisa", "/versions")[0]["name"], "For the client")
        self.asked("emil", "/versions", 409, name="Later", revision=999)
        again = self.asked("olga", "/versions", name="For Tam", revision=2)
        self.assertEqual((again["id"], again["author"]), (made["id"], "Olga"))
        self.deleted("emil", f"/versions/{made['id']}")
        self.assertEqual(self.got("lisa", "/versions"), [])


class Asked(SessionCase):
    """How often the database is asked does not grow with what has been done."""

    def queries(self, address: str) -> int:
        forget()
        client = self.as_("olga")
        with CaptureQueriesContext(connection) as asked:
            self.assertEqual(client.get(address).status_code, 200)
        return len(asked)

    def test_a_longer_log_is_no_more_questions(self) -> None:
        addresses = (self.url(), "/api/sessions", self.url("/history"), self.url("/frame?revision=4"))
        before = {address: self.queries(address) for address in addresses}
        engineer = self.as_("emil")
        for number in range(30):
            self.operate(engineer, {"kind": "place-source", "source": "low", "pan": number / 30.0})
        self.assertEqual({address: self.queries(address) for address in addresses}, before)
