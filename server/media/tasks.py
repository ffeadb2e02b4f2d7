"""Tasks: what members have ordered and is made in the background, with progress, and stopped on request.

What needs nothing but the session is queued by Django's tasks API (``order``): on one machine in the database, for a
worker process that the server starts itself; elsewhere for as many workers as there are, in the database or in Redis.
What lives on what this server has measured already, or changes the session, is made in its pool (``begin``).
"""

import logging
from collections.abc import Callable
from concurrent.futures import Future
from datetime import timedelta
from typing import Any
from uuid import UUID

from django.conf import settings
from django.db import transaction
from django.db.models import F
from django.db.models.functions import Now
from django.utils import timezone
from django_tasks import task

from needle.errors import NeedleError
from needle.messages import Message
from server.common import pool
from server.common.pool_process import ProcessLost
from server.media import own_worker
from server.media.models import Task

log = logging.getLogger(__name__)
_SHOWN_STEP = 0.01
_SIGN_EVERY = timedelta(seconds=5)
LOST_AFTER = timedelta(seconds=60)
"""What gives no sign for so long is given up by others."""

_makers: dict[str, tuple[type[Task], Callable[[Any], None]]] = {}


def register_maker(model: type[Task], maker: Callable[[Any], None]) -> None:
    """Have workers make what is ordered of a kind; apps say so when they are ready."""
    _makers[model._meta.model_name or ""] = (model, maker)


class Stopped(Exception):
    """Whoever ordered it does not want it any more."""


def begin(ordered: Task, maker: Callable[[Any], None], then: Callable[[Any], None] = lambda _: None) -> None:
    """Have a task made in the pool; ``maker`` tells its progress by ``advance``, and ``then`` this server goes on."""
    kind, pk = type(ordered), ordered.pk

    def start() -> None:
        job = pool.start(ordered.author_id, make_part, kind, pk, maker)
        job.future.add_done_callback(lambda future: _go_on(kind, pk, future, then))

    transaction.on_commit(start)


def _go_on(kind: type[Task], pk: UUID, future: Future[bool], then: Callable[[Any], None]) -> None:
    """Bring to its end what the pool has made, or has been lost at."""
    if future.cancelled() or future.exception() is not None:
        _fail(kind, pk, ProcessLost())
    elif future.result():
        _end(kind, pk, then)


def order(ordered: Task) -> None:
    """Have a task made by a worker."""
    kind = ordered._meta.model_name
    transaction.on_commit(lambda: make.enqueue(kind, str(ordered.pk)))
    if settings.OWN_WORKER:
        transaction.on_commit(own_worker.ensure)


@task()
def make(kind: str, pk: str) -> None:
    """Make what was ordered: what a worker runs."""
    model, maker = _makers[kind]
    run(model, UUID(pk), maker)


def run(kind: type[Task], pk: UUID, maker: Callable[[Any], None]) -> None:
    """Make what was ordered, unless it was stopped meanwhile; a failure is told to whoever ordered it."""
    if make_part(kind, pk, maker):
        _end(kind, pk)


def make_part(kind: type[Task], pk: UUID, maker: Callable[[Any], None]) -> bool:
    """Do what ``maker`` does of a task, unless it was stopped meanwhile; whether it was done."""
    try:
        task = kind.objects.select_related("session").get(pk=pk)
        began = {"status": Task.Status.RUNNING, "signed_at": Now(), "attempts": F("attempts") + 1}
        if not change(task, (Task.Status.WAITING,), **began):
            return False
        maker(task)
        return True
    except Stopped:
        return False
    except Exception as error:
        _fail(kind, pk, error)
        return False


def _end(kind: type[Task], pk: UUID, then: Callable[[Any], None] = lambda _: None) -> None:
    """Do what is left of a task that was made, and tell that it is done."""
    try:
        task = kind.objects.select_related("session").get(pk=pk)
        then(task)
        change(task, (Task.Status.RUNNING,), status=Task.Status.DONE, progress=1.0)
    except Exception as error:
        _fail(kind, pk, error)


def _fail(kind: type[Task], pk: UUID, error: Exception) -> None:
    """Tell whoever ordered a task why it was not made."""
    log.error("%s %s failed", kind.__name__, pk, exc_info=error)
    if isinstance(error, NeedleError | ProcessLost):
        reason = error.message
    elif isinstance(error, OSError):
        reason = Message("plain.text", text=f"{error.strerror or error}.")
    else:
        reason = Message("task.failed")
    messages = [reason, Message("task.nothing_changed")]
    kind.objects.filter(pk=pk, status__in=Task.OPEN).update(status=Task.Status.FAILED, messages=messages)


def advance(task: Task, done: float, **values: object) -> None:
    """Tell how far a task is (0…1), and that it is still being made. Stopped if it has been."""
    now = timezone.now()
    if done - task.progress < _SHOWN_STEP and done < 1.0 and not values and now - task.signed_at < _SIGN_EVERY:
        return
    task.progress, task.signed_at = done, now
    if not change(task, (Task.Status.RUNNING,), progress=done, signed_at=Now(), **values):
        raise Stopped


def change(task: Task, only_if: tuple[str, ...], **values: object) -> bool:
    """Change a task's row, only while it has a status; whether it was changed."""
    return type(task).objects.filter(pk=task.pk, status__in=only_if).update(**values) == 1


def cancel(task: Task) -> Task:
    """Stop a task; nothing of it is kept."""
    change(task, Task.OPEN, status=Task.Status.CANCELLED)
    task.refresh_from_db()
    return task


MOST_ATTEMPTS = 2
"""How often something is begun that workers do not live to finish; then it is what ends them."""


def resume_unfinished(only_lost: bool = False) -> int:
    """Go on with what was left unfinished: what is queued is made anew, the rest fails with a sentence; how many.

    What waits in the queue goes on waiting. ``only_lost``: where others may be at work, only what has given no sign
    for a minute by the database's clock.
    """
    count = 0
    for model in Task.__subclasses__():
        left = model.objects.filter(status=Task.Status.RUNNING)
        if only_lost:
            left = left.filter(signed_at__lt=Now() - LOST_AFTER)
        queued = _is_queued(model)
        if not only_lost and not queued:
            left = model.objects.filter(status__in=Task.OPEN)
        for unfinished in left:
            retry = queued and unfinished.attempts < MOST_ATTEMPTS
            message = Message("task.ended_twice" if queued else "task.server_stopped")
            values = {"status": Task.Status.WAITING, "progress": 0.0} if retry else {
                "status": Task.Status.FAILED, "messages": [message],
            }  # fmt: skip
            if not change(unfinished, Task.OPEN, **values):
                continue
            count += 1
            if retry:
                order(unfinished)
    return count


def _is_queued(model: type[Task]) -> bool:
    return model._meta.model_name in _makers
