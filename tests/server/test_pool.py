"""The pool: who goes first, what becomes of work whose process dies or that nobody wants, and what it may hold."""

import asyncio
import os
import signal
from collections.abc import Callable
from concurrent.futures import Future
from pathlib import Path
from typing import Any
from unittest import mock

from django.test import SimpleTestCase

from needle.errors import NeedleError
from needle.messages import Message
from server.common import pool as pools
from server.common import pool_group
from server.common.errors import ApiError
from server.common.pool import Pool
from server.common.pool_group import MOST_WAITING, Job, PoolBusy, Urgency
from server.common.pool_process import Abandoned, ProcessLost
from tests.server import pool_work
from tests.server.sessions import new_folder

PATIENCE = 60.0


class Pools(SimpleTestCase):
    cores = 1

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.pool = Pool(cls.cores)
        cls.addClassCleanup(cls.pool.close)

    def setUp(self) -> None:
        self.folder: Path = new_folder("pool")

    def have(self, work: Callable[..., Any], *arguments: Any, person: Any = "olga", **how: Any) -> Future[Any]:
        how.setdefault("urgency", Urgency.LOOKED_AT)
        return self.pool.submit(Job(work, arguments, person, **how)).future

    def block(self, urgency: Urgency = Urgency.LOOKED_AT) -> tuple[Path, Future[Any]]:
        """Keep a process busy until a file is there."""
        gate = self.folder / f"gate {urgency.name}"
        blocked = self.have(pool_work.wait_for, gate, person="nobody", urgency=urgency)
        return gate, blocked


class Order(Pools):
    """One process does one thing after the other."""

    def order(self, *jobs: tuple[str, Any, Urgency]) -> list[str]:
        """In which order jobs that wait together are done: (word, person, urgency)."""
        gate, blocked = self.block(jobs[0][2])
        words = self.folder / "words"
        asked = [
            self.have(pool_work.note, words, word, person=person, urgency=urgency) for word, person, urgency in jobs
        ]
        gate.touch()
        for future in (blocked, *asked):
            future.result(PATIENCE)
        return words.read_text().split()

    def test_the_more_urgent_goes_first(self) -> None:
        soon, looked, now = Urgency.SOUNDS_SOON, Urgency.LOOKED_AT, Urgency.SOUNDS_NOW
        done = self.order(("soon", "a", soon), ("looked", "b", looked), ("now", "c", now))
        self.assertEqual(done, ["now", "looked", "soon"])

    def test_who_asks_for_much_keeps_nobody_waiting(self) -> None:
        much = [(f"much{number}", "much", Urgency.LOOKED_AT) for number in range(6)]
        done = self.order(*much, ("one", "modest", Urgency.LOOKED_AT), ("two", "modest", Urgency.LOOKED_AT))
        # Who has had nothing goes before who has had something, however little.
        self.assertEqual(done.index("one"), 1)

    def test_what_nobody_waits_for_any_more_is_left(self) -> None:
        gate, blocked = self.block()
        words = self.folder / "words"
        dropped = self.have(pool_work.note, words, "dropped")
        dropped.cancel()
        gate.touch()
        blocked.result(PATIENCE)
        self.have(pool_work.note, words, "kept").result(PATIENCE)
        self.assertEqual(words.read_text().split(), ["kept"])

    def test_one_person_cannot_ask_for_everything(self) -> None:
        gate, _ = self.block()
        for _ in range(MOST_WAITING):
            self.have(pool_work.process)
        with self.assertRaises(PoolBusy):
            self.have(pool_work.process)
        other = self.have(pool_work.process, person="emil")
        gate.touch()
        self.assertGreater(other.result(PATIENCE), 0)

    def test_files_never_keep_all_of_analysis_waiting(self) -> None:
        gate, file = self.block(Urgency.FILES)
        second = self.have(pool_work.wait_for, gate, urgency=Urgency.FILES)
        self.assertGreater(self.have(pool_work.process, urgency=Urgency.ANALYSIS).result(PATIENCE), 0)
        self.assertFalse(file.done() or second.done())
        gate.touch()
        second.result(PATIENCE)

    def test_who_listens_to_the_same_shares_it_and_who_has_gone_leaves_it(self) -> None:
        words = self.folder / "words"

        async def crowd() -> list[str]:
            gate, _ = self.block()
            job = (pool_work.note, (words, "same"))
            asked = [asyncio.create_task(self.pool.ask(Job(*job, name, Urgency.SOUNDS_NOW), "key")) for name in "abc"]
            alone = asyncio.create_task(
                self.pool.ask(Job(pool_work.note, (words, "alone"), "d", Urgency.SOUNDS_SOON), "other")
            )
            await asyncio.sleep(0)
            asked[0].cancel()
            alone.cancel()
            await asyncio.gather(asked[0], alone, return_exceptions=True)
            gate.touch()
            return await asyncio.gather(*asked[1:])

        self.assertEqual(asyncio.run(crowd()), ["same", "same"])
        self.have(pool_work.note, words, "last").result(PATIENCE)
        self.assertEqual(words.read_text().split(), ["same", "last"])


class Losses(Pools):
    def test_what_goes_wrong_is_told_as_it_was(self) -> None:
        with self.assertRaises(ApiError) as raised:
            self.have(pool_work.refuse).result(PATIENCE)
        error = raised.exception
        self.assertEqual((error.status, error.more), (409, {"hint": "elsewhere"}))
        self.assertEqual(error.message, Message("people.name_taken", username="emil"))

    def test_what_the_work_does_not_find_is_no_fault_of_the_process(self) -> None:
        process = self.have(pool_work.process).result(PATIENCE)
        with self.assertRaises(FileNotFoundError):
            self.have(pool_work.miss).result(PATIENCE)
        self.assertEqual(self.have(pool_work.process).result(PATIENCE), process)

    def test_a_process_that_is_killed_costs_no_answer_where_another_try_gives_it(self) -> None:
        first = self.have(pool_work.process).result(PATIENCE)
        os.kill(first, signal.SIGKILL)
        second = self.have(pool_work.process).result(PATIENCE)
        self.assertNotEqual(first, second)
        self.assertEqual(self.have(pool_work.die_once, self.folder / "died").result(PATIENCE), "alive")

    def test_what_kills_its_process_again_costs_that_one_answer(self) -> None:
        waiting = [self.have(pool_work.die), self.have(pool_work.process)]
        with self.assertLogs("server.common.pool_group"), self.assertRaises(ProcessLost):
            waiting[0].result(PATIENCE)
        self.assertGreater(waiting[1].result(PATIENCE), 0)

    def test_memory_is_bounded(self) -> None:
        self.pool = Pool(1)
        self.addCleanup(self.pool.close)
        with self.settings(WORKER_MEMORY=1 << 30):
            small = self.have(pool_work.process).result(PATIENCE)
            with self.assertRaisesRegex(NeedleError, "more memory"):
                self.have(pool_work.take_memory, 6 << 30).result(PATIENCE)
            self.assertEqual(self.have(pool_work.process).result(PATIENCE), small)


class Beside(Pools):
    cores = 2

    def test_who_goes_on_is_answered_by_the_process_that_answered_last(self) -> None:
        self.pool.wake()
        begun, gate = self.folder / "begun", self.folder / "gate"
        blocked = self.have(pool_work.hold, begun, gate, person="ines")
        pool_work.wait_for(begun)
        # While that one is busy the other one answers, and goes on doing so.
        first = {self.have(pool_work.process).result(PATIENCE)}
        gate.touch()
        blocked.result(PATIENCE)
        self.assertEqual({self.have(pool_work.process).result(PATIENCE) for _ in range(6)}, first)
        ines = {self.have(pool_work.process, person="ines").result(PATIENCE) for _ in range(6)}
        self.assertEqual((len(ines), ines & first), (1, set()))

    def test_one_who_asks_for_much_leaves_a_process_to_each_other_who_asks(self) -> None:
        self.enterContext(mock.patch.object(pool_group, "_SHARES_FOR", PATIENCE))
        self.pool.wake()
        self.have(pool_work.process, person="modest").result(PATIENCE)
        begun, gates = ([self.folder / f"{name} {number}" for number in range(3)] for name in ("begun", "gate"))
        much = [self.have(pool_work.hold, *pair, person="much") for pair in zip(begun, gates, strict=True)]
        pool_work.wait_for(begun[0])
        self.have(pool_work.process, person="modest").result(PATIENCE)
        self.assertFalse(begun[1].exists(), "one of two processes, while somebody else asks too")
        for gate, future in zip(gates, much, strict=True):
            gate.touch()
            future.result(PATIENCE)

    def test_one_who_is_alone_has_every_process(self) -> None:
        self.pool.wake()
        begun, gates = [self.folder / f"begun {n}" for n in (0, 1)], [self.folder / f"gate {n}" for n in (0, 1)]
        both = [self.have(pool_work.hold, *pair) for pair in zip(begun, gates, strict=True)]
        for path in begun:
            pool_work.wait_for(path)
        for gate, future in zip(gates, both, strict=True):
            gate.touch()
            future.result(PATIENCE)

    def test_what_is_near_goes_to_one_process_until_it_has_waited_long_enough(self) -> None:
        front = self.pool._groups["front"]
        self.pool.wake()
        with mock.patch.object(front, "_patience", PATIENCE):
            near = {self.have(pool_work.process, near=number).result(PATIENCE) for number in (0, 0, 2, 4)}
            other = {self.have(pool_work.process, near=number).result(PATIENCE) for number in (1, 3)}
            begun, gate = self.folder / "begun", self.folder / "gate"
            blocked = self.have(pool_work.hold, begun, gate, near=0)
            pool_work.wait_for(begun)
        self.assertEqual((len(near), len(other), near & other), (1, 1, set()))
        with mock.patch.object(front, "_patience", 0.0):
            self.assertEqual({self.have(pool_work.process, near=0).result(PATIENCE)}, other)
        gate.touch()
        blocked.result(PATIENCE)

    def long(self, work: Callable[..., Any], *arguments: Any) -> Job:
        return self.pool.submit(Job(work, arguments, "olga", Urgency.ANALYSIS))

    def test_parts_are_done_side_by_side_and_come_in_order(self) -> None:
        job = self.long(pool_work.sum_of_doubles, 40)
        total, who = job.future.result(PATIENCE)
        self.assertEqual(total, sum(2 * number for number in range(40)))
        self.assertGreaterEqual(len(who), 1)
        self.assertEqual(job.progress, 1.0)

    def test_as_many_wholes_as_processes_do_not_wait_for_each_other(self) -> None:
        jobs = [self.long(pool_work.sum_of_doubles, 12) for _ in range(8)]
        self.assertEqual({job.future.result(PATIENCE)[0] for job in jobs}, {132})

    def test_a_worker_s_own_work_is_divided_into_as_many_parts_as_it_has(self) -> None:
        count = MOST_WAITING + 20
        with mock.patch.object(pools, "_pool", self.pool), self.settings(WORKERS=2):
            parts = [(number, pool_work.twice, (number,)) for number in range(count)]
            doubled = [result for result, _ in pools.in_parallel(parts)]
        self.assertEqual(doubled, [2 * number for number in range(count)])

    def test_a_part_that_fails_fails_the_whole(self) -> None:
        with self.assertRaises(ApiError):
            self.long(pool_work.broken_part, 4).future.result(PATIENCE)
        with self.assertRaises(FileNotFoundError):
            self.long(pool_work.missing_part).future.result(PATIENCE)
        self.assertEqual(self.long(pool_work.sum_of_doubles, 3).future.result(PATIENCE)[0], 6)

    def test_work_that_nobody_asks_for_is_given_up_and_begun_anew_by_who_asks(self) -> None:
        for work in (pool_work.endless, pool_work.endless_parts):
            with self.subTest(work.__name__):
                ended = self.folder / work.__name__
                job = Job(work, (ended,), "olga", Urgency.ANALYSIS, forgotten_after=0.05)
                self.assertEqual(self.pool.poll("endless", job, 0.0)[1], None)
                pool_work.wait_for(ended)
                self.assertIsInstance(job.future.exception(PATIENCE), Abandoned)
                again = Job(pool_work.process, (), "olga", Urgency.ANALYSIS)
                self.assertEqual(self.pool.poll("endless", again, PATIENCE), (0.0, None))
                done, result = self.pool.poll("endless", again, PATIENCE)
                self.assertEqual(done, 1.0)
                self.assertGreater(result, 0)
                self.pool._polled.clear()

    def test_work_whose_process_dies_begins_anew(self) -> None:
        def die() -> Job:
            return Job(pool_work.die, (), "olga", Urgency.ANALYSIS)

        with self.assertLogs("server.common.pool_group"):
            self.assertEqual(self.pool.poll("dies", die(), PATIENCE), (0.0, None))
        whole = Job(pool_work.process, (), "olga", Urgency.ANALYSIS)
        self.assertEqual(self.pool.poll("dies", whole, PATIENCE)[0], 1.0)
