"""The base of middleware in either of Django's two worlds."""

from collections.abc import Callable
from time import perf_counter

from asgiref.sync import iscoroutinefunction, markcoroutinefunction
from django.http import HttpRequest, HttpResponse


class Around:
    """Base of middleware in either of Django's two worlds: what it does after an answer, with when that began (s)."""

    sync_capable = True
    async_capable = True

    def __init__(self, get_response: Callable) -> None:
        self.get_response = get_response
        if iscoroutinefunction(get_response):
            markcoroutinefunction(self)

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if iscoroutinefunction(self.get_response):
            return self._later(request)
        began = perf_counter()
        return self.after(request, self.get_response(request), began)

    async def _later(self, request: HttpRequest) -> HttpResponse:
        began = perf_counter()
        return self.after(request, await self.get_response(request), began)

    def after(self, request: HttpRequest, response: HttpResponse, began: float) -> HttpResponse:
        """The answer, as it goes on."""
        raise NotImplementedError
