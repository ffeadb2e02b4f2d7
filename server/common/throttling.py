"""How often one may do a thing: each counted by itself, by person where one is signed in, else by address."""

import hashlib
import math
import time
from contextlib import suppress
from ipaddress import ip_address, ip_network

from django.conf import settings
from django.core.cache import cache
from django.http import HttpRequest
from ninja.throttling import BaseThrottle

from server.common.errors import ApiError

_SECONDS = {"s": 1, "m": 60, "h": 3600}

timer = time.time


class _RateThrottle(BaseThrottle):
    """So many times in each second, minute or hour, for example ``"30/m"``.

    What is counted is one number for each who asks: thousands cost no more than a few.
    """

    def __init__(self, what: str, rate: str) -> None:
        most, _, unit = rate.partition("/")
        self._what, self._most, self._seconds = what, int(most), _SECONDS[unit]

    def who(self, request: HttpRequest) -> str:
        """Who is counted; empty where nobody is."""
        raise NotImplementedError

    def allow_request(self, request: HttpRequest) -> bool:
        who = self.who(request)
        if not who:
            return True
        key = f"rate-{self._what}-{who}-{int(timer() // self._seconds)}"
        cache.add(key, 0, self._seconds + 1)
        try:
            count = cache.incr(key)
        except ValueError:  # forgotten between the two
            return True
        return count <= self._most * settings.RATE_FACTOR

    def wait(self) -> float:
        return self._seconds - timer() % self._seconds


class UserRateThrottle(_RateThrottle):
    """So many times by one person."""

    def who(self, request: HttpRequest) -> str:
        return str(request.user.pk) if request.user.is_authenticated else ""


class AddressRateThrottle(_RateThrottle):
    """So many times from one address, by those who are not signed in."""

    def who(self, request: HttpRequest) -> str:
        if request.user.is_authenticated:
            return ""
        return f"from-{client_address(request.META.get('REMOTE_ADDR'), request.META.get('HTTP_X_FORWARDED_FOR'))}"


def client_address(sender: str | None, forwarded: str | None) -> str:
    """The address that a request comes from, of who has sent it and for whom they say they ``forwarded`` it.

    What ``X-Forwarded-For`` says counts only as far as trusted proxies have written it: from its end backwards, to
    the first address that is none of theirs. Anybody may send the header; only a proxy's entry is known to be true.
    """
    address = sender or ""
    hops = [hop.strip() for hop in (forwarded or "").split(",") if hop.strip()]
    while hops and _is_trusted(address):
        address = hops.pop()
    return address


def _is_trusted(address: str) -> bool:
    try:
        known = ip_address(address)
    except ValueError:
        return False
    return any(known in ip_network(network, strict=False) for network in settings.TRUSTED_PROXIES)


class Failures:
    """Slows down who fails again and again at a name, such as an account's, whatever addresses they come from.

    The first tries are free; each after them makes the next wait, twice as long every time. A success begins anew.
    """

    def __init__(self, what: str, free: int, longest: int) -> None:
        """``longest``: what one waits at most (s). After twice as long without a try all are forgotten."""
        self._what, self._free, self._longest = what, free, longest

    def _keys(self, name: str) -> tuple[str, str]:
        digest = hashlib.sha256(name.casefold().encode()).hexdigest()
        return f"tries-{self._what}-{digest}", f"wait-{self._what}-{digest}"

    def count(self, name: str) -> None:
        """Count a try, before it is known how it ends. ApiError (429) if it comes too early: then it was none."""
        tries, waiting = self._keys(name)
        wait = self._wait_after(cache.get(tries, 0))
        # Of those that come at once only one finds nothing there.
        if wait and not cache.add(waiting, timer() + wait, wait):
            left = max(1, math.ceil(cache.get(waiting, 0) - timer()))
            raise ApiError("account.too_many_attempts", 429, retry_after=left, seconds=left)
        cache.add(tries, 0, 2 * self._longest)
        with suppress(ValueError):  # forgotten between the two
            cache.incr(tries)
        cache.touch(tries, 2 * self._longest)

    def _wait_after(self, tries: int) -> int:
        return min(2 ** (tries - self._free), self._longest) if tries >= self._free else 0

    def forget(self, name: str) -> None:
        """Begin anew after a success."""
        cache.delete_many(self._keys(name))
