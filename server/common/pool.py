"""The pool: processes that render, decode, measure and open foreign files, so that the web process only passes on.

Two groups of processes, each as many as there are cores (``NEEDLE_WORKERS``): the *front* gives what somebody listens
to or looks at, the *back*, which the system lets step aside, gives what may take its time. Within a group the more
urgent goes first, and among equally urgent work the person who has had least of it lately; while several people ask,
each has their share of the processes and no more. A function that is to run here is a function of a module and takes
what can be pickled; one that takes long is a generator of its progress (``needle.balance.progress``) and may have
parts of it done beside it by ``in_parallel``.

Memory of a process is bounded: it is replaced when it holds too much, and none may have more than
``NEEDLE_WORKER_MEMORY``. A process that dies costs the one answer that it was at, which is tried once more elsewhere.
Without processes (``NEEDLE_WORKERS=0``) all of it runs where it is asked for.
"""

import asyncio
import threading
from collections.abc import Callable, Generator, Hashable, Sequence
from concurrent.futures import CancelledError, wait
from time import monotonic
from types import GeneratorType
from typing import Any

from asgiref.sync import sync_to_async
from django.conf import settings

from server.common.pool_group import Job, ProcessGroup, Urgency
from server.common.pool_process import Abandoned, ProcessLost, current_process

PROGRESS_PATIENCE = 0.25
FORGOTTEN_AFTER = 2.5
"""Seconds without a question after which work that is asked for again and again is given up."""


class Pool:
    """Processes, and what waits for them; they start when they are first wanted."""

    def __init__(self, cores: int) -> None:
        # One more in the back than there are cores, so that files never keep all of analysis waiting.
        self._groups = {"front": ProcessGroup("front", cores, cores), "back": ProcessGroup("back", cores + 1, cores)}
        self._shared: dict[Hashable, Job] = {}
        self._polled: dict[Hashable, Job] = {}
        self._lock = threading.Lock()

    @property
    def parts(self) -> int:
        """Into how many parts work is best divided."""
        return self._groups["back"].size - 1

    def wake(self) -> None:
        """Start the processes of the front, and the first of the back, before anybody waits for them."""
        self._groups["front"].wake(self.parts)
        self._groups["back"].wake(1)

    def close(self) -> None:
        for group in self._groups.values():
            group.close()

    def submit(self, job: Job) -> Job:
        """Have a job wait for its turn. PoolBusy if its person waits for too much already."""
        self._groups[job.urgency.group].add(job)
        return job

    async def ask(self, job: Job, same: Hashable) -> Any:
        """What a job gives; those who ask for the ``same`` at the same time share it.

        When nobody waits for it any more, because their pages have been closed, it is dropped.
        """
        with self._lock:
            shared = self._shared.get(same)
            if shared is None or shared.future.done() or shared.abandoned:
                shared = self._shared[same] = self.submit(job)
                shared.future.add_done_callback(lambda _: self._shared.pop(same, None))
            shared.urgency = min(shared.urgency, job.urgency)
            shared.waiters += 1
        try:
            return await asyncio.shield(asyncio.wrap_future(shared.future))
        except asyncio.CancelledError:
            shared.waiters -= 1
            if shared.waiters == 0:
                shared.abandoned = True
                shared.future.cancel()
            raise

    def poll(self, key: Hashable, job: Job, patience: float) -> tuple[float, Any]:
        """How far a job is (0…1), and what it gave once that is 1; the first to ask for ``key`` begins it."""
        with self._lock:
            known = self._polled.get(key)
            if known is None or known.future.cancelled():
                known = self._polled[key] = self.submit(job)
                _limit(self._polled)
            known.asked_at = monotonic()
        if not wait((known.future,), patience).done:
            return min(known.progress, 0.999), None
        try:
            return 1.0, known.future.result()
        except (CancelledError, Abandoned, ProcessLost):
            # Who asks again begins it anew.
            self._forget(key, known)
            return 0.0, None
        except Exception:
            self._forget(key, known)
            raise

    def _forget(self, key: Hashable, job: Job) -> None:
        with self._lock:
            if self._polled.get(key) is job:
                del self._polled[key]


_MOST_RESULTS = 24


def _limit(jobs: dict[Hashable, Job]) -> None:
    """Forget the oldest results of what is asked for again and again."""
    ended = [key for key, job in jobs.items() if job.future.done()]
    for key in ended[: max(0, len(ended) - _MOST_RESULTS)]:
        del jobs[key]


class _Inline:
    """No processes: everything is done by whoever asks, one after the other, before they are answered."""

    parts = 1

    def __init__(self) -> None:
        self._lock = threading.RLock()

    def wake(self) -> None:
        """Nothing waits to be started."""

    def close(self) -> None:
        """Nothing is to be ended."""

    def submit(self, job: Job) -> Job:
        try:
            with self._lock:
                job.future.set_result(_finished(job))
            job.progress = 1.0
        except Exception as error:
            job.future.set_exception(error)
        return job

    async def ask(self, job: Job, same: Hashable) -> Any:
        return await sync_to_async(lambda: self.submit(job).future.result())()

    def poll(self, key: Hashable, job: Job, patience: float) -> tuple[float, Any]:
        return 1.0, self.submit(job).future.result()


def _finished(job: Job) -> Any:
    result = job.work(*job.arguments)
    while isinstance(result, GeneratorType):
        try:
            job.progress = next(result)
        except StopIteration as stop:
            return stop.value
    return result


_pool: Pool | _Inline | None = None
_pool_lock = threading.Lock()


def pool() -> Pool | _Inline:
    """The pool of this process."""
    global _pool
    with _pool_lock:
        if _pool is None:
            _pool = Pool(settings.WORKERS) if settings.WORKERS else _Inline()
        return _pool


def call(person: Hashable, work: Callable[..., Any], *arguments: Any, urgency: Urgency = Urgency.LOOKED_AT) -> Any:
    """What ``work(*arguments)`` gives, done in the pool while this thread waits. What it raises is raised here."""
    return pool().submit(Job(work, arguments, person, urgency)).future.result()


def start(person: Hashable, work: Callable[..., Any], *arguments: Any) -> Job:
    """Begin what takes long, such as a file; its future tells how it ended."""
    return pool().submit(Job(work, arguments, person, Urgency.FILES))


def poll_job(
    person: Hashable, key: Hashable, work: Callable[..., Any], *arguments: Any, patience: float = PROGRESS_PATIENCE
) -> tuple[float, Any]:
    """How far the work that ``key`` names is (0…1), and what it gave once that is 1.

    Waits ``patience`` seconds for it at the most. It is given up when nobody has asked for it for a while. What went
    wrong in it is raised here, once.
    """
    job = Job(work, arguments, person, Urgency.ANALYSIS, forgotten_after=FORGOTTEN_AFTER)
    return pool().poll(key, job, patience)


def in_parallel(parts: Sequence[tuple[int, Callable[..., Any], tuple[Any, ...]]]) -> Generator[Any, None, None]:
    """What each of some ``(near, work, arguments)`` gives, in their order, done side by side if there are processes.

    ``near`` numbers the process that should do it: the same number finds what that process knows already. Whoever
    stops asking leaves what has not begun.
    """
    process = current_process()
    if process is not None:
        yield from process.in_parallel(parts)
    elif settings.WORKERS and parts:
        jobs = [pool().submit(Job(work, arguments, None, Urgency.ANALYSIS, near)) for near, work, arguments in parts]
        try:
            for job in jobs:
                yield job.future.result()
        finally:
            for job in jobs:
                job.future.cancel()
    else:
        for _, work, arguments in parts:
            yield work(*arguments)


def part_count() -> int:
    """Into how many parts work is best divided."""
    process = current_process()
    return process.parts if process is not None else pool().parts
