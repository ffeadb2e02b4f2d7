"""Bodies of requests are bounded before they are read: whoever sends more than an address takes is cut off.

The web server would put a body of any size on the disk, and only then ask who has sent it; and it would wait for one
that comes byte by byte as long as bytes come.
"""

from time import monotonic
from typing import Any

from daphne.http_protocol import HTTPFactory, WebRequest

from server.media.heads import MOST_BYTES as LARGEST_HEAD

MOST_BYTES = 6 << 20
"""Files come in parts of 4 MB, and those that come whole have no more either, with what is written around them."""

SLOWEST = 8 << 10
"""Bytes that must come in a second, on the whole."""
SLOW_START = 30.0
"""How long (s) that need not be so."""

_AROUND = 1 << 20
_LARGER = {b"/api/heads": LARGEST_HEAD + _AROUND}

_TOO_LARGE, _TOO_SLOW = (
    b"HTTP/1.1 %b\r\nConnection: close\r\nContent-Length: 0\r\n\r\n" % status
    for status in (b"413 Content Too Large", b"408 Request Timeout")
)


class BoundedRequest(WebRequest):
    """A request whose body is no larger than its address takes, and comes before one has waited too long."""

    _left = MOST_BYTES
    _began = 0.0
    _came = 0

    def gotLength(self, length: int | None) -> None:  # noqa: N802 - Twisted's name
        """The headers have come, and with them how long the body is, or None."""
        path = getattr(self.channel, "_path", b"").partition(b"?")[0]
        self._left = _LARGER.get(path, MOST_BYTES)
        self._began = monotonic()
        super().gotLength(length)
        if length is not None and length > self._left:
            self._refuse(_TOO_LARGE)

    def handleContentChunk(self, data: bytes) -> None:  # noqa: N802 - Twisted's name
        """Some of the body has come."""
        self._left -= len(data)
        self._came += len(data)
        if self._left < 0:
            self._refuse(_TOO_LARGE)
        elif monotonic() - self._began > SLOW_START + self._came / SLOWEST:
            self._refuse(_TOO_SLOW)
        else:
            super().handleContentChunk(data)

    def _refuse(self, answer: bytes) -> None:
        transport = self.channel.transport
        if not transport.disconnecting:
            transport.write(answer)
            transport.loseConnection()


class BoundedFactory(HTTPFactory):
    """Daphne's own, of requests that are bounded."""

    def buildProtocol(self, addr: Any) -> Any:  # noqa: N802 - Twisted's name
        protocol = super().buildProtocol(addr)
        protocol.requestFactory = BoundedRequest
        return protocol
