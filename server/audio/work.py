"""Long work that lives as long as somebody asks for it: asked again, it tells how far it is, and at last the result.

Nobody has to stop it: who is not interested any more does not ask, and it ends.
"""

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from time import monotonic
from typing import Any

from cachetools import LRUCache

from needle.balance.progress import Steps
from server.audio.threads import lower_priority

FORGOTTEN_AFTER = 2.5
"""Seconds without a question after which work is given up."""

_KEPT = 64
_workers = ThreadPoolExecutor(2, thread_name_prefix="work", initializer=lower_priority)
_lock = threading.Lock()
_known: LRUCache[Any, "_Work"] = LRUCache(_KEPT)


class _Work:
    def __init__(self) -> None:
        self.done = 0.0
        self.result: Any = None
        self.error: Exception | None = None
        self.ended = threading.Event()
        self.asked = monotonic()

    def run(self, steps: Steps[Any]) -> None:
        try:
            while True:
                if monotonic() - self.asked > FORGOTTEN_AFTER:
                    steps.close()
                    raise GivenUp
                self.done = max(self.done, min(next(steps), 0.999))
        except StopIteration as stop:
            self.result, self.done = stop.value, 1.0
        except Exception as error:
            self.error = error
        finally:
            self.ended.set()


class GivenUp(Exception):
    """Nobody asked for the work any more."""


def asked(key: Any, steps: Callable[[], Steps[Any]], patience: float = 0.25) -> tuple[float, Any]:
    """How far the work is (0…1), and its result once that is 1. Waits ``patience`` seconds for it at the most.

    ``key`` names it; ``steps()`` begins it where nobody has. What went wrong in it is raised here, once.
    """
    with _lock:
        work = _known.get(key)
        fresh = work is None
        if fresh:
            work = _known[key] = _Work()
        work.asked = monotonic()
    if fresh:
        _workers.submit(work.run, steps())
    work.ended.wait(patience)
    if work.error is not None:
        with _lock:
            if _known.get(key) is work:
                del _known[key]
        # Who asks again begins it anew; a worker that died in it has been replaced by then.
        if isinstance(work.error, GivenUp | BrokenProcessPool):
            return 0.0, None
        raise work.error
    return work.done, work.result
