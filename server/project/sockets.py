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

_MOST_FROM_ADDRESS = 3

_out: TTLCache[str, bool] = TTLCache(4096, OUT_FOR)
"""Sign-ins that have been cut off lately: they are refused for a while."""
_cut_off: TTLCache[str, int] = TTLCache(4096, OUT_FOR)
"""How often an address has been: whoever makes up a sign-in for every line is refused by it."""


class BoundedSocket(WebSocketProtocol):
    """A line of which no more is read once too much has come in a second: nothing of the rest costs anything."""

    _second = _came = 0
    _sign_in: str | None = None
    _address = ""

    def onConnect(self, request: ConnectionRequest) -> Any:  # noqa: N802 - Autobahn's name
        """Somebody wants a line."""
        self._sign_in = parse_cookie(request.headers.get("cookie", "")).get(settings.SESSION_COOKIE_NAME)
        sender = getattr(self.transport.getPeer(), "host", None)
        self._address = client_address(sender, request.headers.get("x-forwarded-for"))
        if self._sign_in in _out or _cut_off.get(self._address, 0) >= _MOST_FROM_ADDRESS:
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
            self._note_cut_off()
            self.transport.abortConnection()

    def _note_cut_off(self) -> None:
        if self._sign_in:
            _out[self._sign_in] = True
        # Without a sign-in an address is all that is known of whoever it was.
        count = 1 if self._sign_in else _MOST_FROM_ADDRESS
        _cut_off[self._address] = _cut_off.get(self._address, 0) + count


class BoundedSockets(WebSocketFactory):
    """Daphne's own, of lines that are bounded."""

    protocol = BoundedSocket

    def __init__(self, *arguments: Any, **options: Any) -> None:
        super().__init__(*arguments, **options)
        self.setProtocolOptions(maxFramePayloadSize=_LARGEST, maxMessagePayloadSize=_LARGEST)
