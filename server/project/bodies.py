"""Bodies of requests are bounded before they are read: whoever sends more than an address takes is cut off.

The web server would put a body of any size on the disk, and only then ask who has sent it.
"""

from typing import Any

from daphne.http_protocol import HTTPFactory, WebRequest

from server.media.heads import MOST_BYTES as LARGEST_HEAD

MOST_BYTES = 6 << 20
"""Files come in parts of 4 MB, and those that come whole have no more either, with what is written around them."""

_AROUND = 1 << 20
_LARGER = {b"/api/heads": LARGEST_HEAD + _AROUND}

_REFUSED = b"HTTP/1.1 413 Content Too Large\r\nConnection: close\r\nContent-Length: 0\r\n\r\n"


class BoundedRequest(WebRequest):
    """A request whose body is no larger than its address takes."""

    _left = MOST_BYTES

    def gotLength(self, length: int | None) -> None:  # noqa: N802 - Twisted's name
        """The headers have come, and with them how long the body is, or None."""
        path = getattr(self.channel, "_path", b"").partition(b"?")[0]
        self._left = _LARGER.get(path, MOST_BYTES)
        super().gotLength(length)
        if length is not None and length > self._left:
            self._refuse()

    def handleContentChunk(self, data: bytes) -> None:  # noqa: N802 - Twisted's name
        """Some of the body has come."""
        self._left -= len(data)
        if self._left < 0:
            self._refuse()
        else:
            super().handleContentChunk(data)

    def _refuse(self) -> None:
        transport = self.channel.transport
        if not transport.disconnecting:
            transport.write(_REFUSED)
            transport.loseConnection()


class BoundedFactory(HTTPFactory):
    """Daphne's own, of requests that are bounded."""

    def buildProtocol(self, addr: Any) -> Any:  # noqa: N802 - Twisted's name
        protocol = super().buildProtocol(addr)
        protocol.requestFactory = BoundedRequest
        return protocol
