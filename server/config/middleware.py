"""The content security policy: everything comes from this server, and nothing else may run or be framed."""

from collections.abc import Callable

from asgiref.sync import iscoroutinefunction, markcoroutinefunction
from django.http import HttpRequest, HttpResponse

# Ant Design Vue writes its styles into the page as it runs, so inline styles must be allowed.
POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; "
    "connect-src 'self' ws: wss:; worker-src 'self'; object-src 'none'; base-uri 'self'; "
    "form-action 'self'; frame-ancestors 'none'"
)


class content_security_policy:  # noqa: N801 - Django names middleware as functions
    """Adds the policy to every answer, in either of Django's two worlds."""

    sync_capable = True
    async_capable = True

    def __init__(self, get_response: Callable) -> None:
        self.get_response = get_response
        if iscoroutinefunction(get_response):
            markcoroutinefunction(self)

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if iscoroutinefunction(self.get_response):
            return self._later(request)
        return self._with_policy(self.get_response(request))

    async def _later(self, request: HttpRequest) -> HttpResponse:
        return self._with_policy(await self.get_response(request))

    @staticmethod
    def _with_policy(response: HttpResponse) -> HttpResponse:
        response.headers.setdefault("Content-Security-Policy", POLICY)
        return response
