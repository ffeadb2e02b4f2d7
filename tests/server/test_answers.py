"""What the server answers to a page, as the tests of mounted components have it: recorded, and held to be current.

``setup/record-answers`` writes ``tests/data/answers.json`` again after an answer has changed.
"""

import json
import os
import re
from typing import Any

from django.conf import settings

from tests.server.sessions import TONES, SessionCase
from tests.server.test_balance import RETURN

LAYER = {"id": "thick", "source": "high", "name": "Thick", "effects": [{"id": "c", "kind": "chorus"}]}
ANSWERS = settings.BASE_DIR / "tests" / "data" / "answers.json"
FIXED = "00000000-0000-4000-8000-000000000001"
"""The session's id in what is recorded."""

_OF_SESSION = (
    "", "/frame", "/removed", "/moves/takes", "/reports", "/deliveries", "/deliveries/offer", "/history", "/versions",
    "/people", "/comments", "/balance", "/causes?start=0&end=4", "/pair?first=low&second=high&start=0&end=4", "/mono",
    "/law?law=compromise", "/pulse/as-points?owner=wide", "/history/2/differences",
    "/moves/history?owner=low&parameter=pan", *(f"/sources/{key}/waveform" for key in TONES),
    *(f"/sources/{key}/{what}" for key in TONES for what in ("placement", "onsets", "sounding")),
    "/sources/low/dealt", "/room/trajectories", "/room/layout?layout=0%2B5%2B0",
)  # fmt: skip
_OF_ALL = (
    "/api/sign-in/options", "/api/library", "/api/presets", "/api/heads", "/api/preferences", "/api/sessions",
    "/api/invitations", "/api/second-factor",
)  # fmt: skip
_POSTED = {
    "/pulse/reading": {"owner": "wide", "bar": 1},
    "/deliveries/name": {},
}


def point(t: float, value: float, shape: str = "straight") -> dict[str, Any]:
    return {"t": t, "value": value, "shape": shape, "tension": 0.0}


class Answers(SessionCase):
    maxDiff = 2000

    def make(self, kind: str, **fields: Any) -> None:
        answer = self.operate(self.as_("emil"), {"kind": kind, **fields})
        self.assertEqual(answer.status_code, 200, answer.content[:400])

    def lay_out(self) -> None:
        """One of everything that a desk, a panel or a dialog may show."""
        self.make(**RETURN)
        self.make("set-send", source="low", to="room", level=-6.0)
        self.make("add-group", group={"id": "both", "name": "Both"}, members=["low", "high"])
        self.make("write-points", owner="low", parameter="pan", start=0.0, end=4.0,
                  points=[point(0.0, -0.5), point(2.0, 0.5, "ease"), point(4.0, 0.0)])  # fmt: skip
        self.make("set-pulse", owner="wide", wave="square", period=2.0, offset=0.0)
        items = [[i * 0.5, 0.25, 60.0 + i, 0.8] for i in range(8)]
        self.make("set-events", source="low", **{"from": "onsets", "name": "", "items": items})
        self.make("set-deal", source="low", places=[{"id": "p1", "pan": -1.0}, {"id": "p2", "pan": 1.0}])
        self.make("add-layer", layer=LAYER)
        self.make("place-source", source="high", pan=0.5)

    def answers(self) -> dict[str, Any]:
        answers = {}
        client = self.as_("emil")
        for path in _OF_ALL:
            answers[path] = self.answer(client.get(path))
        for path in _OF_SESSION:
            glue = "&" if "?" in path else "?"
            short, until = path.split("?")[0], 2000
            while until:
                until -= 1
                answer = client.get(f"{self.url(path)}{glue}revision={self.revision()}")
                body = self.answer(answer)
                if not (isinstance(body, dict) and body.get("done", 1) < 1):
                    break
            else:
                self.fail(f"{path} does not end")
            answers[short] = body
        for path, body in _POSTED.items():
            answers[path] = self.answer(self.post(client, path, {"revision": self.revision(), **body}))
        return answers

    def answer(self, answer: Any) -> Any:
        self.assertEqual(answer.status_code, 200, (answer.request["PATH_INFO"], answer.content[:300]))
        # Whatever is another each time stands for itself.
        text = answer.content.decode().replace(str(self.session.id), FIXED)
        text = re.sub(r"\d{4}-\d\d-\d\dT[\d:.]+(Z|\+00:00)", "2026-01-01T12:00:00Z", text)
        users = {user.pk: number for number, user in enumerate(self.users.values(), 1)}
        return _renumbered(json.loads(text), users)

    def recorded(self) -> dict[str, Any]:
        self.lay_out()
        answers = {"stereo": self.answers()}
        self.make("set-session", layout="0+5+0")
        self.make("set-route", source="low", off=["M+000"])
        answers["room"] = self.answers()
        return answers

    def test_what_components_are_mounted_with_is_what_the_server_answers(self) -> None:
        answers = self.recorded()
        if os.environ.get("NEEDLE_RECORD") == "1":
            ANSWERS.write_text(json.dumps(answers, ensure_ascii=False, separators=(",", ":")), "utf-8")
        self.assert_alike(json.loads(ANSWERS.read_text("utf-8")), answers, "")

    def assert_alike(self, recorded: Any, answered: Any, where: str) -> None:
        """The same, numbers but for their last places."""
        if isinstance(recorded, float) and isinstance(answered, int | float):
            self.assertAlmostEqual(recorded, answered, delta=1e-3 * max(1.0, abs(recorded)), msg=where)
        elif isinstance(recorded, dict) and isinstance(answered, dict):
            self.assertEqual(recorded.keys(), answered.keys(), f"{where}: run setup/record-answers")
            for name in recorded:
                self.assert_alike(recorded[name], answered[name], f"{where}/{name}")
        elif isinstance(recorded, list) and isinstance(answered, list):
            self.assertEqual(len(recorded), len(answered), f"{where}: run setup/record-answers")
            for index, pair in enumerate(zip(recorded, answered, strict=True)):
                self.assert_alike(*pair, f"{where}/{index}")
        else:
            self.assertEqual(recorded, answered, f"{where}: run setup/record-answers")


def _renumbered(value: Any, users: dict[int, int], name: str = "") -> Any:
    """With people's ids counted from one."""
    if isinstance(value, dict):
        person = {"id", "name"} <= value.keys() and isinstance(value["id"], int)
        return {
            key: users.get(one, one) if person and key == "id" else _renumbered(one, users, key)
            for key, one in value.items()
        }
    if isinstance(value, list):
        return [_renumbered(one, users) for one in value]
    return users.get(value, value) if name == "user" and isinstance(value, int) else value
