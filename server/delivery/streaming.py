"""Files sent bit by bit, however large: nothing of them is held in memory, and nobody else waits meanwhile.

A download that broke off goes on where it did: a single range of bytes may be asked for (RFC 9110, 14).
"""

import asyncio
import re
from collections.abc import AsyncIterator, Iterator
from pathlib import Path
from urllib.parse import quote

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from zipstream import ZIP_STORED, ZipStream

_BLOCK = 1 << 20
_RANGE = re.compile(r"bytes=(?P<first>\d*)-(?P<last>\d*)")


def sent(request: HttpRequest, path: Path, name: str) -> HttpResponse | StreamingHttpResponse:
    """A file, or the range of it that is asked for, as a download of that name."""
    about = path.stat()
    tag = f'"{about.st_mtime_ns:x}-{about.st_size:x}"'
    stretch = _asked_range(request, tag, about.st_size)
    if stretch is not None and stretch[0] >= stretch[1]:
        response = HttpResponse(status=416)
        response["Content-Range"] = f"bytes */{about.st_size}"
        return response
    first, end = stretch or (0, about.st_size)
    response = StreamingHttpResponse(_apart(_read(path, first, end)), content_type="application/octet-stream")
    response["Content-Length"] = str(end - first)
    response["Accept-Ranges"] = "bytes"
    response["ETag"] = tag
    if stretch is not None:
        response.status_code = 206
        response["Content-Range"] = f"bytes {first}-{end - 1}/{about.st_size}"
    return _as_download(response, name)


def _asked_range(request: HttpRequest, tag: str, size: int) -> tuple[int, int] | None:
    """The range of bytes that is asked for, from the first to the one after its last; None for all of them.

    None too where several are asked for, or what was begun is another file now.
    """
    match = _RANGE.fullmatch(request.headers.get("Range", "").replace(" ", ""))
    if not match or request.headers.get("If-Range", tag) != tag:
        return None
    first, last = match["first"], match["last"]
    if not first:
        return (max(size - int(last), 0), size) if last else None
    if last and int(last) < int(first):
        return None
    return int(first), min(int(last) + 1, size) if last else size


def sent_together(files: list[tuple[Path, str]], name: str) -> StreamingHttpResponse:
    """Files as one archive (zip) as a download of that name; each is in it under its own."""
    archive = ZipStream(compress_type=ZIP_STORED, sized=True)
    for path, inside in files:
        archive.add_path(path, inside)
    response = StreamingHttpResponse(_apart(iter(archive)), content_type="application/zip")
    response["Content-Length"] = str(len(archive))
    return _as_download(response, name)


def _as_download(response: StreamingHttpResponse, name: str) -> StreamingHttpResponse:
    plain = name.encode("ascii", "replace").decode().replace("?", "_").replace('"', "'")
    response["Content-Disposition"] = f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"
    response["Cache-Control"] = "private, no-store"
    return response


def _read(path: Path, first: int, end: int) -> Iterator[bytes]:
    with path.open("rb") as file:
        file.seek(first)
        while first < end and (block := file.read(min(_BLOCK, end - first))):
            first += len(block)
            yield block


async def _apart(blocks: Iterator[bytes]) -> AsyncIterator[bytes]:
    """What is read from the disk, on a thread of its own."""
    while (block := await asyncio.to_thread(next, blocks, None)) is not None:
        yield block
