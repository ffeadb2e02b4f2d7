"""How often one may do a thing: each counted by itself, by person where one is signed in, else by address."""

import hashlib
import time
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
        return "" if request.user.is_authenticated else f"from-{client_address(request)}"


def client_address(request: HttpRequest) -> str:
    """The address that a request comes from.

    What ``X-Forwarded-For`` says counts only as far as trusted proxies have written it: from its end backwards, to
    the first address that is none of theirs. Anybody may send the header; only a proxy's entry is known to be true.
    """
    address = request.META.get("REMOTE_ADDR") or ""
    hops = [hop.strip() for hop in request.META.get("HTTP_X_FORWARDED_FOR", "").split(",") if hop.strip()]
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
    """Counts failures by a name, such as an account's, whatever address they come from."""

    def __init__(self, what: str, most: int, seconds: int) -> None:
        self._what, self._most, self._seconds = what, most, seconds

    def _key(self, name: str) -> str:
        return f"failures-{self._what}-{hashlib.sha256(name.casefold().encode()).hexdigest()}"

    def check(self, name: str) -> None:
        """ApiError (429) if there have been too many."""
        if cache.get(self._key(name), 0) >= self._most:
            minutes = max(1, round(self._seconds / 60))
            raise ApiError("account.too_many_attempts", 429, minutes=minutes)

    def add(self, name: str) -> None:
        """Count one more; they are forgotten together, some time after the first."""
        cache.add(self._key(name), 0, self._seconds)
        try:
            cache.incr(self._key(name))
        except ValueError:  # forgotten between the two
            cache.add(self._key(name), 1, self._seconds)

    def forget(self, name: str) -> None:
        """Begin anew after a success."""
        cache.delete(self._key(name))
