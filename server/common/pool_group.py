"""The jobs of the pool, and who does which of them next."""

import itertools
import logging
import threading
from collections import Counter
from collections.abc import Callable, Hashable, Sequence
from concurrent.futures import Future, InvalidStateError
from contextlib import suppress
from dataclasses import dataclass, field
from enum import IntEnum
from time import monotonic
from typing import Any

from cachetools import LRUCache
from django.db import close_old_connections

from server.common.pool_process import PoolProcess, ProcessLost

log = logging.getLogger(__name__)

MOST_WAITING = 64
"""Answers that one person may be waiting for at a time; each browser asks for six."""

_ATTEMPTS = 2
_PATIENCE = {"front": 0.08, "back": 0.0}
"""Seconds for which a job is left to the process that is near it: the next segment costs that one a tenth."""
_LEFT_FOR = 1.0
"""Seconds for which another's job comes after all of a process's own."""
_MOST_HOMES = 4096
_SHARES_FOR = 3.0
"""Seconds after somebody's last job for which the processes are still divided among them and others."""
_LIMITS = {"front": 120.0, "back": 600.0}
"""Seconds without a sign after which a process is ended."""


class Urgency(IntEnum):
    """What goes first: what sounds now, what somebody waits for, what will sound; then analysis, then files."""

    SOUNDS_NOW = 0
    LOOKED_AT = 1
    SOUNDS_SOON = 2
    ANALYSIS = 3
    FILES = 4

    @property
    def group(self) -> str:
        return "front" if self < Urgency.ANALYSIS else "back"


class PoolBusy(Exception):
    """One person asks for too much at a time."""


@dataclass(eq=False)
class Job:
    """Something to be done for a ``person``: ``work(*arguments)``, best by the process that has most of it ready.

    That is the one that ``near`` numbers, or in the front the one that did the last job of the same person.
    """

    work: Callable[..., Any]
    arguments: tuple[Any, ...]
    person: Hashable
    urgency: Urgency
    near: int | None = None
    part_of: "Job | None" = None
    future: Future[Any] = field(default_factory=Future)
    progress: float = 0.0
    number: int = field(default_factory=itertools.count().__next__)
    created: float = field(default_factory=monotonic)
    asked_at: float = field(default_factory=monotonic)
    abandoned: bool = False
    attempts: int = 0
    waiters: int = 0
    forgotten_after: float | None = None

    def is_wanted(self) -> bool:
        """Whether anybody still waits for it."""
        forgotten = self.forgotten_after is not None and monotonic() - self.asked_at > self.forgotten_after
        return not (self.abandoned or forgotten)


class ProcessGroup:
    """Processes of one kind, each fed by a thread of its own, and the jobs that wait for them."""

    def __init__(self, name: str, size: int, most_files: int) -> None:
        self.name, self.size, self._most_files, self._patience = name, size, most_files, _PATIENCE[name]
        self._has_homes = name == "front"
        self.changed = threading.Condition()
        self._waiting: list[Job] = []
        self._at_work: dict[Job, int] = {}
        self._time_used: dict[Hashable, float] = {}
        self._asked_at: dict[Hashable, float] = {}
        self._feeders: list[threading.Thread] = []
        self._processes: dict[int, PoolProcess] = {}
        self._homes: LRUCache[Hashable, int] = LRUCache(_MOST_HOMES)
        self._idle = 0
        self._closed = False
        self._numbers = itertools.count()

    def add(self, *jobs: Job) -> None:
        """Have jobs wait for their turn."""
        with self.changed:
            for job in jobs:
                self._check_admitted(job)
                if job.person not in self._time_used:
                    self._time_used[job.person] = self._least_time_used()
                self._asked_at[job.person] = monotonic()
                self._waiting.append(job)
            for _ in range(min(len(jobs) - self._idle, self.size - len(self._feeders))):
                self._start_feeder()
            self.changed.notify_all()

    def wake(self, count: int) -> None:
        """Start so many processes."""
        with self.changed:
            while len(self._feeders) < min(count, self.size):
                self._start_feeder()

    def close(self) -> None:
        """End all processes, whatever they are at."""
        with self.changed:
            self._closed = True
            for process in list(self._processes.values()):
                process.kill()
            for job in self._waiting:
                job.future.cancel()
            self._waiting.clear()
            self.changed.notify_all()

    def _check_admitted(self, job: Job) -> None:
        if self._closed:
            raise RuntimeError("The pool is closed.")
        # Files have a limit of their own, and what nobody asked for by a request is a server's own work.
        if job.part_of is None and job.urgency != Urgency.FILES and job.person is not None:
            own = sum(other.person == job.person and other.part_of is None for other in self._waiting)
            if own >= MOST_WAITING:
                raise PoolBusy

    def _least_time_used(self) -> float:
        active = {job.person for job in (*self._waiting, *self._at_work)}
        return min((self._time_used[person] for person in active), default=0.0)

    def _start_feeder(self) -> None:
        number = next(self._numbers)
        thread = threading.Thread(target=self._feed, args=(number,), name=f"pool-{self.name}-{number}", daemon=True)
        self._feeders.append(thread)
        thread.start()

    def _feed(self, number: int) -> None:
        # Started before it is wanted; where the system gives no process now, it may when there is a job.
        with suppress(OSError):
            self._usable_process(number)
        while (job := self._next(number)) is not None:
            began = monotonic()
            try:
                self._run(self._usable_process(number), job)
            except OSError as error:
                log.exception("a process of the pool could not be started")
                _settle(job.future, error=error)
            finally:
                # Whoever is told how it ended, in this thread, may have used the database.
                close_old_connections()
                with self.changed:
                    del self._at_work[job]
                    # What is counted is time: who asks for much gets their turn later.
                    self._time_used[job.person] = self._time_used.get(job.person, 0.0) + monotonic() - began
                    self._forget_idle_people()
                    self.changed.notify_all()
        if number in self._processes:
            self._processes[number].kill()

    def _usable_process(self, number: int) -> PoolProcess:
        """The process of a feeder, another one if it has died or holds too much memory."""
        process = self._processes.get(number)
        if process is None or not process.is_usable():
            if process is not None:
                process.kill()
            process = self._processes[number] = PoolProcess(self.name, background=self.name == "back")
        return process

    def _forget_idle_people(self) -> None:
        active = {job.person for job in (*self._waiting, *self._at_work)}
        for person in [person for person in self._time_used if person not in active]:
            if self._time_used[person] <= self._least_time_used():
                del self._time_used[person]

    def _next(self, number: int) -> Job | None:
        """The job whose turn it is, once there is one; None when the pool is closed."""
        with self.changed:
            while not self._closed:
                self._drop_unwanted()
                files = sum(job.urgency == Urgency.FILES and job.part_of is None for job in self._at_work)
                ready = [j for j in self._waiting if j.urgency != Urgency.FILES or files < self._most_files]
                full = self._people_with_their_share()
                ready = [job for job in ready if job.person not in full]
                takeable = [job for job in ready if self._may_take(job, number)]
                if takeable:
                    job = min(takeable, key=lambda job: self._turn(job, number))
                    self._waiting.remove(job)
                    self._at_work[job] = number
                    if self._has_homes and job.person is not None:
                        self._homes[job.person] = number
                    return job
                self._idle += 1
                self.changed.wait(self._patience if ready else 0.5 if self._waiting else None)
                self._idle -= 1
        return None

    def _people_with_their_share(self) -> set[Hashable]:
        """Who has as many processes at work as each may have of those who have asked lately.

        However much one asks for, a process is free for the next that another wants.
        """
        at_work = Counter(job.person for job in self._at_work)
        since = monotonic() - _SHARES_FOR
        waiting = {job.person for job in self._waiting}
        self._asked_at = {
            person: asked
            for person, asked in self._asked_at.items()
            if asked >= since or person in at_work or person in waiting
        }
        share = max(self.size // max(len(self._asked_at), 1), 1)
        return {person for person, count in at_work.items() if count >= share}

    def _may_take(self, job: Job, number: int) -> bool:
        """Whether a process may take a job: one that another has most of ready is left to that.

        Only when that one is busy, another may after a moment. Else who asks for much would be at home everywhere,
        and all others nowhere.
        """
        home = self._home(job)
        if home in (None, number):
            return True
        busy = home in self._at_work.values() or not self._has_homes
        return busy and monotonic() - job.created >= self._patience

    def _home(self, job: Job) -> int | None:
        """The number of the process that is best at a job, if one is."""
        if job.near is not None:
            return job.near % self.size
        return self._homes.get(job.person) if self._has_homes else None

    def _turn(self, job: Job, number: int) -> tuple[int, bool, float, int]:
        # A process does another's only when it has none of its own, or when that one does not come to it.
        foreign = self._home(job) not in (None, number) and monotonic() - job.created < _LEFT_FOR
        return job.urgency, foreign, self._time_used[job.person], job.number

    def _drop_unwanted(self) -> None:
        for job in [job for job in self._waiting if job.future.cancelled() or not job.is_wanted()]:
            self._waiting.remove(job)
            job.future.cancel()

    def _run(self, process: PoolProcess, job: Job) -> None:
        """Have a process do a job, and tell whoever waits for it."""
        job.attempts += 1
        try:
            result = process.run(job, _LIMITS[self.name], self._run_parts)
        except ProcessLost:
            if job.attempts < _ATTEMPTS and not self._closed and job.urgency != Urgency.FILES:
                with self.changed:
                    self._waiting.append(job)
                return
            if not self._closed:
                log.warning("a process of the pool was lost while it was at %s", job.work.__qualname__)
            _settle(job.future, error=ProcessLost())
        except BaseException as error:
            _settle(job.future, error=error)
        else:
            job.progress = 1.0
            _settle(job.future, result)

    def _run_parts(self, process: PoolProcess, whole: Job, parts: Sequence[tuple[Any, ...]]) -> None:
        """Do the parts of a job side by side; its own process, which waits for them, does some of them as well."""
        jobs = [
            Job(work, arguments, whole.person, Urgency.ANALYSIS, near, part_of=whole)
            for near, work, arguments in parts
        ]
        self.add(*jobs)
        reported: set[int] = set()
        try:
            while len(reported) < len(jobs):
                own_part = None
                with self.changed:
                    done = [index for index, job in enumerate(jobs) if job.future.done() and index not in reported]
                    if not done:
                        own_part = next((job for job in jobs if job in self._waiting), None)
                        if own_part is None:
                            self.changed.wait(0.1)
                        else:
                            self._waiting.remove(own_part)
                if own_part is not None:
                    process.run_part(own_part)
                if process.wants_no_more() or not whole.is_wanted():
                    break
                for index in done:
                    reported.add(index)
                    process.tell_part(index, jobs[index].future)
        finally:
            with self.changed:
                for job in jobs:
                    if job in self._waiting:
                        self._waiting.remove(job)
                        job.future.cancel()


def _settle(future: Future[Any], result: Any = None, error: BaseException | None = None) -> None:
    """Give whoever waits for it what a job gave, or what went wrong; nobody may wait any more."""
    with suppress(InvalidStateError):
        if error is None:
            future.set_result(result)
        else:
            future.set_exception(error)
