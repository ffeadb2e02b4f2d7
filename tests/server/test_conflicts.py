"""Changes that meet, through the API: who is told of what, and what is put back."""

from typing import Any
from uuid import uuid4

from server.common.errors import ApiError
from server.editing.operations import Operation
from server.editing.operations.sources import SetGain
from server.editing.services import _TRIES, replayed, submit_derived
from server.mixsessions.models import Membership, MixSession
from server.mixsessions.services import delete_session
from server.mixsessions.state import stored_document
from tests.server.shared import SharedCase


class Conflicts(SharedCase):
    def test_the_same_value_goes_to_the_later_and_both_are_told(self) -> None:
        seen = self.revision()
        first = self.make("emil", "place-source", seen, source="low", pan=-0.5)
        self.assertEqual(first["overwrote"], [])
        second = self.make("olga", "place-source", seen, source="low", pan=0.5)
        self.assertEqual([over["revision"] for over in second["overwrote"]], [first["revision"]])
        self.assertEqual(second["overwrote"][0]["author"]["name"], "Emil")
        self.assertEqual(self.state()["sources"]["low"]["pan"], 0.5)
        # One key puts the other back, as a change that can be undone.
        back = self.put_back(first, second)["revision"]
        self.assertIn("Restored", back["summary"])
        self.assertEqual(self.state()["sources"]["low"]["pan"], -0.5)
        self.turn(self.as_("emil"), "undo")
        self.assertEqual(self.state()["sources"]["low"]["pan"], 0.5)
        self.assertEqual(replayed(self.session), stored_document(self.session))

    def put_back(self, first: dict[str, Any], by: dict[str, Any], status: int = 200) -> Any:
        body = {"client_id": str(uuid4()), "by": by["revision"]}
        return self.asked("emil", f"/history/{first['revision']}/restore-change", status, **body)

    def test_only_what_was_gone_over_is_put_back(self) -> None:
        seen = self.revision()
        several = [{"kind": "place-source", "source": key, "pan": -0.5} for key in ("low", "high")]
        first = self.make("emil", "batch", seen, summary="Both to the left", operations=several)
        second = self.make("olga", "place-source", seen, source="low", pan=0.5)
        # Nobody's doing has met here: it is the present, and stays.
        self.make("olga", "place-source", source="high", pan=0.9)
        self.put_back(first, second)
        sources = self.state()["sources"]
        self.assertEqual((sources["low"]["pan"], sources["high"]["pan"]), (-0.5, 0.9))
        self.assertIn("like that already", self.put_back(first, second, 422)["detail"])
        self.put_back(first, {"revision": 999}, 404)

    def test_a_stretch_that_was_gone_over_is_put_back_alone(self) -> None:
        seen = self.revision()
        first = self.write("emil", {1.0: 0.5, 2.0: 0.6}, seen)
        second = self.write("olga", {1.5: -0.9, 2.5: -0.8}, seen)
        self.write("olga", {3.0: 0.1, 3.5: 0.2})
        self.put_back(first, second)
        self.assertEqual(self.lane(), [(1.0, 0.5), (2.0, 0.6), (2.5, -0.8), (3.0, 0.1), (3.5, 0.2)])

    def test_what_others_have_made_of_the_rest_of_a_stretch_stays(self) -> None:
        seen = self.revision()
        first = self.write("emil", {1.0: 0.5, 2.0: 0.6, 3.0: 0.7}, seen)
        second = self.write("olga", {1.9: -0.9, 2.1: -0.8}, seen)
        self.write("olga", {2.8: 0.1, 3.0: 0.2})
        self.put_back(first, second)
        self.assertEqual(self.lane(), [(1.0, 0.5), (2.0, 0.6), (2.8, 0.1), (3.0, 0.2)])

    def test_what_others_have_made_of_other_places_of_a_deal_stays(self) -> None:
        self.make("olga", "set-deal", source="low", places=[{"id": "a", "pan": -1.0}, {"id": "b", "pan": 1.0}])
        seen = self.revision()
        first = self.make("emil", "set-place", seen, source="low", place="a", values={"pan": -0.5})
        second = self.make("olga", "set-place", seen, source="low", place="a", values={"pan": 0.2})
        self.make("olga", "set-place", source="low", place="b", values={"pan": 0.7})
        self.put_back(first, second)
        self.assertEqual([one["pan"] for one in self.state()["deals"]["low"]["places"]], [-0.5, 0.7])

    def test_what_others_have_made_of_the_way_in_the_room_stays(self) -> None:
        seen = self.revision()
        first = self.make("emil", "set-route", seen, source="low", levels={"front": -3.0, "sides": -2.0})
        second = self.make("olga", "set-route", seen, source="low", levels={"front": -9.0})
        self.make("olga", "set-route", source="low", off=["M+000"], levels={"sides": -6.0})
        self.make("olga", "set-route", source="low", passage="first", direct=-4.0)
        self.put_back(first, second)
        routes = self.state()["speaker_routing"]["low"]["routes"]
        self.assertEqual(routes[""]["off"], ["M+000"])
        self.assertEqual(
            {name: routes[""]["levels"][name] for name in ("front", "sides")}, {"front": -3.0, "sides": -6.0}
        )
        self.assertEqual(routes["first"]["direct"], -4.0)

    def test_other_things_ranges_and_points_merge_and_nobody_is_told(self) -> None:
        self.write("olga", {0.5: 0.0, 1.0: 0.1, 2.0: 0.2, 3.0: 0.3})
        seen = self.revision()
        for who, kind, fields in (
            ("emil", "place-source", {"source": "low", "front": 0.5}),
            ("olga", "place-source", {"source": "high", "pan": 0.5}),
            ("emil", "set-level", {"source": "low", "level": -3.0}),
            ("olga", "move-point", {"before": {"t": 0.5, "value": 0.0}, "after": {"t": 2.5, "value": 0.9}}),
            ("emil", "move-point", {"before": {"t": 1.0, "value": 0.1}, "after": {"t": 1.5, "value": -0.9}}),
            ("emil", "write-points", {"start": 3.5, "end": 4.0, "points": [{"t": 3.8, "value": 1.0}]}),
        ):
            lane = {} if "source" in fields else {"owner": "low", "parameter": "pan"}
            self.assertEqual(self.make(who, kind, seen, **lane, **fields)["overwrote"], [])
        self.assertEqual(self.lane(), [(1.5, -0.9), (2.0, 0.2), (2.5, 0.9), (3.0, 0.3), (3.8, 1.0)])

    def test_one_point_moved_by_two_hands_stays_one(self) -> None:
        self.write("olga", {1.0: 0.1, 2.0: 0.2})
        seen = self.revision()
        lane = {"owner": "low", "parameter": "pan", "before": {"t": 1.0, "value": 0.1}}
        self.make("emil", "move-point", seen, **lane, after={"t": 0.5, "value": -0.5})
        answer = self.make("olga", "move-point", seen, **lane, after={"t": 1.5, "value": 0.5})
        self.assertEqual(len(answer["overwrote"]), 1)
        self.assertEqual(self.lane(), [(1.5, 0.5), (2.0, 0.2)])
        self.turn(self.as_("olga"), "undo")
        self.assertEqual(self.lane(), [(0.5, -0.5), (2.0, 0.2)])
        refused = self.operate(self.as_("emil"), {"kind": "move-point", **lane}, base_revision=None)
        self.assertEqual(refused.status_code, 422)
        self.assertIn("moved or deleted by a colleague", refused.json()["detail"])

    def test_what_was_made_and_taken_back_meanwhile_is_no_conflict(self) -> None:
        seen = self.revision()
        self.make("emil", "place-source", seen, source="low", pan=-0.5)
        self.turn(self.as_("emil"), "undo")
        self.assertEqual(self.make("olga", "place-source", seen, source="low", pan=0.5)["overwrote"], [])

    def test_one_s_own_changes_never_meet(self) -> None:
        seen = self.revision()
        for pan in (0.1, 0.2, 0.3):
            self.assertEqual(self.make("emil", "place-source", seen, source="low", pan=pan)["overwrote"], [])


class Derived(SharedCase):
    """Changes that are worked out from the session as it stands, while others go on changing it."""

    def test_it_is_derived_again_where_somebody_changed_the_session_meanwhile(self) -> None:
        seen: list[int] = []

        def derive(session: MixSession) -> Operation:
            seen.append(session.revision)
            if len(seen) < 3:
                self.make("olga", "place-source", source="high", pan=len(seen) / 10)
            return SetGain(source="low", gain=-float(session.revision))

        committed = submit_derived(self.users["emil"], self.session.pk, uuid4(), derive)
        self.assertEqual(len(seen), 3)
        self.assertEqual(committed.row.revision, seen[-1] + 1)
        state = self.state()["sources"]
        self.assertEqual((state["low"]["gain"], state["high"]["pan"]), (-float(seen[-1]), 0.2))

    def test_however_often_others_change_it_it_is_applied(self) -> None:
        seen: list[int] = []

        def derive(session: MixSession) -> Operation:
            seen.append(session.revision)
            if len(seen) <= _TRIES:
                self.make("olga", "place-source", source="high", pan=len(seen) / 10)
            return SetGain(source="low", gain=-1.0)

        committed = submit_derived(self.users["emil"], self.session.pk, uuid4(), derive)
        self.assertEqual((len(seen), committed.row.revision), (_TRIES + 1, seen[-1] + 1))

    def test_a_session_that_is_deleted_meanwhile_takes_nothing(self) -> None:
        def derive(session: MixSession) -> Operation:
            delete_session(self.users["olga"], session.pk)
            return SetGain(source="low", gain=-1.0)

        with self.assertRaises(ApiError) as refused:
            submit_derived(self.users["emil"], self.session.pk, uuid4(), derive)
        self.assertEqual(refused.exception.status, 404)

    def test_who_is_made_a_listener_meanwhile_changes_nothing(self) -> None:
        before = self.revision()

        def derive(session: MixSession) -> Operation:
            session.members.filter(user=self.users["emil"]).update(role=Membership.Role.LISTENER)
            return SetGain(source="low", gain=-1.0)

        with self.assertRaises(ApiError):
            submit_derived(self.users["emil"], self.session.pk, uuid4(), derive)
        self.assertEqual(self.revision(), before)

    def test_the_same_client_id_is_derived_once(self) -> None:
        client_id = uuid4()
        first = submit_derived(
            self.users["emil"], self.session.pk, client_id, lambda _: SetGain(source="low", gain=-1.0)
        )
        again = submit_derived(self.users["emil"], self.session.pk, client_id, lambda _: self.fail("derived twice"))
        self.assertEqual(again.row.pk, first.row.pk)
