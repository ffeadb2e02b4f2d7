"""Refusals: what is not allowed, as a sentence for the person."""

from typing import Any


class ApiError(Exception):
    """Something that cannot be done: a sentence for the person, and the HTTP status that goes with it.

    ``more`` is told to the page besides: what may be done instead.
    """

    def __init__(self, reason: str, status: int, **more: object) -> None:
        super().__init__(reason)
        self.status = status
        self.more = more

    def __reduce__(self) -> tuple[Any, ...]:
        return _refused, (str(self), self.status, self.more)


def _refused(reason: str, status: int, more: dict[str, Any]) -> ApiError:
    return ApiError(reason, status, **more)
