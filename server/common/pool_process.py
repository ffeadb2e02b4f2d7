"""A process of the pool, from both sides: how the server speaks with it, and what it does."""

import gc
import logging
import os
import resource
import signal
import threading
from collections.abc import Callable, Generator, Sequence
from concurrent.futures import Future
from contextlib import suppress
from multiprocessing import connection, get_context, parent_process
from multiprocessing.connection import Connection
from time import monotonic
from types import GeneratorType
from typing import TYPE_CHECKING, Any

import django
from django.conf import settings

from needle.messages import Message

if TYPE_CHECKING:
    from server.common.pool import Job

log = logging.getLogger(__name__)

_NICENESS, _BACKGROUND_NICENESS = 8, 19
"""Whoever asks is answered first, then what sounds is rendered, then what may take its time."""
_REPLACED_ABOVE = 0.5
"""The share of what it may have above which a process is replaced between two jobs."""

# Arrays of many megabytes come and go all the time: a process keeps their memory instead of giving it back each time.
_MEMORY = {"MALLOC_MMAP_THRESHOLD_": str(1 << 30), "MALLOC_TRIM_THRESHOLD_": str(1 << 30)}

Part = tuple[int, Callable[..., Any], tuple[Any, ...]]


class ProcessLost(Exception):
    """The process that was at it has died, or gave no sign for too long."""

    def __init__(self) -> None:
        self.message = Message("request.process_lost")
        super().__init__(self.message)


class Abandoned(Exception):
    """Nobody wants the work any more."""


class PoolProcess:
    """A process as the server has it: started now, spoken with by one thread at a time."""

    def __init__(self, name: str, background: bool) -> None:
        for key, value in _MEMORY.items():
            os.environ.setdefault(key, value)
        context = get_context("spawn")
        self._connection, its_end = context.Pipe()
        where = (str(settings.DATA_DIR), str(_database()["NAME"]), settings.WORKERS)
        self._process = context.Process(target=_serve, args=(its_end, background, where), name=name, daemon=True)
        self._process.start()
        its_end.close()
        self._usable = True
        self._enough = False

    def is_usable(self) -> bool:
        """Whether it lives and does not hold too much memory."""
        return self._usable and self._process.is_alive()

    def kill(self) -> None:
        """End it, whatever it is at."""
        self._usable = False
        with suppress(OSError):
            self._process.kill()
        self._connection.close()

    def run(self, job: "Job", limit: float, run_parts: Callable[..., None]) -> Any:
        """What a job gives. ProcessLost if the process dies or is silent for ``limit`` seconds.

        ``run_parts`` is called with the parts that the process wants to have done beside its own work.
        """
        self._job, self._limit = job, limit
        try:
            ended = self._exchange(job, limit, run_parts)
        except (EOFError, OSError) as error:
            self.kill()
            raise ProcessLost from error
        except ProcessLost:
            self.kill()
            raise
        # What went wrong in the work itself is no fault of the process.
        return self._ended(*ended)

    def _exchange(self, job: "Job", limit: float, run_parts: Callable[..., None]) -> tuple[str, Any, float]:
        """Speak with the process until it has done a job or failed at it: which, with what, and its memory."""
        self._connection.send(("job", job.work, job.arguments))
        sign, told_to_stop = monotonic(), False
        while True:
            if not self._connection.poll(0.2):
                if monotonic() - sign > limit:
                    raise ProcessLost
                continue
            kind, *content = self._connection.recv()
            sign = monotonic()
            if kind == "parts":
                self._enough = False
                run_parts(self, job, *content)
                self._end_of_parts()
            elif not self._note(kind, *content):
                return kind, *content
            if not job.is_wanted() and not told_to_stop:
                told_to_stop = True
                self._connection.send(("stop",))

    def _note(self, kind: str, *content: Any) -> bool:
        """Take note of what is said on the way; whether it was that."""
        if kind == "progress":
            (self._job.progress,) = content
        elif kind == "enough":
            self._enough = True
        else:
            return False
        return True

    def run_part(self, part: "Job") -> None:
        """Have the process, which waits for parts of its work, do one of them itself."""
        self._connection.send(("part", part.work, part.arguments))
        kind, *content = self._received()
        while self._note(kind, *content):
            kind, *content = self._received()
        try:
            part.future.set_result(self._ended(kind, *content))
        except Exception as error:
            part.future.set_exception(error)

    def _received(self) -> tuple[Any, ...]:
        """The next that the process says. ProcessLost if it is silent for too long."""
        if not self._connection.poll(self._limit):
            raise ProcessLost
        return self._connection.recv()

    def tell_part(self, index: int, future: Future[Any]) -> None:
        """Give the process what a part of its work gave."""
        try:
            message = ("answer", index, future.result())
        except BaseException as error:
            message = ("failed", index, error)
        self._connection.send(message)

    def wants_no_more(self) -> bool:
        """Whether the process has stopped waiting for the parts of its work."""
        while not self._enough and self._connection.poll(0):
            self._note(*self._connection.recv())
        return self._enough

    def _end_of_parts(self) -> None:
        """Both sides say that nothing more is to be done beside."""
        self._connection.send(("no more",))
        while not self._enough:
            self._note(*self._received())

    def _ended(self, kind: str, content: Any, memory: float) -> Any:
        self._usable = memory <= _REPLACED_ABOVE * settings.WORKER_MEMORY
        if kind == "raised":
            raise content
        return content


def _database() -> dict[str, Any]:
    from django.db import connections

    return connections["default"].settings_dict


# What follows is the other side: it runs in the process.

_child_side: "_ChildSide | None" = None


def current_process() -> "_ChildSide | None":
    """The process of a pool in which this runs, if it does."""
    return _child_side


class _ChildSide:
    """The process itself: takes jobs one after the other until the server is gone."""

    def __init__(self, end: Connection, cores: int) -> None:
        self._end, self.parts = end, cores
        self._waits_for_parts = False

    def serve(self) -> None:
        from django.db import close_old_connections

        while True:
            try:
                kind, *content = self._end.recv()
            except (EOFError, OSError):
                return
            if kind != "job":  # the word to stop what has ended meanwhile
                continue
            work, arguments = content
            close_old_connections()
            self._answer(lambda work=work, arguments=arguments: self._finished(work(*arguments)))
            close_old_connections()

    def _answer(self, work: Callable[[], Any]) -> None:
        try:
            answer = ("done", work())
        except MemoryError:
            answer = ("raised", _too_large())
        except Exception as error:
            answer = ("raised", error)
        try:
            self._end.send((*answer, held_memory()))
        except (EOFError, OSError):
            os._exit(0)
        except Exception as error:  # what cannot be sent is told by its name
            log.exception("an answer could not be sent")
            self._end.send(("raised", RuntimeError(f"{type(error).__name__}: {error}"), held_memory()))

    def _finished(self, result: Any) -> Any:
        if not isinstance(result, GeneratorType):
            return result
        while True:
            try:
                done = next(result)
            except StopIteration as stop:
                return stop.value
            self._end.send(("progress", float(done)))
            # While parts are done run_parts, whoever sees to them says when to stop.
            if not self._waits_for_parts and self._end.poll(0):
                self._end.recv()
                result.close()
                raise Abandoned

    def in_parallel(self, parts: Sequence[Part]) -> Generator[Any, None, None]:
        """What parts of the work give, in their order; meanwhile this process does some of them itself."""
        if not parts:
            return
        self._end.send(("parts", list(parts)))
        self._waits_for_parts = True
        answers: dict[int, tuple[str, Any]] = {}
        try:
            for index in range(len(parts)):
                while index not in answers:
                    kind, *content = self._end.recv()
                    if kind == "part":
                        self._do_part(*content)
                    elif kind in ("answer", "failed"):
                        answers[content[0]] = kind, content[1]
                    else:  # whoever wanted it has gone
                        self._waits_for_parts = kind != "no more"
                        raise Abandoned
                kind, value = answers.pop(index)
                if kind == "failed":
                    raise value
                yield value
        finally:
            self._end.send(("enough",))
            while self._waits_for_parts:
                kind, *content = self._end.recv()
                if kind == "part":
                    self._do_part(*content)
                self._waits_for_parts = kind != "no more"

    def _do_part(self, work: Callable[..., Any], arguments: tuple[Any, ...]) -> None:
        self._answer(lambda: work(*arguments))


def _serve(end: Connection, background: bool, where: tuple[str, str, int]) -> None:
    """What a process of the pool does from its first moment."""
    global _child_side
    # There is a process for every core already.
    os.environ.update(OPENBLAS_NUM_THREADS="1", OMP_NUM_THREADS="1")
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    os.nice(_BACKGROUND_NICENESS if background else _NICENESS)
    _leave_with_the_server()
    django.setup()
    data, database, cores = where
    from pathlib import Path

    settings.DATA_DIR = Path(data)
    _database()["NAME"] = database
    resource.setrlimit(resource.RLIMIT_DATA, (settings.WORKER_MEMORY, settings.WORKER_MEMORY))
    from needle.dsp.kernels import prepare

    prepare()
    tame_collector()
    _child_side = _ChildSide(end, cores)
    _child_side.serve()


def _leave_with_the_server() -> None:
    def wait() -> None:
        connection.wait([parent_process().sentinel])
        os._exit(0)

    threading.Thread(target=wait, daemon=True).start()


def tame_collector() -> None:
    """Have Python look for cycles seldom: what a session is made of are many small objects without any.

    A full look at them takes a tenth of a second, in the midst of whatever is at work.
    """
    gc.collect()
    gc.freeze()
    gc.set_threshold(50_000, 20, 100)


def held_memory() -> int:
    """Bytes of memory that are this process's own, without the files that it has mapped."""
    try:
        with open("/proc/self/statm") as file:
            _, resident, shared, *_ = (int(word) for word in file.read().split())
    except OSError:  # not Linux: the most that it has ever had
        return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    return (resident - shared) * os.sysconf("SC_PAGE_SIZE")


def _too_large() -> Exception:
    from needle.errors import NeedleError

    return NeedleError("pool.too_much_memory")
