"""Sound on its own way through Django: the same answers and the same doors as the API's."""

import asyncio
from typing import Any
from unittest import mock

from asgiref.sync import async_to_sync
from django.conf import settings

from server.media import segments_api
from server.project.sound_handler import SoundHandler
from server.project.turns import Turns
from tests.server.sessions import SessionCase
from tests.server.test_sound import decode


class OverTheWire(SessionCase):
    def ask(
        self, path: str, who: str | None = None, host: bytes = b"testserver"
    ) -> tuple[int, dict[str, str], bytes]:
        """Status, headers and body of an answer."""
        sent: list[dict[str, Any]] = []

        async def elsewhere(scope: Any, receive: Any, send: Any) -> None:
            await send({"type": "http.response.start", "status": 299, "headers": []})

        async def send(message: dict[str, Any]) -> None:
            sent.append(message)

        async def receive() -> dict[str, Any]:
            await asyncio.Event().wait()
            raise AssertionError

        path, _, query = path.partition("?")
        cookies = self.as_(who).cookies if who else {}
        cookie = "; ".join(f"{name}={morsel.value}" for name, morsel in cookies.items()).encode()
        scope = {
            "type": "http", "method": "GET", "path": path, "query_string": query.encode(), "scheme": "http",
            "headers": [(b"host", host), (b"cookie", cookie)], "client": ("127.0.0.1", 1),
        }  # fmt: skip
        async_to_sync(SoundHandler(elsewhere, Turns()))(scope, receive, send)
        headers = {name.decode().lower(): value.decode() for name, value in sent[0]["headers"]}
        return sent[0]["status"], headers, b"".join(message.get("body", b"") for message in sent[1:])

    def segment(self, index: int = 0) -> str:
        return self.url(f"/segments/{index}?revision={self.revision()}")

    def test_it_is_the_api_s_answer(self) -> None:
        status, headers, body = self.ask(self.segment(2), "lisa")
        answer = self.as_("lisa").get(self.segment(2))
        self.assertEqual((status, body), (200, answer.content))
        self.assertEqual(decode(body)[0]["index"], 2)
        for name in ("Content-Type", "Cache-Control", "Content-Security-Policy", "X-Content-Type-Options"):
            self.assertEqual(headers[name.lower()], answer.headers[name])

    def test_doors_are_the_same(self) -> None:
        self.assertEqual(self.ask(self.segment())[0], 401)
        self.assertEqual(self.ask(self.segment(), "uwe")[0], 404)
        self.assertEqual(self.ask(self.segment(999), "lisa")[0], 404)
        self.assertEqual(self.ask(self.url("/segments/0?revision=none"), "lisa")[0], 422)
        self.assertEqual(self.ask(self.segment(), "lisa", host=b"elsewhere.example")[0], 400)
        self.assertEqual(self.ask(self.url(""), "lisa")[0], 299)

    def test_who_is_put_out_hears_no_more_at_once(self) -> None:
        self.assertEqual(self.ask(self.segment(), "lisa")[0], 200)
        self.session.members.filter(user=self.users["lisa"]).first().delete()
        self.assertEqual(self.ask(self.segment(), "lisa")[0], 404)

    def test_who_signs_out_hears_no_more_at_once(self) -> None:
        path, client = self.segment(), self.as_("lisa")
        key = client.cookies[settings.SESSION_COOKIE_NAME].value
        with mock.patch.object(self, "as_", return_value=client):
            self.assertEqual(self.ask(path, "lisa")[0], 200)
            client.logout()
            client.cookies[settings.SESSION_COOKIE_NAME] = key
            self.assertEqual(self.ask(path, "lisa")[0], 401)

    def test_what_is_asked_for_is_dropped_when_the_page_has_gone(self) -> None:
        path, client = self.segment(), self.as_("lisa")
        dropped: list[str] = []

        class Slow:
            async def ask(self, job: Any, same: Any) -> bytes:
                try:
                    gone.set()
                    await asyncio.Event().wait()
                except asyncio.CancelledError:
                    dropped.append(job.work.__name__)
                    raise
                return b""

        gone = asyncio.Event()

        async def receive() -> dict[str, Any]:
            await gone.wait()
            return {"type": "http.disconnect"}

        async def send(message: dict[str, Any]) -> None:
            raise AssertionError("nobody is there to be answered")

        address, _, query = path.partition("?")
        cookie = f"{settings.SESSION_COOKIE_NAME}={client.cookies[settings.SESSION_COOKIE_NAME].value}".encode()
        scope = {
            "type": "http", "method": "GET", "path": address, "query_string": query.encode(), "scheme": "http",
            "headers": [(b"host", b"testserver"), (b"cookie", cookie)], "client": ("127.0.0.1", 1),
        }  # fmt: skip
        with mock.patch.object(segments_api, "pool", return_value=Slow()):
            async_to_sync(SoundHandler(mock.AsyncMock(), Turns()))(scope, receive, send)
        self.assertEqual(dropped, ["segment_answer"])
