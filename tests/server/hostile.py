"""What a hostile file might have its reader do, each as a function that tells how far it came."""

import ctypes
import os
import socket
import subprocess
import time
from collections.abc import Generator
from pathlib import Path


def read_file(path: str) -> str:
    return attempted(lambda: Path(path).read_bytes())


def list_folder(path: str) -> str:
    return attempted(lambda: os.listdir(path))


def write_file(path: str) -> str:
    return attempted(lambda: Path(path).write_bytes(b"here"))


def link_to(target: str, path: str) -> str:
    return attempted(lambda: os.symlink(target, path))


def open_line(address: str, port: int) -> str:
    return attempted(lambda: socket.create_connection((address, port), timeout=5))


def open_local_line() -> str:
    return attempted(lambda: socket.socket(socket.AF_UNIX))


def run_program() -> str:
    return attempted(lambda: subprocess.run(["/bin/true"], check=True))


def have_a_child() -> str:
    return attempted(os.fork)


def end_process(process: int) -> str:
    return attempted(lambda: os.kill(process, 0))


def known_environment() -> list[str]:
    return sorted(os.environ)


def take_memory(size: int) -> int:
    return len(bytearray(size))


def fall_down() -> int:
    return int(ctypes.string_at(0)[0])


def never_end() -> None:
    while True:
        pass


def say_nothing() -> Generator[float, None, None]:
    yield 0.5
    time.sleep(600)


def answer(value: int) -> int:
    return value


def answer_an_object() -> object:
    return object()


def attempted(what) -> str:
    """Which error an attempt ends in, by its name; "done" where it succeeds."""
    try:
        what()
    except Exception as error:
        return type(error).__name__
    return "done"
