"""Foreign files are opened in a process that can do nothing else (``server.common.locked_process``)."""

import json
import logging
import os
import select
import signal
import subprocess
import sys
import threading
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path
from time import monotonic
from typing import Any

from django.conf import settings

from needle.errors import NeedleError
from needle.messages import Message
from server.common.locked_process import as_plain, as_value
from server.common.pool_process import ProcessLost

log = logging.getLogger(__name__)

PATIENCE = 120.0
"""So long (s) it may be silent."""
CPU_SECONDS = 2 * 3600
_LONGEST_LINE = 64 << 20
_PASSED_ON = ("PATH", "LANG", "LC_ALL", "TZ", "LD_LIBRARY_PATH", "NUMBA_CACHE_DIR")
"""All that it is told of the environment."""


class _Reader:
    """The process as the server has it; one thread at a time speaks with it."""

    def __init__(self) -> None:
        self.pid = os.getpid()
        environment = {name: os.environ[name] for name in _PASSED_ON if name in os.environ}
        environment |= {"PYTHONPATH": str(settings.BASE_DIR), "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
        self._process = subprocess.Popen(
            [sys.executable, "-m", "server.common.locked_process"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            env=environment,
            cwd="/",
            start_new_session=True,
        )
        self._unread = b""

    def is_usable(self) -> bool:
        return self.pid == os.getpid() and self._process.poll() is None

    def kill(self) -> None:
        """End it and what it is at."""
        with suppress(OSError):
            os.killpg(self._process.pid, signal.SIGKILL)
        self._process.wait()
        for end in (self._process.stdin, self._process.stdout):
            if end:
                with suppress(OSError):
                    end.close()

    def run(self, job: dict[str, Any], progress: Callable[[float], None], patience: float) -> Any:
        """What a job gives. ProcessLost if it ends the process that does it, or says nothing for too long."""
        assert self._process.stdin
        try:
            self._process.stdin.write(json.dumps(job).encode() + b"\n")
            self._process.stdin.flush()
            answer: dict[str, Any] = {}
            while "ended" not in (said := self._line(patience)):
                if "progress" in said:
                    progress(float(said["progress"]))
                else:
                    answer = said
        except BaseException as error:
            self.kill()
            if isinstance(error, OSError | ValueError | KeyError | TypeError):
                raise ProcessLost from error
            raise
        return _told(answer, said["ended"])

    def _line(self, patience: float) -> dict[str, Any]:
        """The next that it says. OSError if that does not come; ValueError if it is none of what it may say."""
        assert self._process.stdout
        end = self._process.stdout.fileno()
        until = monotonic() + patience
        while b"\n" not in self._unread:
            ready, _, _ = select.select([end], [], [], max(until - monotonic(), 0.0))
            block = os.read(end, 1 << 20) if ready else b""
            if not block or len(self._unread) > _LONGEST_LINE:
                raise OSError("it says nothing, or too much")
            self._unread += block
        line, self._unread = self._unread.split(b"\n", 1)
        said = json.loads(line)
        if not isinstance(said, dict):
            raise ValueError("it says what it may not")
        return said


def _told(answer: dict[str, Any], status: int) -> Any:
    """What an answer says, of a process that ended with a status."""
    if "refused" in answer:
        message = as_value(answer["refused"])
        raise NeedleError(message if isinstance(message, Message) else Message("request.process_lost"))
    if "done" in answer:
        try:
            return as_value(answer["done"])
        except ValueError as error:
            raise ProcessLost from error
    if "failed" in answer:
        log.error("a foreign file could not be read: %s", answer["failed"])
        raise RuntimeError("a foreign file could not be read")
    log.warning("a foreign file ended its reader: status %s", status)
    raise ProcessLost


_reader: _Reader | None = None
_lock = threading.Lock()


def run_locked(
    work: Callable[..., Any],
    *arguments: Any,
    reads: Sequence[Path] = (),
    writes: Sequence[Path] = (),
    progress: Callable[[float], None] = lambda _: None,
    patience: float = PATIENCE,
    cpu_seconds: int = CPU_SECONDS,
) -> Any:
    """What ``work(*arguments)`` gives, done where only files ``reads`` can be read and only ``writes`` written.

    ``work`` is a function of a module, or a generator of the share that is done; what it takes and gives are plain
    values and what ``as_plain`` knows. NeedleError as ``work`` raises it. ProcessLost where the file has ended the
    process, by what it took or by how long. ``progress`` may stop it by raising.
    """
    global _reader
    job = {
        "work": f"{work.__module__}:{work.__qualname__}",
        "arguments": [as_plain(one) for one in arguments],
        "reads": [str(path) for path in reads],
        "writes": [str(path) for path in writes],
        "memory": settings.READER_MEMORY,
        "seconds": cpu_seconds,
    }
    with _lock:
        if _reader is None or not _reader.is_usable():
            _reader = _Reader()
        return _reader.run(job, progress, patience)
