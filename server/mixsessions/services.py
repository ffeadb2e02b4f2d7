"""Mix sessions that are created, deleted and archived: the transactions of this app."""

from typing import Any
from uuid import UUID

from django.db import transaction
from django.dispatch import Signal
from pydantic import ValidationError

from needle.errors import NeedleError
from needle.session.validation import PARTS, Document, check_document
from server.common.announcing import announce
from server.common.errors import ApiError
from server.mixsessions.access import membership
from server.mixsessions.documents import DocumentOut
from server.mixsessions.models import Entity, EntityVersion, Membership, MixSession, OperationRecord, OperationSubject
from server.mixsessions.snapshots import store_beginning

session_created = Signal()
"""Sent inside the transaction in which a session begins: ``session``, and its ``document``."""

session_deleted = Signal()
"""Sent before the rows of a session go, when nobody is in it any more: ``session``. Who keeps files for it removes
them."""

_LONGEST_KEY = Entity._meta.get_field("key").max_length or 130


def create_session(document: Document, owner) -> MixSession:
    """A new session of somebody's own with all that a document holds. NeedleError if that is not a session."""
    checked_document(document)
    with transaction.atomic():
        session = MixSession.objects.create(**document["session"])
        Membership.objects.create(session=session, user=owner, role=Membership.Role.OWNER)
        store_beginning(session, document)
        session_created.send(MixSession, session=session, document=document)
        Entity.objects.bulk_create(
            Entity(session=session, kind=part, key=key, value=value)
            for part in PARTS
            for key, value in document[part].items()
        )
    return session


def checked_document(document: Document) -> None:
    """NeedleError if a document is not as this application keeps it: every field of the right kind, under its key."""
    check_document(document)
    try:
        DocumentOut.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise NeedleError("mix_session.damaged_at", where=where[:80], reason=first["msg"][:120]) from error
    for part in PARTS:
        for key, entity in document[part].items():
            _check_key(part, key, entity)


def _check_key(part: str, key: str, entity: dict[str, Any]) -> None:
    if entity.get("id") != key or len(key) > _LONGEST_KEY:
        raise NeedleError("mix_session.damaged_key", part=part, key=key[:60])


def set_archived(user, session_id: UUID, archived: bool) -> None:
    """Archive a session in one's own list, or restore it there; nobody else's list changes."""
    Membership.objects.filter(user=user, session=session_id).update(archived=archived)


def delete_session(user, session_id: UUID) -> None:
    """Delete a session with its log, comments and exports. ApiError to everybody but its owner.

    Its people are sent out first, so that nothing is changed while its rows go, table by table: the log of months is
    not removed under one lock.
    """
    member = membership(user, session_id)
    if member.role != Membership.Role.OWNER:
        raise ApiError("mix_session.only_owner_deletes", 403)
    session = member.session
    with transaction.atomic():
        Membership.objects.filter(session=session).delete()
        announce(session_id, "people")
    session_deleted.send(MixSession, session=session)
    OperationRecord.objects.filter(session=session).update(undoes=None)
    for model in (OperationSubject, OperationRecord, EntityVersion, Entity):
        rows = model.objects.filter(session=session)
        rows._raw_delete(rows.db)
    session.delete()


def delete_owned_sessions(sender, user, **_) -> None:
    """Delete the sessions of an account that is deleted. ApiError while others are in one of them."""
    owned = list(Membership.objects.filter(user=user, role=Membership.Role.OWNER).select_related("session"))
    shared = [member.session for member in owned if member.session.members.count() > 1]
    if shared:
        names = [f"“{session.name}”" for session in shared[:5]]
        raise ApiError("mix_session.others_are_in", 409, names=names)
    for member in owned:
        delete_session(user, member.session_id)


def leave_sessions(sender, user, **_) -> None:
    """End every membership of an account that is deleted."""
    memberships = Membership.objects.filter(user=user)
    for session_id in memberships.values_list("session", flat=True):
        announce(session_id, "people")
    memberships.delete()
