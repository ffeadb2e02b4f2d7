"""Tasks: what members have ordered and is made in the background, with progress, and stopped on request."""

import logging
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from uuid import UUID

from django.db import close_old_connections

from needle.errors import NeedleError
from server.audio.models import Export, Freeze, Report, Task
from server.audio.threads import lower_priority

log = logging.getLogger(__name__)
_workers = ThreadPoolExecutor(1, thread_name_prefix="task", initializer=lower_priority)
_SHOWN_STEP = 0.01


class Stopped(Exception):
    """Whoever ordered it does not want it any more."""


def begin(task: Task, make: Callable[[Task], None]) -> None:
    """Start a task in the background; ``make`` tells its progress by ``advance``."""
    _workers.submit(run, type(task), task.pk, make)


def run(kind: type[Task], pk: UUID, make: Callable[[Task], None]) -> None:
    """Make what was ordered, unless it was stopped meanwhile; a failure is told to whoever ordered it."""
    close_old_connections()
    try:
        task = kind.objects.select_related("session").get(pk=pk)
        if change(task, (Task.Status.WAITING,), status=Task.Status.RUNNING):
            make(task)
            change(task, (Task.Status.RUNNING,), status=Task.Status.DONE, progress=1.0)
    except Stopped:
        pass
    except Exception as error:
        log.exception("%s %s failed", kind.__name__, pk)
        told = str(error) if isinstance(error, NeedleError | OSError) else "Something went wrong here."
        failed = f"{told} Nothing else was changed."[:300]
        kind.objects.filter(pk=pk, status__in=Task.OPEN).update(status=Task.Status.FAILED, message=failed)
    finally:
        close_old_connections()


def advance(task: Task, done: float, **values: object) -> None:
    """Tell how far a task is (0…1). Stopped if it has been."""
    if done - task.progress < _SHOWN_STEP and done < 1.0 and not values:
        return
    task.progress = done
    if not change(task, (Task.Status.RUNNING,), progress=done, **values):
        raise Stopped


def change(task: Task, only_if: tuple[str, ...], **values: object) -> bool:
    """Change a task's row, only while it has a status; whether it was changed."""
    return type(task).objects.filter(pk=task.pk, status__in=only_if).update(**values) == 1


def cancel(task: Task) -> Task:
    """Stop a task; nothing of it is kept."""
    change(task, Task.OPEN, status=Task.Status.CANCELLED)
    task.refresh_from_db()
    return task


def fail_unfinished() -> int:
    """Mark what an earlier server left unfinished as failed, so that nobody waits for it; how many."""
    told = "The server stopped meanwhile. Start it again."
    return sum(
        kind.objects.filter(status__in=Task.OPEN).update(status=Task.Status.FAILED, message=told)
        for kind in (Export, Freeze, Report)
    )
