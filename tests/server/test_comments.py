"""Comments through the API: made, answered, read, resolved, and going along with their passage."""

from uuid import uuid4

from server.collaboration.models import Comment
from tests.server.shared import SharedCase


class Comments(SharedCase):
    def test_a_listener_comments_and_everybody_reads_it(self) -> None:
        made = self.asked("lisa", "/comments", text="Closer here?", source="low", beat=2.0, end=4.0)
        self.assertTrue(made["read"])
        self.assertFalse(self.got("emil", "/comments")[0]["read"])
        answered = self.asked("emil", f"/comments/{made['id']}/replies", text="Tried it.")
        self.assertEqual([reply["text"] for reply in answered["replies"]], ["Tried it."])
        self.asked("emil", "/comments/read", 204, ids=[made["id"]])
        self.assertTrue(self.got("emil", "/comments")[0]["read"])
        self.assertFalse(self.got("lisa", "/comments")[0]["replies"][0]["read"])
        done = self.changed("olga", f"/comments/{made['id']}", resolved=True)
        self.assertEqual(done["resolved"], "Olga")
        again = self.asked("lisa", f"/comments/{made['id']}/replies", text="Not yet.")
        self.assertEqual(again["resolved"], "")
        self.changed("emil", f"/comments/{made['id']}", 403, text="Mine now")
        self.assertTrue(self.changed("lisa", f"/comments/{made['id']}", text="Nearer?")["edited"])
        self.deleted("emil", f"/comments/{made['id']}", 403)
        self.deleted("olga", f"/comments/{made['id']}")
        self.assertEqual(Comment.objects.count(), 0)

    def test_what_makes_no_sense_is_refused(self) -> None:
        for wrong in (
            {"text": ""},
            {"text": "x", "source": "gone"},
            {"text": "x", "end": 3.0},
            {"text": "x", "beat": 3.0, "end": 3.0},
        ):
            self.asked("lisa", "/comments", 422, **wrong)

    def test_a_comment_goes_along_with_its_passage_and_back(self) -> None:
        self.make("emil", "add-passage", id="second", name="Second", start=8.0, end=16.0)
        inside = self.asked("lisa", "/comments", text="In it", beat=10.0, end=12.0)["id"]
        self.asked("lisa", "/comments", text="Before it", beat=6.0)
        self.make("emil", "set-passage", id="second", start=9.0, end=17.0)

        def beats() -> dict[str, tuple[float, float | None]]:
            return {one["text"]: (one["beat"], one["end"]) for one in self.got("olga", "/comments")}

        self.assertEqual(beats(), {"In it": (11.0, 13.0), "Before it": (6.0, None)})
        self.turn(self.as_("emil"), "undo")
        self.assertEqual(beats()["In it"], (10.0, 12.0))
        self.make("emil", "remove-passage", id="second")
        self.turn(self.as_("emil"), "undo")
        self.make("emil", "set-passage", id="second", start=4.0, end=12.0)
        self.assertEqual(beats()["In it"], (6.0, 8.0))
        self.assertTrue(Comment.objects.filter(pk=inside).exists())

    def test_another_tempo_leaves_what_is_to_keep_with_the_sound(self) -> None:
        self.assertEqual(self.state()["session"]["tempos"], [[0.0, 120.0]])
        self.make("emil", "add-passage", id="second", name="Second", start=8.0, end=16.0)
        points = [{"t": t, "value": 0.5} for t in (1.0, 2.0)]
        self.make("emil", "write-points", owner="low", parameter="pan", start=0.0, end=3.0, points=points)
        self.make("emil", "set-pulse", owner="low", origin=4.0)
        self.asked("lisa", "/comments", text="Here", beat=10.0, end=12.0)
        before = self.state()

        def places() -> tuple[list[float], float, float, float]:
            document, (comment,) = self.state(), self.got("olga", "/comments")
            times = [point["t"] for point in document["lanes"]["low/pan"]["points"]]
            return (
                times,
                document["passages"]["second"]["start"],
                document["pulses"]["low"]["origin"],
                comment["beat"],
            )

        # Half as fast: what keeps with the sound stands in half as many beats, what keeps with the bars comes later.
        slow = {"client_id": str(uuid4()), "tempos": [[0.0, 60.0]], "metres": [[1, 4, 4]]}
        answer = self.asked("emil", "/tempo", **slow, keep={"automation": "bars", "pulses": "sound"})
        self.assertEqual(answer["revision"]["summary"], "Tempo 60 bpm")
        self.assertEqual(places(), ([2.0, 4.0], 8.0, 2.0, 5.0))
        # The same change sent again is the same one, and one undo takes all of it back.
        self.assertEqual(self.asked("emil", "/tempo", **slow)["revision"], answer["revision"])
        self.turn(self.as_("emil"), "undo")
        self.assertEqual(self.state(), before)
        self.assertEqual(places(), ([1.0, 2.0], 8.0, 4.0, 10.0))
        slow["client_id"] = str(uuid4())
        self.asked("emil", "/tempo", **slow, keep={"passages": "sound"})
        self.assertEqual(places(), ([1.0, 2.0], 4.0, 4.0, 5.0))
        refused = {**slow, "client_id": str(uuid4()), "tempos": [[0.0, 5.0]]}
        self.assertIn("10 and 400", self.asked("emil", "/tempo", 422, **refused)["detail"])
        self.assertEqual(self.asked("lisa", "/tempo", 403, **slow)["code"], "access.listener")
