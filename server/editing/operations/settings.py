"""Operations on the session's own settings: its name, length, tempo map, pan law."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from needle.layouts import layout_named
from needle.session.validation import LONGEST_SECONDS, check_settings
from server.editing.operations.base import SetSome
from server.mixsessions.deltas import SETTINGS_KEY
from server.mixsessions.entities import Word
from server.mixsessions.fields import Finite, Name
from server.mixsessions.state import State

MOST_STEPS = 2000

Pair = Annotated[list[Finite], Field(min_length=2, max_length=2)]
Triple = Annotated[list[int], Field(min_length=3, max_length=3)]


class SetSession(SetSome):
    """Changes the session's name, length (s; 0 follows the sources), tempo and metre changes, pan law, or layout."""

    kind: Literal["set-session"] = "set-session"
    name: Name | None = None
    length: Annotated[Finite, Field(ge=0.0, le=LONGEST_SECONDS)] | None = None
    tempos: Annotated[list[Pair], Field(max_length=MOST_STEPS)] | None = None
    metres: Annotated[list[Triple], Field(max_length=MOST_STEPS)] | None = None
    law: Word | None = None
    centre_zero: bool | None = None
    layout: Annotated[str, Field(max_length=16)] | None = None
    _part: ClassVar[str] = "session"
    _which: ClassVar[str] = "kind"
    _prefix: ClassVar[str] = "session:"

    @property
    def _key(self) -> str:
        return SETTINGS_KEY

    def check(self, value: Mapping[str, Any]) -> None:
        check_settings(value)

    def describe(self, state: State) -> str:
        return ", ".join(self._word(name, value) for name, value in self.changes().items()) or "Nothing changed"

    def _word(self, name: str, value: Any) -> str:
        if name == "tempos":
            more = len(value) - 1
            changes = f", {more} change{'s' if more > 1 else ''}" if more else ""
            return f"Tempo {value[0][1]:g} bpm{changes}"
        if name == "metres":
            return f"Metre {value[0][1]}/{value[0][2]}"
        if name == "length":
            return f"Length {value:.1f} s" if value else "Length follows the sources"
        if name == "layout":
            return f"Layout {layout_named(value).title.lower()} ({value})"
        if name == "centre_zero":
            return "Centre at 0 dB" if value else "Centre as the law has it"
        return f"Pan law {value.replace('-', ' ')}" if name == "law" else f"The session is now called “{value}”"
