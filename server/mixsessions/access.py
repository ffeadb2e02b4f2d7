"""Who may do what in a session: the one place that decides, for HTTP, WebSocket and media alike."""

from uuid import UUID

from server.common.errors import ApiError
from server.mixsessions.models import Membership


def membership(user, session_id: UUID, to_edit: bool = False) -> Membership:
    """The user's part in the session. Outsiders are told there is no such session; listeners may not edit."""
    try:
        member = Membership.objects.select_related("session", "user").get(session=session_id, user=user.pk)
    except Membership.DoesNotExist:
        raise ApiError("access.not_a_member", 404) from None
    if to_edit and not member.may_edit:
        raise ApiError("access.listener", 403)
    return member
