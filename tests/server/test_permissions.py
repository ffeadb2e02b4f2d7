"""Who may do what: every address of the API and every message of the live channel × everybody, from the schema."""

import json
import re
from typing import Any
from urllib.parse import urlencode
from uuid import uuid4

from asgiref.sync import async_to_sync
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client

from needle.session.document import empty_document
from server.analysis.models import Report
from server.collaboration.models import Comment, Invitation, Version
from server.delivery.models import Delivery
from server.delivery.orders import Order
from server.editing.live_messages import FOR_EDITORS, MESSAGES
from server.editing.models import Draft
from server.media.models import Freeze, Upload
from server.mixsessions.models import Membership
from server.mixsessions.services import create_session
from server.project.api import api
from tests.server.sessions import LENGTH, RATE, SessionCase, forget, source
from tests.server.tabs import Tabs

EVERYBODY = {"olga": "owner", "emil": "engineer", "lisa": "listener", "uwe": "outsider", None: "nobody"}
MEMBERS = {"owner", "engineer", "listener"}
EDITORS = {"owner", "engineer"}

OPEN = {
    "/api/sign-in",
    "/api/sign-in/options",
    "/api/demo/sign-in",
    "/api/password/renew",
    "/api/invitations/account",
    "/api/invitations/preview",
    "/api/health",
}
"""Where nobody has to be signed in."""

OF_MEMBERS = {
    "post /pulse/reading", "post /room/place", "post /comments", "post /comments/{comment_id}/replies",
    "patch /comments/{comment_id}", "delete /comments/{comment_id}", "post /comments/read", "patch /membership",
    "delete /people/{user_id}",
}  # fmt: skip
"""What is sent and changes nothing that the mix depends on: listeners may."""

OF_EDITORS = {"get /pulse/as-points", "get /pulse/as-pulse"}
"""What is got, and told only to those who may do it."""

OF_OWNERS = {
    "post /people", "patch /people/{user_id}", "post /invitations", "delete /invitations/{invitation_id}", "delete ",
}  # fmt: skip
"""What changes who is in a session, or deletes it."""

OF_AUTHORS = {
    "patch /comments/{comment_id}": {"emil"},
    "delete /comments/{comment_id}": {"emil", "olga"},
    "delete /moves/takes/{take_id}": {"emil"},
    "post /uploads/{upload_id}/parts": {"emil"},
}
"""What only some of those whose role allows it may change: here by name."""

OTHERWISE = {
    "/deliveries/{delivery_id}/archive": 409, "/deliveries/{delivery_id}/files/{index}": 409,
    "/reports/{report_id}/{form}": 409, "/notes": 422, "/pulse/as-points": 422, "/pulse/as-pulse": 422,
    "/redo": 409, "/history/{then}/restore-change": 422,
}  # fmt: skip
"""What somebody who may is answered where there is nothing yet to be had: neither 200 nor 204."""

PREFIX = "/api/sessions/{session_id}"
NO_SESSION = "There is no such session"


def allowed(method: str, path: str) -> set[str]:
    """The roles that an address is for. A new one that changes something is for editors, or has to be named above."""
    address = f"{method} {path.removeprefix(PREFIX)}"
    if address in OF_OWNERS:
        return {"owner"}
    if method == "get":
        return EDITORS if address in OF_EDITORS else MEMBERS
    return MEMBERS if address in OF_MEMBERS else EDITORS


class Matrix(SessionCase):
    def setUp(self) -> None:
        super().setUp()
        # Something of everybody's own to take back.
        self.operate(self.as_("emil"), {"kind": "set-level", "source": "low", "level": -1.0})
        emil, now = self.users["emil"], {"session": self.session, "author": self.users["emil"]}
        revision = self.revision()
        take = {"summary": "Low", "start": 0.0, "end": 1.0, "mode": "touch", "samples": 3}
        made = {
            "delivery_id": Delivery.objects.create(**now, revision=revision, start=0, stop=10, order=Order().dict()),
            "upload_id": Upload.objects.create(**now, name="a.wav", size=100),
            "report_id": Report.objects.create(**now, title="All", revision=revision),
            "freeze_id": Freeze.objects.create(**now, revision=revision, source="low"),
            "take_id": Draft.keep(self.session, emil, Draft.Kind.TAKE, revision, [], take),
            "comment_id": Comment.objects.create(**now, text="Closer?"),
            "version_id": Version.objects.create(**now, revision=revision, name="First"),
            "invitation_id": Invitation.objects.create(
                **now, role="listener", secret="x", ends_at="2099-01-01T00:00:00Z"
            ),
        }
        self.filling = {name: str(thing.pk) for name, thing in made.items()}
        self.filling |= {
            "session_id": str(self.session.id),
            "index": "0",
            "source": "low",
            "form": "page",
            "channel": "M+030",
        }
        self.filling |= {"then": str(revision - 1), "user_id": str(self.users["lisa"].pk)}

    def addresses(self) -> list[tuple[str, str]]:
        """Every method and address of a session's API, from the schema, so that none is forgotten."""
        paths = api.get_openapi_schema()["paths"]
        found = [(method, path) for path, methods in paths.items() if path.startswith(PREFIX) for method in methods]
        self.assertGreater(len(found), 60)
        known = {f"{method} {path.removeprefix(PREFIX)}" for method, path in found}
        self.assertLessEqual(OF_MEMBERS | OF_EDITORS | OF_OWNERS | set(OF_AUTHORS), known)
        return found

    def ask(self, client: Client, method: str, path: str) -> tuple[int, str]:
        address = path.format(**self.filling)
        lane, revision = {"owner": "low", "parameter": "pan"}, self.revision()
        query = {
            "revision": revision, "law": "compromise", "first": "low", "second": "high", "givers": "low:3:0.25",
            "start": 0.0, "end": 3.0, "layout": "0+5+0", **lane, "kind": "bars",
        }  # fmt: skip
        if method == "get":
            answer = client.get(
                f"{address}?{urlencode(query)}" if "{then}" not in path else f"{address}?revision={revision}"
            )
        elif method == "delete":
            answer = client.delete(address)
        elif "/moves/import" in path:
            lands = json.dumps([{"index": 0, **lane}])
            file = SimpleUploadedFile("moves.csv", b"time,value\n0,0.5\n")
            answer = client.post(address, {"file": file, "revision": revision, "lands": lands})
        elif path.endswith("/notes"):
            answer = client.post(address, {"file": SimpleUploadedFile("part.mid", b"MThd")})
        else:
            filled = f"{address}?offset=0" if path.endswith("/parts") else address
            send = getattr(client, method)
            answer = send(filled, json.dumps(self.body(path)), content_type="application/json")
        told = "" if answer.streaming else answer.content.decode(errors="replace")
        return answer.status_code, told

    def body(self, path: str) -> dict[str, Any]:
        lane, revision = {"owner": "low", "parameter": "pan"}, self.revision()
        stretch = {"revision": revision, "lanes": [lane], "start": 0.5, "end": 1.5}
        points = [{"t": t, "value": 0.0} for t in (0.0, 1.0)]
        bodies = {
            "edit": {**stretch, "edit": {"kind": "mirror"}},
            "clip": stretch,
            "paste": {
                "revision": revision,
                "clip": {"start": 0.0, "seconds": 1.0, "lanes": {"pan": points}},
                "targets": [{"owner": "low", "at": 1.0}],
            },
            "takes": {
                "revision": revision,
                "start": 0.0,
                "end": 2.0,
                "mode": "touch",
                "controls": [{**lane, "holds": [{"samples": [[0.5, 0.1]], "end": 0.6}]}],
            },
            "place": {"revision": revision, "source": "low", "values": {"front": 0.5}},
            "path": {"revision": revision, "source": "low", "start": 0.0, "end": 2.0, "kind": "circle"},
            "reading": {"revision": revision, "owner": "low", "bar": 1},
            "draft": {"revision": revision, "owner": "low"},
            "freeze": {"revision": revision},
            "uploads": {"name": "a.wav", "size": 100},
            "tempo": {
                "client_id": str(uuid4()),
                "tempos": [[0.0, 90.0 + revision]],
                "metres": [[1, 4, 4]],
            },
            "operations": {
                "client_id": str(uuid4()),
                "operation": {"kind": "place-source", "source": "low", "pan": revision % 7 / 10},
            },
            "deliveries": {"revision": revision},
            "name": {"revision": revision},
            "membership": {"archived": False},
            "copy": {"name": "Another"},
            "reports": {"revision": revision},
            "people": {"username": "uwe", "role": "listener"},
            "{user_id}": {"role": "listener"},
            "invitations": {"role": "listener"},
            "comments": {"text": "Closer?"},
            "replies": {"text": "Yes."},
            "{comment_id}": {"text": "Nearer?"},
            "read": {"ids": [self.filling["comment_id"]]},
            "restore-change": {"client_id": str(uuid4()), "by": revision},
            "versions": {"name": "Second", "revision": revision},
        }
        return bodies.get(path.split("/")[-1], {"client_id": str(uuid4())})

    def test_every_address_is_for_those_whom_it_is_for(self) -> None:
        for method, path in self.addresses():
            rest = path.removeprefix(PREFIX)
            for name, role in EVERYBODY.items():
                with self.subTest(f"{method} {path} by {role}"):
                    if (method, rest) == ("delete", "/people/{user_id}") and role == "engineer":
                        continue
                    status, told = self.asked_alone(name, method, path)
                    if role == "nobody":
                        self.assertEqual(status, 401, told)
                    elif role == "outsider":
                        self.assertEqual(status, 404, told)
                        self.assertIn(NO_SESSION, told)
                    elif role not in allowed(method, path):
                        self.assertEqual(status, 403, told)
                    elif name not in OF_AUTHORS.get(f"{method} {rest}", {name}):
                        self.assertEqual(status, 404 if "/takes/" in rest else 403, told)
                    else:
                        self.assertIn(status, (OTHERWISE[rest],) if rest in OTHERWISE else (200, 204), told)

    def asked_alone(self, name: str | None, method: str, path: str) -> tuple[int, str]:
        """What is answered to somebody, as if nobody had asked for anything before; nothing of it stays."""
        with transaction.atomic():
            Membership.objects.update_or_create(
                session=self.session, user=self.users["lisa"], defaults={"role": "listener", "colour": 2}
            )
            found = self.ask(self.as_(name), method, path)
            transaction.set_rollback(True)
        forget()
        return found

    def test_who_may_not_changes_nothing(self) -> None:
        before = self.state(), self.revision(), Comment.objects.count(), Membership.objects.count()
        for method, path in self.addresses():
            for name, role in EVERYBODY.items():
                if role not in allowed(method, path):
                    self.ask(self.as_(name), method, path)
        self.assertEqual((self.state(), self.revision(), Comment.objects.count(), Membership.objects.count()), before)

    def test_what_belongs_to_another_session_is_not_there(self) -> None:
        own = create_session(empty_document("Own", RATE, LENGTH), self.users["uwe"])
        theirs = dict(self.filling)
        tried = []
        for method, path in self.addresses():
            named = set(re.findall(r"\{(\w+_id)\}", path)) - {"session_id", "user_id"}
            if not named:
                continue
            self.filling = {**theirs, "session_id": str(own.id)}
            status, told = self.ask(self.as_("uwe"), method, path)
            with self.subTest(f"{method} {path}"):
                self.assertEqual(status, 404, told)
                self.assertNotIn("Tones", told)
            tried.append(path)
        self.assertGreater(len(tried), 15)
        self.filling = {**theirs, "session_id": str(own.id), "user_id": str(self.users["lisa"].pk)}
        for method in ("patch", "delete"):
            self.assertEqual(self.ask(self.as_("uwe"), method, PREFIX + "/people/{user_id}")[0], 404)
        # In bodies and queries: what a colleague there has written, kept or sent.
        uwe, base = self.as_("uwe"), f"/api/sessions/{own.id}"

        def post(rest: str, body: dict[str, Any]) -> Any:
            return uwe.post(base + rest, json.dumps(body), content_type="application/json")

        asset = self.state()["sources"]["low"]["asset"]
        adding = {"kind": "add-source", "source": source("low", asset, 0)}
        answer = post("/operations", {"client_id": str(uuid4()), "operation": adding})
        self.assertEqual(answer.status_code, 422, answer.content)
        post("/comments/read", {"ids": [theirs["comment_id"]]})
        self.assertFalse(Comment.objects.get(pk=theirs["comment_id"]).read_by.filter(username="uwe").exists())
        answer = uwe.get(f"{base}/segments/0?revision=0&moves=draft={theirs['take_id']}")
        self.assertIn(answer.status_code, (404, 422), answer.content)

    def test_everything_else_asks_for_an_account(self) -> None:
        for path, methods in api.get_openapi_schema()["paths"].items():
            if not path.startswith(PREFIX) and path not in OPEN:
                for method in methods:
                    filled = re.sub(r"\{\w+_id\}", str(uuid4()), path)
                    self.assertEqual(getattr(Client(), method)(filled).status_code, 401, path)

    def test_the_list_shows_only_ones_own(self) -> None:
        self.assertEqual([row["name"] for row in self.as_("lisa").get("/api/sessions").json()], ["Tones"])
        self.assertEqual(self.as_("uwe").get("/api/sessions").json(), [])


class Messages(Tabs):
    SAID = {
        "preview": {"control": "low.pan", "value": 0.5},
        "presence": {"playhead": 1.0},
        "ask": {"control": "low.pan"},
        "give": {"control": "low.pan", "to": "x"},
        "ping": {},
    }

    def test_every_message_is_for_those_whom_it_is_for(self) -> None:
        self.assertEqual(self.SAID.keys(), MESSAGES.keys(), "a message is missing here")

        async def go() -> None:
            for name, role in EVERYBODY.items():
                tab, told = await self.connect(name)
                if role in ("outsider", "nobody"):
                    self.assertEqual(told["code"], 4404)
                    await tab.disconnect()
                    continue
                for kind, body in self.SAID.items():
                    await tab.send_json_to({"type": kind, **body})
                    await tab.send_json_to({"type": "ping"})
                    # What others are told may come in between, in whatever order.
                    told_of: list[str] = []
                    while told_of.count("pong") < 1 + (kind == "ping"):
                        told_of.append((await self.heard(tab))["type"])
                    refused = "refused" in told_of
                    self.assertEqual(refused, role == "listener" and kind in FOR_EDITORS, (role, kind, told_of))
                await tab.disconnect()

        async_to_sync(go)()
