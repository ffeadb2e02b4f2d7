"""Sessions that their owner deletes, with all that belongs to them."""

from uuid import UUID

from django.db import transaction
from django.dispatch import Signal

from server.common.errors import ApiError
from server.mixing.access import membership
from server.mixing.announcing import announce
from server.mixing.models import Draft, EntityVersion, Member, Operation, OperationSubject, Session, Thing

session_deleted = Signal()
"""Sent before the rows of a session go, when nobody is in it any more: ``session``. Who keeps files for it removes
them."""


def delete_session(user, session_id: UUID) -> None:
    """Delete a session with its log, comments and exports. ApiError to everybody but its owner.

    Its people are sent out first, so that nothing is changed while its rows go, table by table: the log of months is
    not removed under one lock.
    """
    member = membership(user, session_id)
    if member.role != Member.Role.OWNER:
        raise ApiError("Only the session's owner can delete it. Archive it to take it out of your list.", 403)
    session = member.session
    with transaction.atomic():
        Member.objects.filter(session=session).delete()
        announce(session_id, "people")
    session_deleted.send(Session, session=session)
    Operation.objects.filter(session=session).update(undoes=None)
    for model in (OperationSubject, Operation, EntityVersion, Draft, Thing):
        rows = model.objects.filter(session=session)
        rows._raw_delete(rows.db)
    session.delete()
