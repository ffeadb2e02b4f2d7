"""What tests have a pool do: functions of a module, as every process has to find them."""

import os
import signal
import time
from collections.abc import Generator
from pathlib import Path
from typing import Any

from server.common.errors import ApiError
from server.common.pool import in_parallel


def process() -> int:
    return os.getpid()


def wait_for(path: Path, result: Any = None) -> Any:
    """Wait until a file is there, then give a result."""
    until = time.monotonic() + 60
    while not path.exists():
        assert time.monotonic() < until, "nobody let it go on"
        time.sleep(0.005)
    return result


def hold(begun: Path, gate: Path) -> None:
    """Say that it has begun, then wait until a file is there."""
    begun.touch()
    wait_for(gate)


def note(path: Path, word: str) -> str:
    """Write a word down at the end of a file."""
    with path.open("a") as file:
        file.write(f"{word}\n")
    return word


def refuse() -> None:
    raise ApiError("people.name_taken", 409, more={"hint": "elsewhere"}, username="emil")


def miss() -> None:
    raise FileNotFoundError(2, "No such file or directory", "stem.wav")


def die() -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def die_once(path: Path) -> str:
    """Die when it is done for the first time."""
    if not path.exists():
        path.touch()
        die()
    return "alive"


def take_memory(size: int) -> int:
    """Have so many bytes, and write on them."""
    return sum(bytearray(size)[:: 1 << 20])


def twice(number: int) -> tuple[int, int]:
    return 2 * number, os.getpid()


def sum_of_doubles(count: int) -> Generator[float, None, tuple[int, set[int]]]:
    """Have numbers doubled side by side; their sum, and who did it."""
    parts = [(number, twice, (number,)) for number in range(count)]
    total, who = 0, set()
    for number, (doubled, process) in enumerate(in_parallel(parts), start=1):
        total += doubled
        who.add(process)
        yield number / count
    return total, who


def broken_part(count: int) -> Generator[float, None, None]:
    """Have something done side by side that is refused."""
    for _ in in_parallel([(number, refuse, ()) for number in range(count)]):
        yield 0.5


def missing_part() -> Generator[float, None, None]:
    """Have something done side by side that finds no file."""
    for _ in in_parallel([(number, miss, ()) for number in range(3)]):
        yield 0.5


def endless(path: Path) -> Generator[float, None, None]:
    """Go on until nobody wants it; say so."""
    try:
        while True:
            time.sleep(0.01)
            yield 0.5
    finally:
        path.touch()


def endless_parts(path: Path) -> Generator[float, None, None]:
    """Have things done side by side without an end, until nobody wants it; say so."""
    try:
        while True:
            yield from (0.5 for _ in in_parallel([(0, time.sleep, (0.01,))] * 4))
    finally:
        path.touch()
