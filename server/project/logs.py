"""Logs: one JSON object a line, for machines to read. No bodies, queries or cookies: nothing secret is in them."""

import logging
from collections.abc import Callable
from time import perf_counter
from typing import Any

from asgiref.sync import iscoroutinefunction, markcoroutinefunction
from django.http import HttpRequest, HttpResponse
from pythonjsonlogger.core import RESERVED_ATTRS

requests = logging.getLogger("needle.requests")


def logging_settings(form: str, requests: bool, quiet: bool) -> dict[str, Any]:
    """Django's LOGGING: ``form`` is json or plain; ``requests``: each of them is told; ``quiet``: only errors are."""
    formatters = {
        "plain": {"format": "{asctime} {levelname} {name}: {message}", "style": "{"},
        "json": {
            "()": "pythonjsonlogger.json.JsonFormatter",
            "fmt": ["levelname", "name", "message"],
            "rename_fields": {
                "levelname": "level",
                "name": "logger",
                "timestamp": "time",
                "exc_info": "exception",
            },
            "timestamp": True,
            "json_ensure_ascii": False,
            # A request would be told with its query, which may be secret.
            "reserved_attrs": [*RESERVED_ATTRS, "request"],
        },
    }
    return {
        "version": 1,
        "disable_existing_loggers": False,
        "formatters": formatters,
        "handlers": {"console": {"class": "logging.StreamHandler", "formatter": form}},
        "root": {"handlers": ["console"], "level": "WARNING"},
        "loggers": {
            "django": {"level": "ERROR" if quiet else "WARNING"},
            "django_tasks": {"level": "ERROR"},
            "needle.requests": {"level": "INFO" if requests else "WARNING"},
        },
    }


class request_log:  # noqa: N801 - Django names middleware as functions
    """Tells every request: method, path without its query, status, how long it took, whose it was."""

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
        """The answer, once it has been told."""
        user = getattr(request, "user", None)
        # Who was not looked up while the request was answered is not looked up for the log.
        known = user is not None and getattr(user, "_wrapped", user).__class__.__name__ == "User"
        if known and hasattr(request, "scope"):
            request.scope["user_id"] = user.pk
        if requests.isEnabledFor(logging.INFO):
            entry = {
                "method": request.method,
                "path": request.path,
                "status": response.status_code,
                "ms": round(1000 * (perf_counter() - began), 1),
                "user": user.pk if known else None,
            }
            requests.info("%(method)s %(path)s %(status)s", entry, extra=entry)
        return response
