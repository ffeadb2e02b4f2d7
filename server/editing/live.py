"""The live channel: tells every member of each revision in order, who is here, and what is being held.

The consumer only translates between the wire and the application. Nobody keeps a list of who is here: who
arrives says so, everybody else answers, so it works across any number of server processes.
"""

from time import monotonic
from typing import Any
from uuid import uuid4

from channels.db import database_sync_to_async
from channels.generic.websocket import AsyncJsonWebsocketConsumer
from django.core.cache import cache
from pydantic import ValidationError

from needle.messages import Message
from server.accounts.names import shown_name
from server.common.announcing import group_name, person_group, remember_loop
from server.common.errors import ApiError
from server.editing.live_messages import FOR_EDITORS, MESSAGES, Presence
from server.mixsessions.access import membership
from server.mixsessions.log import since

NO_SUCH_SESSION = 4404
SIGNED_OUT = 4401
TOO_MUCH = 4429
MOST_BYTES = 8192
MOST_A_SECOND = 2000
"""So much one browser may say in a second: a hand that holds sixty sources says each of their places thirty times."""

OUT_FOR = 30
"""How long (s) somebody stays out who has said more."""


class LiveConsumer(AsyncJsonWebsocketConsumer):
    """One browser tab in one session. ``?since=N`` asks for what came after revision N."""

    group: str | None = None
    _said = (0, 0)
    """The second in which something was said last, and how often in it."""
    _is_out = False

    async def connect(self) -> None:
        remember_loop()
        self.session_id = self.scope["url_route"]["kwargs"]["session_id"]
        if await cache.aget(_out_key(self.scope["user"].pk)):
            await self.close()  # not even answered
            return
        await self.accept()
        try:
            member = await database_sync_to_async(membership)(self.scope["user"], self.session_id)
        except ApiError:
            await self.close(NO_SUCH_SESSION)
            return
        self.may_edit = member.may_edit
        self.sent = _revision_asked(self.scope["query_string"], member.session.revision)
        self.presence = Presence(type="presence")
        self.who = {
            "tab": uuid4().hex[:12],
            "id": member.user_id,
            "name": shown_name(member.user),
            "role": member.role,
            "colour": member.colour,
        }
        # Listen first, look back after: nothing can fall between the two.
        self.group = group_name(self.session_id)
        await self.channel_layer.group_add(self.group, self.channel_name)
        await self.channel_layer.group_add(person_group(member.user_id), self.channel_name)
        await self.send_json({"type": "welcome", "you": self.who, "revision": member.session.revision})
        await self._catch_up()
        await self._tell_others("live.arrived", person=self._person(), back=self.channel_name)

    async def dispatch(self, message: dict[str, Any]) -> None:
        """Do what a message asks for. What only passes through costs no turn of the thread that has the database."""
        if message["type"] == "websocket.receive":
            await self.websocket_receive(message)
        elif message["type"] == "live.preview":
            await self.live_preview(message)
        else:
            await super().dispatch(message)

    async def disconnect(self, code: int) -> None:
        if self.group:
            await self._tell_others("live.gone", tab=self.who["tab"])
            await self.channel_layer.group_discard(self.group, self.channel_name)
            await self.channel_layer.group_discard(person_group(self.who["id"]), self.channel_name)

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None, **_: Any) -> None:
        if self._is_out:
            return  # what was under way already
        if self._says_too_much():
            self._is_out = True
            await cache.aset(_out_key(self.scope["user"].pk), True, OUT_FOR)
            await self.close(TOO_MUCH)
            return
        if text_data is None or len(text_data) > MOST_BYTES:
            await self._refuse(Message("live.not_text"))
            return
        await super().receive(text_data=text_data)

    def _says_too_much(self) -> bool:
        """Count what was said, and whether that was too much for one second."""
        second = int(monotonic())
        self._said = (second, self._said[1] + 1 if self._said[0] == second else 1)
        return self._said[1] > MOST_A_SECOND

    async def _refuse(self, message: Message) -> None:
        await self.send_json({"type": "refused", "message": message.as_json()})

    @classmethod
    async def decode_json(cls, text_data: str) -> Any:
        try:
            return await super().decode_json(text_data)
        except ValueError:
            return None

    async def receive_json(self, content: Any, **_: Any) -> None:
        if not self.group:
            return
        kind = content.get("type") if isinstance(content, dict) else None
        if kind not in MESSAGES:
            await self._refuse(Message("live.unknown_type"))
            return
        if kind in FOR_EDITORS and not self.may_edit:
            await self._refuse(Message("live.listener"))
            return
        try:
            message = MESSAGES[kind].model_validate(content)
        except ValidationError as error:
            where = ".".join(str(part) for part in error.errors()[0]["loc"])
            await self._refuse(Message("live.malformed", field=where, reason=error.errors()[0]["msg"]))
            return
        if kind == "ping":
            await self.send_json({"type": "pong"})
        elif kind == "presence":
            self.presence = message
            await self._tell_others("live.presence", person=self._person())
        else:
            await self._tell_others(f"live.{kind}", tab=self.who["tab"], **message.model_dump(exclude={"type"}))

    def _person(self) -> dict[str, Any]:
        return {**self.who, **self.presence.model_dump(exclude={"type"})}

    async def _tell_others(self, kind: str, **content: Any) -> None:
        message = {"type": kind, "from": self.channel_name, **content}
        await self.channel_layer.group_send(self.group, message)

    async def _pass_on(self, message: dict[str, Any]) -> None:
        """A colleague's message to this browser; one's own does not come back."""
        if message.pop("from", None) != self.channel_name:
            message["type"] = message["type"].removeprefix("live.")
            await self.send_json(message)

    async def live_preview(self, message: dict[str, Any]) -> None:
        await self._pass_on(message)

    async def live_ask(self, message: dict[str, Any]) -> None:
        await self._pass_on(message)

    async def live_give(self, message: dict[str, Any]) -> None:
        await self._pass_on(message)

    async def live_comment(self, message: dict[str, Any]) -> None:
        await self._pass_on(message)

    async def live_people(self, message: dict[str, Any]) -> None:
        """Somebody came, went or became something else: perhaps oneself."""
        try:
            member = await database_sync_to_async(membership)(self.scope["user"], self.session_id)
        except ApiError:
            await self.close(NO_SUCH_SESSION)
            return
        self.may_edit = member.may_edit
        if member.role != self.who["role"]:
            self.who = {**self.who, "role": member.role}
            await self._tell_others("live.presence", person=self._person())
        await self.send_json({"type": "people", "role": member.role})

    async def live_signed_out(self, message: dict[str, Any]) -> None:
        own, only = self.scope["session"].session_key, message["only"]
        if own == only if only else own != message["but"]:
            await self.close(SIGNED_OUT)

    async def live_presence(self, message: dict[str, Any]) -> None:
        await self._pass_on(message)

    async def live_gone(self, message: dict[str, Any]) -> None:
        await self._pass_on(message)

    async def live_arrived(self, message: dict[str, Any]) -> None:
        back = message.pop("back")
        if back != self.channel_name:
            answer = {"type": "live.presence", "from": self.channel_name, "person": self._person()}
            await self.channel_layer.send(back, answer)
            await self.send_json({"type": "presence", "person": message["person"]})

    async def live_revision(self, message: dict[str, Any]) -> None:
        revision = message["message"]["revision"]
        if revision == self.sent + 1:
            self.sent += 1
            await self.send_json(message["message"])
        elif revision > self.sent:
            await self._catch_up()

    async def _catch_up(self) -> None:
        """Send every revision after the last one that was sent, page by page."""
        while page := await database_sync_to_async(since)(self.session_id, self.sent):
            for message in page:
                await self.send_json(message)
            self.sent = page[-1]["revision"]


def _out_key(user_id: int | None) -> str:
    return f"live-out-{user_id}"


def _revision_asked(query: bytes, present: int) -> int:
    for part in query.decode(errors="replace").split("&"):
        name, _, value = part.partition("=")
        if name == "since" and value.isdigit():
            return min(int(value), present)
    return present
