"""What browsers and the server say to each other on the live channel; the interface's types are made from it."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from server.common.messages import MessageOut
from server.mixsessions.api import RevisionOut
from server.mixsessions.fields import Finite

Control = Annotated[str, Field(min_length=1, max_length=240)]
Tab = Annotated[str, Field(min_length=1, max_length=16)]


class Message(BaseModel):
    """Base of what a browser may say."""

    model_config = ConfigDict(extra="forbid")


class Preview(Message):
    """A held control's value as it moves; ``control`` is for example ``oars.pan``. None lets it go."""

    type: Literal["preview"]
    control: Control
    value: Finite | None


class Presence(Message):
    """Where somebody is and how they listen.

    Their chosen source, playhead (s), whether they play, the passage they loop or their own stretch (s), their
    monitor and their solos.
    """

    type: Literal["presence"]
    chosen: str | None = Field(default=None, max_length=64)
    playhead: Finite = 0.0
    playing: bool = False
    passage: str | None = Field(default=None, max_length=64)
    loop: tuple[Finite, Finite] | None = None
    monitor: str = Field(default="stereo", max_length=80)
    solo: list[Annotated[str, Field(max_length=130)]] = Field(default=[], max_length=40)


class Ask(Message):
    """Somebody would like to have what a colleague holds."""

    type: Literal["ask"]
    control: Control


class Give(Message):
    """A hand that has let go gives what it held to the browser that asked for it first."""

    type: Literal["give"]
    control: Control
    to: Tab


class Ping(Message):
    """Whether the line still stands."""

    type: Literal["ping"]


MESSAGES: dict[str, type[Message]] = {
    "preview": Preview,
    "presence": Presence,
    "ask": Ask,
    "give": Give,
    "ping": Ping,
}
"""What a browser may say, by its ``type``."""

FOR_EDITORS = ("preview", "ask", "give")


class Participant(BaseModel):
    """Somebody's browser tab in the session: who they are, where they are and how they listen."""

    tab: str
    id: int
    name: str
    role: str
    colour: int
    chosen: str | None
    playhead: float
    playing: bool
    passage: str | None
    loop: tuple[float, float] | None
    monitor: str
    solo: list[str]


class Identity(BaseModel):
    """Who one is in the session, in this tab."""

    tab: str
    id: int
    name: str
    role: str
    colour: int


class Welcome(BaseModel):
    """The first thing that is said: who one is here, and the session's revision."""

    type: Literal["welcome"]
    you: Identity
    revision: int


class PresenceEvent(BaseModel):
    """Where a colleague is."""

    type: Literal["presence"]
    person: Participant


class Gone(BaseModel):
    """A colleague's tab has left."""

    type: Literal["gone"]
    tab: str


class PreviewEvent(BaseModel):
    """What a colleague holds, as it moves; no value lets it go."""

    type: Literal["preview"]
    tab: str
    control: str
    value: float | None


class AskEvent(BaseModel):
    """A colleague would like to have a control."""

    type: Literal["ask"]
    tab: str
    control: str


class GiveEvent(BaseModel):
    """A colleague gives a control to a tab."""

    type: Literal["give"]
    tab: str
    control: str
    to: str


class PeopleEvent(BaseModel):
    """Somebody came, went or became something else; one's own role is this now."""

    type: Literal["people"]
    role: str


class RefusedEvent(BaseModel):
    """What was said is refused."""

    type: Literal["refused"]
    message: MessageOut


class Pong(BaseModel):
    """The line stands."""

    type: Literal["pong"]


EVENTS: list[Any] = [
    RevisionOut, Welcome, PresenceEvent, Gone, PreviewEvent, AskEvent, GiveEvent, PeopleEvent, RefusedEvent, Pong,
]  # fmt: skip
"""What the server says of editing; what lies above adds its own."""
