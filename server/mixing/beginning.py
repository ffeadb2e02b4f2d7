"""Sessions that begin with something in them: copies, and what comes in from a file."""

from typing import Any
from uuid import UUID

from django.db import transaction
from django.dispatch import Signal
from pydantic import ValidationError

from needle.errors import NeedleError
from needle.session.validation import PARTS, Document, check_document
from server.mixing.documents import DocumentOut
from server.mixing.models import Member, Session, Thing
from server.mixing.snapshots import store_beginning

session_begun = Signal()
"""Sent inside the transaction in which a session begins: ``session``, and its ``document``."""

_LONGEST_KEY = Thing._meta.get_field("key").max_length or 130


def begin_session(document: Document, owner) -> Session:
    """A new session of somebody's own with all that a document holds. NeedleError if that is not a session."""
    checked_document(document)
    with transaction.atomic():
        session = Session.objects.create(**document["session"])
        Member.objects.create(session=session, user=owner, role=Member.Role.OWNER)
        store_beginning(session, document)
        session_begun.send(Session, session=session, document=document)
        Thing.objects.bulk_create(
            Thing(session=session, part=part, key=key, value=value)
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
        raise NeedleError(f"The session in it is damaged at {where[:80]}: {first['msg'][:120]}.") from error
    for part in PARTS:
        for key, thing in document[part].items():
            _check_key(part, key, thing)


def _check_key(part: str, key: str, thing: dict[str, Any]) -> None:
    if thing.get("id") != key or len(key) > _LONGEST_KEY:
        raise NeedleError(f"The session in it is damaged: among its {part} “{key[:60]}” is not under its own name.")


def set_archived(user, session_id: UUID, archived: bool) -> None:
    """Archive a session in one's own list, or restore it there; nobody else's list changes."""
    Member.objects.filter(user=user, session=session_id).update(archived=archived)
