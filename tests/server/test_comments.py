"""Comments through the API: made, answered, read, resolved, and going along with their passage."""

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
