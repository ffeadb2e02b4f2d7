"""The way of sound through Django: several requests a second from everybody who listens, each done with little.

Routing, who may hear, parameters and refusals are the API's own. What is left out is what a segment has no use for: a
body, cookies to be set, static files, and with them most of the changes between threads that each request costs.
"""

import asyncio
import io
import re
from collections.abc import Callable
from contextlib import suppress
from time import perf_counter
from typing import Any

from csp.middleware import CSPMiddleware
from django.contrib.auth.middleware import AuthenticationMiddleware
from django.contrib.sessions.middleware import SessionMiddleware
from django.core.handlers.asgi import ASGIHandler, ASGIRequest
from django.core.handlers.exception import convert_exception_to_response
from django.http import HttpRequest, HttpResponse
from django.middleware.security import SecurityMiddleware

from server.project.headers import with_own_resources
from server.project.logs import request_log
from server.project.turns import Application, TooManyWaiting, Turns, in_turns, refuse

_SEGMENTS = re.compile(r"^/api/sessions/[0-9a-f-]{36}/segments/\d+$")


def _nothing(request: HttpRequest) -> HttpResponse:
    raise NotImplementedError


class SoundHandler(ASGIHandler):
    """Answers requests for segments, and drops them when the page that asked has gone; others go on to ``http``."""

    def __init__(self, http: Application, turns: Turns) -> None:
        super().__init__()
        self._http, self._turns = in_turns(http, turns), turns

    def load_middleware(self, is_async: bool = True) -> None:
        before = [kind(_nothing) for kind in (SecurityMiddleware, SessionMiddleware, AuthenticationMiddleware)]
        security, policy, log = before[0], CSPMiddleware(_nothing), request_log(_nothing)
        answer = convert_exception_to_response(self._get_response_async)

        async def chain(request: HttpRequest) -> HttpResponse:
            began = perf_counter()
            request.get_host()  # raises for one that is not ours
            elsewhere = [response for middleware in before if (response := middleware.process_request(request))]
            response = elsewhere[0] if elsewhere else await answer(request)
            response = policy.process_response(request, security.process_response(request, response))
            with_own_resources(response.headers)
            return log.after(request, response, began)

        self._view_middleware, self._template_response_middleware, self._exception_middleware = [], [], []
        self._middleware_chain = convert_exception_to_response(chain)

    async def __call__(self, scope: dict[str, Any], receive: Callable, send: Callable) -> None:
        if scope["method"] != "GET" or not _SEGMENTS.match(scope["path"]):
            await self._http(scope, receive, send)
            return
        spending = self._turns.of(scope)
        try:
            expected = await spending.begin()
        except TooManyWaiting:
            await refuse(send)
            return
        # Rendered elsewhere, it takes little here.
        spending.end(expected)
        answering = asyncio.create_task(self.get_response_async(ASGIRequest(scope, io.BytesIO())))
        leaving = asyncio.create_task(_gone(receive))
        await asyncio.wait((answering, leaving), return_when=asyncio.FIRST_COMPLETED)
        if not answering.done():
            answering.cancel()
        leaving.cancel()
        with suppress(asyncio.CancelledError):
            response = await answering
            await self.send_response(response, send)
            response.close()


async def _gone(receive: Callable) -> None:
    """Ends when whoever asked has gone."""
    while (await receive())["type"] != "http.disconnect":
        pass
