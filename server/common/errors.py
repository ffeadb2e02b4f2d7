"""Refusals: what is not allowed, as a message for the person."""

from collections.abc import Mapping
from typing import Any

from needle.messages import Message


class ApiError(Exception):
    """Something that cannot be done: a message for the person, and the HTTP status that goes with it.

    ``more`` is told to the page besides: what may be done instead. ``retry_after``: how long to wait (s), where that
    is known.
    """

    def __init__(
        self,
        code: str | Message,
        status: int,
        *,
        more: Mapping[str, Any] | None = None,
        retry_after: int | None = None,
        **parameters: Any,
    ) -> None:
        self.message = code if isinstance(code, Message) else Message(code, **parameters)
        super().__init__(self.message)
        self.status, self.more, self.retry_after = status, dict(more or {}), retry_after

    def __reduce__(self) -> tuple[Any, ...]:
        return _api_error, (self.message, self.status, self.more, self.retry_after)


def _api_error(message: Message, status: int, more: Mapping[str, Any], retry_after: int | None) -> ApiError:
    return ApiError(message, status, more=more, retry_after=retry_after)
