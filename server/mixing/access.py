"""Who may do what in a session: the one place that decides, for HTTP, WebSocket and media alike."""

from typing import Any
from uuid import UUID

from server.mixing.models import Member


class Refused(Exception):
    """Something that is not allowed: a sentence for the person, and the HTTP status that goes with it.

    ``more`` is told to the page besides: what may be done instead.
    """

    def __init__(self, reason: str, status: int, **more: object) -> None:
        super().__init__(reason)
        self.status = status
        self.more = more

    def __reduce__(self) -> tuple[Any, ...]:
        return _refused, (str(self), self.status, self.more)


def _refused(reason: str, status: int, more: dict[str, Any]) -> Refused:
    return Refused(reason, status, **more)


def membership(user, session_id: UUID, to_edit: bool = False) -> Member:
    """The user's part in the session. Outsiders are told there is no such session; listeners may not edit."""
    try:
        member = Member.objects.select_related("session", "user").get(session=session_id, user=user.pk)
    except Member.DoesNotExist:
        raise Refused("There is no such session, or you are not in it.", 404) from None
    if to_edit and not member.may_edit:
        raise Refused("You are here as a listener: you can hear everything and change nothing.", 403)
    return member
