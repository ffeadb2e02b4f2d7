"""Telling everybody who is in a session, or every browser of one person, once what happened is kept."""

import asyncio
from typing import Any
from uuid import UUID

from asgiref.sync import SyncToAsync, async_to_sync
from channels.layers import get_channel_layer
from django.db import transaction


def group_name(session_id: UUID) -> str:
    """The channel group of everybody in a session."""
    return f"session.{session_id}"


def person_group(user_id: int) -> str:
    """The channel group of all of one person's browsers."""
    return f"person.{user_id}"


def announce(session_id: UUID, kind: str, **content: Any) -> None:
    """Tell everybody in a session; ``kind`` names what the consumer does with it."""
    _send(group_name(session_id), kind, content)


def announce_to(user_id: int, kind: str, **content: Any) -> None:
    """Tell all of one person's browsers."""
    _send(person_group(user_id), kind, content)


def _send(group: str, kind: str, content: dict[str, Any]) -> None:
    message = {"type": f"live.{kind}", **content}

    def send() -> None:
        sending = get_channel_layer().group_send
        of_request = getattr(SyncToAsync.threadlocal, "main_event_loop", None)
        if of_request is None and _loop is not None and _loop.is_running():
            # A thread of the server's own: what it would put in a queue by itself, an idle loop would not see.
            asyncio.run_coroutine_threadsafe(sending(group, message), _loop).result()
        else:
            async_to_sync(sending)(group, message)

    transaction.on_commit(send)


_loop: asyncio.AbstractEventLoop | None = None


def remember_loop() -> None:
    """Note the loop in which people are told: called by whoever lets them in there."""
    global _loop
    _loop = asyncio.get_running_loop()
