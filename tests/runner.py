"""The test runner: Django's, side by side in as many processes as there are cores, each with its own data folder.

Nothing is synced to disk, and data folders lie in memory where the system has room there: what tests are about is
what is written, and the few that are about its surviving a crash start servers of their own, which sync as always.
"""

import atexit
import multiprocessing
import os
import shutil
import tempfile
import time
import unittest
from argparse import ArgumentParser
from collections import defaultdict
from collections.abc import Callable, Iterator
from multiprocessing import util
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.cache import caches
from django.db import connections
from django.test import runner
from django.test.runner import DiscoverRunner, ParallelTestSuite, RemoteTestResult, RemoteTestRunner, iter_test_cases

from tests import THOROUGH

_MEMORY = Path("/dev/shm")
_ROOM = 4 << 30

_FIRST = ("tests.web", "tests.browser", "tests.server")
"""Packages whose classes take longest are begun first, so that the processes end together."""


def at_exit(tidy: Callable[[], None]) -> None:
    """Have something done when this process ends, whether it was forked for tests or runs them all."""
    if multiprocessing.parent_process():
        util.Finalize(None, tidy, exitpriority=10)
    else:
        atexit.register(tidy)


def new_folder(name: str) -> Path:
    """A folder that lasts as long as this process."""
    folder = Path(tempfile.mkdtemp(prefix=f"needle-{name}-"))
    at_exit(lambda: shutil.rmtree(folder, ignore_errors=True))
    return folder


def _begin(*given: Any) -> None:
    # A process of a pool may not have children unless it says so; servers render in processes of their own.
    multiprocessing.current_process()._config["daemon"] = False
    settings.DATA_DIR = new_folder("tests")
    os.fsync = lambda _: None
    ParallelTestSuite.init_worker(*given)
    _write_ahead()
    if settings.REDIS_URL:
        # What one process forgets between its tests another still counts on.
        address, _, _ = settings.REDIS_URL.rpartition("/")
        caches.settings["default"]["LOCATION"] = f"{address}/{runner._worker_id}"
        caches["default"] = caches.create_connection("default")


def _write_ahead() -> None:
    """Have SQLite log ahead as it does in use; not before its file has been copied for every process."""
    for connection in connections.all():
        if connection.vendor == "sqlite":
            with connection.cursor() as cursor:
                cursor.execute("PRAGMA journal_mode=WAL")


class _RemoteResult(RemoteTestResult):
    """Takes the time of every test where it runs."""

    def startTest(self, test: unittest.TestCase) -> None:
        super().startTest(test)
        self._began = time.monotonic()

    def stopTest(self, test: unittest.TestCase) -> None:
        self.events.append(("addTime", self.test_index, time.monotonic() - self._began))
        super().stopTest(test)


class _RemoteRunner(RemoteTestRunner):
    resultclass = _RemoteResult


def _run_subsuite(given: tuple[Any, ...]) -> tuple[int, list[Any]]:
    began = time.monotonic()
    index, events = ParallelTestSuite.run_subsuite(given)
    return index, [*events, ("addClassTime", 0, time.monotonic() - began)]


class _SideBySide(ParallelTestSuite):
    init_worker = _begin
    run_subsuite = _run_subsuite
    runner_class = _RemoteRunner


class _Result(unittest.TextTestResult):
    """Knows how long each test took, and each class with what it sets up."""

    def __init__(self, *given: Any, **how: Any) -> None:
        super().__init__(*given, **how)
        self.times: dict[str, float] = {}
        self.class_times: dict[str, float] = defaultdict(float)

    def startTest(self, test: unittest.TestCase) -> None:
        super().startTest(test)
        self._began = time.monotonic()

    def stopTest(self, test: unittest.TestCase) -> None:
        if test.id() not in self.times:
            self.addTime(test, time.monotonic() - self._began)
        super().stopTest(test)

    def addTime(self, test: unittest.TestCase, seconds: float) -> None:
        self.times[test.id()] = seconds

    def addClassTime(self, test: unittest.TestCase, seconds: float) -> None:
        self.class_times[f"{type(test).__module__}.{type(test).__qualname__}"] += seconds


class Runner(DiscoverRunner):
    """Django's runner with what the tests of this project need."""

    parallel_test_suite = _SideBySide

    def __init__(self, slowest: int = 0, **how: Any) -> None:
        super().__init__(**how)
        if not THOROUGH:
            self.exclude_tags = {*self.exclude_tags, "full"}
        self._slowest = slowest

    @classmethod
    def add_arguments(cls, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("--slowest", type=int, default=0, help="name so many of the slowest tests and classes")

    def setup_test_environment(self, **how: Any) -> None:
        if _MEMORY.is_dir() and os.access(_MEMORY, os.W_OK) and shutil.disk_usage(_MEMORY).free > _ROOM:
            tempfile.tempdir = str(_MEMORY)
        folder = new_folder("databases")
        for database in settings.DATABASES.values():
            if database["ENGINE"].endswith("sqlite3"):
                database["TEST"]["NAME"] = folder / "test.sqlite3"
        settings.DATA_DIR = new_folder("tests")
        # Whoever needs the demo first makes it there, and all others have it too.
        os.environ.setdefault("NEEDLE_TEST_DEMO", str(folder / "demo"))
        super().setup_test_environment(**how)

    def setup_databases(self, **how: Any) -> Any:
        made = super().setup_databases(**how)
        if self.parallel <= 1 and made:
            _write_ahead()
        return made

    def build_suite(self, *given: Any, **how: Any) -> unittest.TestSuite:
        suite = super().build_suite(*given, **how)
        if isinstance(suite, _SideBySide) and self._shuffler is None:
            suite.subsuites.sort(key=_order)
        return suite

    def get_resultclass(self) -> type[unittest.TextTestResult]:
        return super().get_resultclass() or _Result

    def run_suite(self, suite: unittest.TestSuite, **how: Any) -> unittest.TestResult:
        if THOROUGH:
            self.log("Every test in its full form.")
        return super().run_suite(suite, **how)

    def suite_result(self, suite: unittest.TestSuite, result: unittest.TestResult, **how: Any) -> int:
        wrong = super().suite_result(suite, result, **how)
        skipped = len(result.skipped)
        for test, why in result.skipped:
            self.log(f"skipped: {test}: {why}")
        if isinstance(result, _Result):
            for line in _told(result, self._slowest):
                self.log(line)
        for test, trace in (*result.errors, *result.failures):
            self.log(f"failed: {test}: {trace.strip().splitlines()[-1]}")
        self.log(f"{result.testsRun - wrong - skipped} passed, {wrong} failed, {skipped} skipped")
        return wrong


def _order(subsuite: unittest.TestSuite) -> int:
    name = type(next(iter_test_cases(subsuite))).__module__
    return next((rank for rank, package in enumerate(_FIRST) if name.startswith(package)), len(_FIRST))


def _told(result: _Result, slowest: int) -> Iterator[str]:
    parts: dict[str, list[float]] = defaultdict(list)
    for name, seconds in (result.class_times or result.times).items():
        parts[".".join(name.split(".")[:2])].append(seconds)
    for part, times in sorted(parts.items()):
        yield f"{part}: {sum(times):.0f} s of one process"
    for what, times in (("class", result.class_times), ("test", result.times)):
        for name, seconds in sorted(times.items(), key=lambda item: -item[1])[:slowest]:
            yield f"{seconds:7.1f} s  {what} {name}"
