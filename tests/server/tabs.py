"""Browser tabs on the live channel of a small session."""

import json

from asgiref.sync import sync_to_async
from channels.testing import WebsocketCommunicator
from django.conf import settings
from django.test import Client

from server.project.asgi import application
from server.project.management.commands.export_api_schema import SERVER_EVENTS
from tests.server.sessions import CommittedCase


class Tabs(CommittedCase):
    async def connect(
        self,
        name: str | None,
        since: int | None = None,
        origin: str = "http://testserver",
        client: Client | None = None,
    ):
        """A connected browser tab of somebody, or of a browser of theirs, and the first thing it was told."""
        path = f"/live/{self.session.id}" + (f"?since={since}" if since is not None else "")
        headers = [(b"origin", origin.encode()), (b"host", b"testserver")]
        if name:
            client = client or await sync_to_async(self.as_)(name)
            cookie = client.cookies[settings.SESSION_COOKIE_NAME].value
            headers.append((b"cookie", f"{settings.SESSION_COOKIE_NAME}={cookie}".encode()))
        tab = WebsocketCommunicator(application, path, headers)
        connected, _ = await tab.connect()
        return tab, await self.heard(tab) if connected else None

    async def heard(self, tab, kind: str | None = None) -> dict:
        """The next message, or the next of a kind."""
        while True:
            message = await tab.receive_output(timeout=5)
            if message["type"] == "websocket.close":
                return message
            found = json.loads(message["text"])
            # The interface's types are made from these.
            SERVER_EVENTS.validate_python(found)
            if kind in (None, found["type"]):
                return found
