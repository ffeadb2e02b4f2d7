"""What one person's requests may take of the web process: turns."""

import asyncio
import json
from typing import Any
from unittest import mock

from asgiref.sync import async_to_sync
from django.test import SimpleTestCase, override_settings
from hypothesis import given
from hypothesis import strategies as st

from server.project import turns
from server.project.turns import AT_ONCE, MOST_WAITING, SHARE, Spending, TooManyWaiting, Turns, in_turns


class Clock:
    """Time that passes only where somebody waits for their turn."""

    def __init__(self) -> None:
        self.now = 100.0

    def __call__(self) -> float:
        return self.now

    async def sleep(self, seconds: float) -> None:
        self.now += seconds


@override_settings(RATE_FACTOR=1)
class Shares(SimpleTestCase):
    def setUp(self) -> None:
        self.clock = Clock()
        self.enterContext(mock.patch.object(turns.asyncio, "sleep", self.clock.sleep))

    @given(st.lists(st.floats(0.0, 0.5), min_size=1, max_size=60))
    def test_nobody_takes_more_than_their_share_for_long(self, costs: list[float]) -> None:
        async def go() -> float:
            spending, taken, began = Spending(self.clock), 0.0, self.clock.now
            for cost in costs:
                expected = await spending.begin()
                at_most = AT_ONCE + SHARE * (self.clock.now - began)
                self.assertLessEqual(taken, at_most + 0.001)
                spending.end(expected, cost)
                taken += cost
            return self.clock.now - began

        waited = async_to_sync(go)()
        if sum(costs) + len(costs) < AT_ONCE:
            self.assertEqual(waited, 0.0, "who takes little never waits")

    def test_who_has_waited_long_enough_goes_on_at_once(self) -> None:
        spending = Spending(self.clock)
        spending.add(AT_ONCE + 1.0)
        self.assertAlmostEqual(spending.wait(), 1.0 / SHARE)
        self.clock.now += 1.0 / SHARE
        self.assertEqual(spending.wait(), 0.0)

    def test_only_so_many_wait(self) -> None:
        async def go() -> None:
            spending, gate = Spending(self.clock), asyncio.Event()
            spending.add(100.0)

            async def sleep(seconds: float) -> None:
                await gate.wait()

            with mock.patch.object(turns.asyncio, "sleep", sleep):
                waiting = [asyncio.create_task(spending.begin()) for _ in range(MOST_WAITING)]
                for _ in range(3):
                    await asyncio.get_running_loop().run_in_executor(None, lambda: None)
                with self.assertRaises(TooManyWaiting):
                    await spending.begin()
                self.clock.now += 1000.0
                gate.set()
                await asyncio.gather(*waiting)

        async_to_sync(go)()


@override_settings(RATE_FACTOR=1)
class WhoseTurn(SimpleTestCase):
    """Requests through the turns, answered by an application that says who signed in."""

    def setUp(self) -> None:
        self.turns, self.user = Turns(), None
        self.took = 0.0
        self.enterContext(mock.patch.object(turns, "thread_time", side_effect=lambda: self.took))

    def ask(self, sign_in: str = "", address: str = "192.0.2.1") -> list[dict[str, Any]]:
        async def application(scope: dict[str, Any], receive: Any, send: Any) -> None:
            if self.user is not None:
                scope["user_id"] = self.user
            await send({"type": "http.response.start", "status": 204})

        async def send(message: dict[str, Any]) -> None:
            said.append(message)

        said: list[dict[str, Any]] = []
        cookie = [(b"cookie", f"sessionid={sign_in}".encode())] if sign_in else []
        scope = {"type": "http", "headers": cookie, "client": (address, 1)}
        async_to_sync(in_turns(application, self.turns))(scope, None, send)
        return said

    def waits(self, sign_in: str = "", address: str = "192.0.2.1") -> bool:
        cookie = [(b"cookie", f"sessionid={sign_in}".encode())] if sign_in else []
        return self.turns.of({"headers": cookie, "client": (address, 1)}).wait() > 0

    def test_a_person_is_one_whatever_they_sign_in_by(self) -> None:
        self.user = 7
        self.ask("one")
        self.ask("two")
        self.took = AT_ONCE + 1.0
        self.ask("one")
        self.assertTrue(self.waits("two"))
        self.user, self.took = 8, 0.0
        self.ask("theirs")
        self.assertFalse(self.waits("theirs"), "nobody else waits for it")

    def test_sign_ins_that_are_none_are_counted_by_address(self) -> None:
        self.took = AT_ONCE + 1.0
        self.ask("made up")
        self.assertTrue(self.waits("made up again"))
        self.assertTrue(self.waits())
        self.assertFalse(self.waits(address="192.0.2.2"))

    def test_who_asks_for_too_much_at_once_is_told_when_to_come_back(self) -> None:
        with mock.patch.object(turns, "MOST_WAITING", 0):
            start, body = self.ask()
        self.assertEqual((start["status"], dict(start["headers"])[b"retry-after"]), (429, b"2"))
        self.assertEqual(json.loads(body["body"])["code"], "request.too_many_at_once")
