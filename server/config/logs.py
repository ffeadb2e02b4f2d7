"""Logs: one JSON object a line, for machines to read. No bodies, queries or cookies: nothing secret is in them."""

import json
import logging
from time import perf_counter
from typing import Any

from django.http import HttpRequest, HttpResponse

from server.config.middleware import Around

requests = logging.getLogger("needle.requests")
_OWN = ("method", "path", "status", "ms", "user")


class JsonLines(logging.Formatter):
    """A record as one line of JSON: time (UTC), level, logger, message, and what a request was."""

    default_time_format = "%Y-%m-%dT%H:%M:%S"
    default_msec_format = "%s.%03dZ"

    def format(self, record: logging.LogRecord) -> str:
        told: dict[str, Any] = {
            "time": self.formatTime(record),
            "level": record.levelname,
            "logger": record.name,
            "message": record.getMessage(),
        }
        told |= {name: getattr(record, name) for name in _OWN if hasattr(record, name)}
        if record.exc_info:
            told["exception"] = self.formatException(record.exc_info)
        return json.dumps(told, ensure_ascii=False, default=str)


def logging_settings(form: str, requests: bool, quiet: bool) -> dict[str, Any]:
    """Django's LOGGING: ``form`` is json or plain; ``requests``: each of them is told; ``quiet``: only errors are."""
    formatters = {
        "plain": {"format": "{asctime} {levelname} {name}: {message}", "style": "{"},
        "json": {"()": "server.config.logs.JsonLines"},
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


class request_log(Around):  # noqa: N801 - Django names middleware as functions
    """Tells every request: method, path without its query, status, how long it took, whose it was."""

    def after(self, request: HttpRequest, response: HttpResponse, began: float) -> HttpResponse:
        if requests.isEnabledFor(logging.INFO):
            user = getattr(request, "user", None)
            # Who was not looked up while the request was answered is not looked up for the log.
            known = user is not None and getattr(user, "_wrapped", user).__class__.__name__ == "User"
            told = {
                "method": request.method,
                "path": request.path,
                "status": response.status_code,
                "ms": round(1000 * (perf_counter() - began), 1),
                "user": user.pk if known else None,
            }
            requests.info("%(method)s %(path)s %(status)s", told, extra=told)
        return response
