"""Delivery: a plan run from end to end, some seconds at a time, with its progress."""

import itertools
import os
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from needle.render.cache import RenderCache
from needle.render.engine import run
from needle.render.plan import Plan
from needle.render.segments import segment_frames

Audio = NDArray[np.float32]

_SEGMENTS_AT_ONCE = 32
_CACHE_BYTES = 128 << 20


def usable_cores() -> int:
    """How many processors this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def run_in_stretches(
    plan: Plan, start: int, stop: int, *, past: int = 0, threads: int = 1, cache: RenderCache | None = None
) -> Iterator[tuple[float, dict[str, Audio]]]:
    """Run a plan from frame ``start`` to ``stop``, some seconds at a time, in order.

    Parameters
    ----------
    past
        Frames before each stretch that come with it.
    threads
        How many stretches are rendered at a time. The samples are the same however many.
    cache
        For what else is rendered of the same; one of its own otherwise.

    Yields
    ------
    The share done so far (0…1), and what comes out, by name: float32, shape (channels, past + frames).

    Memory does not grow with the length; who asks may stop between any two.
    """
    cache = cache if cache is not None else RenderCache(_CACHE_BYTES)
    step = _SEGMENTS_AT_ONCE * segment_frames(plan.rate)
    spans = ((low, min(low + step, stop)) for low in range(start, stop, step))

    def rendered(low: int, high: int) -> dict[str, Audio]:
        return run(plan, low - past, high, cache=cache)

    if threads == 1:
        for low, high in spans:
            yield (high - start) / (stop - start), rendered(low, high)
        return
    with ThreadPoolExecutor(threads) as pool:
        waiting: deque[tuple[int, Future[dict[str, Audio]]]] = deque()
        try:
            for low, high in itertools.islice(spans, threads):
                waiting.append((high, pool.submit(rendered, low, high)))
            while waiting:
                end, future = waiting.popleft()
                outputs = future.result()
                for low, high in itertools.islice(spans, 1):
                    waiting.append((high, pool.submit(rendered, low, high)))
                yield (end - start) / (stop - start), outputs
        finally:
            for _, future in waiting:
                future.cancel()
