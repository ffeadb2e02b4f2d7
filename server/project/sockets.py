"""What comes over sockets is bounded before it is handed on: whoever says far too much is cut off at the line."""

from time import monotonic
from typing import Any

from daphne.ws_protocol import WebSocketFactory, WebSocketProtocol

from server.editing.live import MOST_A_SECOND, MOST_BYTES

_LARGEST = 8 * MOST_BYTES
"""Bytes that are read of a message at all; the channel refuses in words what is larger than it takes."""


class BoundedSocket(WebSocketProtocol):
    """A line of which no more is read once too much has come in a second: nothing of the rest costs anything."""

    _second = _came = 0

    def onMessage(self, payload: bytes, isBinary: bool) -> None:  # noqa: N802, N803 - Autobahn's names
        """A message has come."""
        second = int(monotonic())
        self._came = self._came + 1 if self._second == second else 1
        self._second = second
        # One more than the channel takes: it puts out who has sent it.
        if self._came <= MOST_A_SECOND + 1:
            super().onMessage(payload, isBinary)
        if self._came == MOST_A_SECOND + 1:
            self.transport.abortConnection()


class BoundedSockets(WebSocketFactory):
    """Daphne's own, of lines that are bounded."""

    protocol = BoundedSocket

    def __init__(self, *arguments: Any, **options: Any) -> None:
        super().__init__(*arguments, **options)
        self.setProtocolOptions(maxFramePayloadSize=_LARGEST, maxMessagePayloadSize=_LARGEST)
