"""Files sent bit by bit, however large: nothing of them is held in memory, and nobody else waits meanwhile."""

import asyncio
import io
import zipfile
from collections.abc import AsyncIterator, Iterator
from pathlib import Path
from urllib.parse import quote

from django.http import StreamingHttpResponse

_BLOCK = 1 << 20


def sent(path: Path, name: str) -> StreamingHttpResponse:
    """A file as a download of that name."""
    response = StreamingHttpResponse(_apart(_read(path)), content_type="application/octet-stream")
    response["Content-Length"] = str(path.stat().st_size)
    return _as_download(response, name)


def sent_together(files: list[tuple[Path, str]], name: str) -> StreamingHttpResponse:
    """Files as one archive (zip) as a download of that name; each is in it under its own."""
    response = StreamingHttpResponse(_apart(_zipped(files)), content_type="application/zip")
    return _as_download(response, name)


def _as_download(response: StreamingHttpResponse, name: str) -> StreamingHttpResponse:
    plain = name.encode("ascii", "replace").decode().replace("?", "_").replace('"', "'")
    response["Content-Disposition"] = f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"
    response["Cache-Control"] = "private, no-store"
    return response


def _read(path: Path) -> Iterator[bytes]:
    with path.open("rb") as file:
        while block := file.read(_BLOCK):
            yield block


class _Sink(io.RawIOBase):
    """What an archive is written into: gives back what has come, and cannot go back."""

    def __init__(self) -> None:
        self.written: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: bytes) -> int:
        self.written.append(bytes(data))
        return len(data)

    def taken(self) -> bytes:
        result = b"".join(self.written)
        self.written.clear()
        return result


def _zipped(files: list[tuple[Path, str]]) -> Iterator[bytes]:
    sink = _Sink()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_STORED) as archive:
        for path, name in files:
            with archive.open(zipfile.ZipInfo(name), "w", force_zip64=True) as into:
                for block in _read(path):
                    into.write(block)
                    yield sink.taken()
    yield sink.taken()


async def _apart(blocks: Iterator[bytes]) -> AsyncIterator[bytes]:
    """What is read from the disk, on a thread of its own."""
    while (block := await asyncio.to_thread(next, blocks, None)) is not None:
        yield block
