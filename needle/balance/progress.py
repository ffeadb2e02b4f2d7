"""Long work in steps: a generator yields the share that is done (0…1) and returns what it has worked out.

Who runs it shows the progress, and stops it by not going on.
"""

from collections.abc import Callable, Generator, Iterator
from typing import TypeVar

T = TypeVar("T")
Steps = Generator[float, None, T]


def finished(steps: Steps[T], progress: Callable[[float], None] = lambda _: None) -> T:
    """Run the work to its end, telling ``progress`` what is done; its result."""
    while True:
        try:
            progress(next(steps))
        except StopIteration as stop:
            return stop.value


def within(steps: Steps[T], start: float, end: float) -> Steps[T]:
    """The same work as the part from ``start`` to ``end`` of a larger one."""
    while True:
        try:
            yield start + (end - start) * next(steps)
        except StopIteration as stop:
            return stop.value


def stretches(first: int, last: int, length: int) -> Iterator[tuple[int, int, float]]:
    """``first`` to ``last`` cut in stretches of ``length``: (low, high, share done when ``high`` is reached)."""
    for low in range(first, last, length):
        high = min(low + length, last)
        yield low, high, (high - first) / (last - first)
