"""Turns: what one person's requests may take of the web process, so that nobody keeps all others waiting.

All requests share one interpreter. What each takes of a processor's time is counted for whoever asks; who has had
more than their share waits, in the order of asking, and costs nothing while they do. Whoever comes without a sign-in
that is known is counted by the address that they come from.
"""

import asyncio
import json
from collections.abc import Awaitable, Callable, Hashable
from time import monotonic, thread_time
from typing import Any

from asgiref.sync import ThreadSensitiveContext, sync_to_async
from cachetools import LRUCache
from django.conf import settings
from django.http.cookie import parse_cookie

from needle.messages import Message
from server.common.messages import refusal
from server.common.throttling import client_address

SHARE = 0.15
"""So many seconds of a processor one person's requests may take in each second, again and again."""
AT_ONCE = 3.0
"""So many may be taken at one go, by whoever has taken none for a while, such as by a page that opens."""
MOST_WAITING = 64
"""Requests of one person that may wait; whoever asks for more is refused."""

_AROUND = 0.003
"""What a request takes beside its own thread (s): it is read, passed on and answered by the loop that all share."""
_REMEMBERED = 4096
_AT_LEAST = 0.001
"""Nobody waits for less (s)."""

Application = Callable[[dict[str, Any], Callable, Callable], Awaitable[None]]


class TooManyWaiting(Exception):
    """Somebody's requests come faster than their turns."""


class Spending:
    """What one person's requests have taken, and those that wait because of it."""

    def __init__(self, clock: Callable[[], float] = monotonic) -> None:
        self._clock, self._spent, self._counted_at = clock, 0.0, clock()
        self._usual = _AROUND
        self._waiting = 0
        self._line = asyncio.Lock()

    def wait(self) -> float:
        """How long (s) it is until the next may begin."""
        now = self._clock()
        share = SHARE * settings.RATE_FACTOR
        self._spent = max(self._spent - share * (now - self._counted_at), 0.0)
        self._counted_at = now
        wait = (self._spent - AT_ONCE) / share
        return wait if wait > _AT_LEAST else 0.0

    def add(self, seconds: float) -> None:
        """Count so much (s of a processor)."""
        self._spent += seconds

    async def begin(self) -> float:
        """Wait for the next turn; what is counted for it until it is known. TooManyWaiting if too many do."""
        if self._waiting >= MOST_WAITING:
            raise TooManyWaiting
        self._waiting += 1
        try:
            async with self._line:
                while (wait := self.wait()) > 0:
                    await asyncio.sleep(wait)
                # As much as theirs usually take: else many would begin before one of them has ended.
                self.add(self._usual)
                return self._usual
        finally:
            self._waiting -= 1

    def end(self, expected: float, in_thread: float = 0.0) -> None:
        """Count what a turn has taken instead of what was ``expected``: so much (s) in a thread of its own."""
        seconds = _AROUND + in_thread
        self.add(seconds - expected)
        self._usual += 0.2 * (seconds - self._usual)


class Turns:
    """Everybody's turns."""

    def __init__(self) -> None:
        self._spending: LRUCache[Hashable, Spending] = LRUCache(_REMEMBERED)
        self._people: LRUCache[str, int] = LRUCache(_REMEMBERED)

    def of(self, scope: dict[str, Any]) -> Spending:
        """Whoever asks, as what they have taken."""
        person = self._people.get(_sign_in(scope))
        return self._spending.setdefault(("address", _address(scope)) if person is None else person, Spending())

    def learn(self, scope: dict[str, Any]) -> None:
        """Note whose sign-in it is, once a request has been answered that asked for it."""
        person = scope.get("user_id")
        if person is not None:
            self._people[_sign_in(scope)] = person


def in_turns(application: Application, turns: Turns) -> Application:
    """Django's application with each request in its turn, in a thread of its own whose time is counted."""

    async def with_turn(scope: dict[str, Any], receive: Callable, send: Callable) -> None:
        spending = turns.of(scope)
        try:
            expected = await spending.begin()
        except TooManyWaiting:
            await refuse(send)
            return
        async with ThreadSensitiveContext():
            try:
                await application(scope, receive, send)
            finally:
                spending.end(expected, await sync_to_async(thread_time)())
                turns.learn(scope)

    return with_turn


async def refuse(send: Callable) -> None:
    """Answer that too much is asked for at once."""
    body = json.dumps(refusal(Message("request.too_many_at_once"))).encode()
    headers = [(b"content-type", b"application/json"), (b"retry-after", b"2")]
    await send({"type": "http.response.start", "status": 429, "headers": headers})
    await send({"type": "http.response.body", "body": body})


def _header(scope: dict[str, Any], name: bytes) -> str:
    return next((value.decode("latin-1") for key, value in scope["headers"] if key == name), "")


def _sign_in(scope: dict[str, Any]) -> str:
    return parse_cookie(_header(scope, b"cookie")).get(settings.SESSION_COOKIE_NAME, "")


def _address(scope: dict[str, Any]) -> str:
    return client_address((scope.get("client") or ("",))[0], _header(scope, b"x-forwarded-for"))
