"""What comes over sockets is bounded before it is handed on: whoever says far too much is cut off at the line."""

from time import monotonic
from typing import Any

from autobahn.websocket.types import ConnectionDeny, ConnectionRequest
from cachetools import TTLCache
from daphne.ws_protocol import WebSocketFactory, WebSocketProtocol
from django.conf import settings
from django.http.cookie import parse_cookie

from server.common.throttling import client_address
from server.editing.live import MOST_A_SECOND, MOST_BYTES, OUT_FOR

_LARGEST = 8 * MOST_BYTES
"""Bytes that are read of a message at all; the channel refuses in words what is larger than it takes."""

_out: TTLCache[str, bool] = TTLCache(4096, OUT_FOR)
"""Who has been cut off lately, by their sign-in, else by their address: they are not even let in for a while."""


class BoundedSocket(WebSocketProtocol):
    """A line of which no more is read once too much has come in a second: nothing of the rest costs anything."""

    _second = _came = 0
    _who = ""

    def onConnect(self, request: ConnectionRequest) -> Any:  # noqa: N802 - Autobahn's name
        """Somebody wants a line."""
        sign_in = parse_cookie(request.headers.get("cookie", "")).get(settings.SESSION_COOKIE_NAME)
        sender = getattr(self.transport.getPeer(), "host", None)
        self._who = sign_in or client_address(sender, request.headers.get("x-forwarded-for"))
        if self._who in _out:
            raise ConnectionDeny(429)
        return super().onConnect(request)

    def onMessage(self, payload: bytes, isBinary: bool) -> None:  # noqa: N802, N803 - Autobahn's names
        """A message has come."""
        second = int(monotonic())
        self._came = self._came + 1 if self._second == second else 1
        self._second = second
        # One more than the channel takes: it puts out who has sent it.
        if self._came <= MOST_A_SECOND + 1:
            super().onMessage(payload, isBinary)
        if self._came == MOST_A_SECOND + 1:
            _out[self._who] = True
            self.transport.abortConnection()


class BoundedSockets(WebSocketFactory):
    """Daphne's own, of lines that are bounded."""

    protocol = BoundedSocket

    def __init__(self, *arguments: Any, **options: Any) -> None:
        super().__init__(*arguments, **options)
        self.setProtocolOptions(maxFramePayloadSize=_LARGEST, maxMessagePayloadSize=_LARGEST)
