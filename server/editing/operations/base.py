"""What every operation is: it applies itself, gives its inverse, says what it touches, and describes itself."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any, ClassVar, Self

from pydantic import BaseModel, ConfigDict, create_model

from needle.automation.grid import bars_words
from needle.automation.parameters import PARAMETERS, defaults_of, parameter_named
from needle.errors import NeedleError
from needle.session.document import tempo_map
from server.mixsessions.fields import limited
from server.mixsessions.state import State, existing

Touch = tuple[str, float | None, float | None]
"""What an operation changes: a name such as ``oars.level``, and for lanes the range of time (s)."""


class Operation(BaseModel):
    """Base of all operations. ``kind`` is its name on the wire and in the log."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    kind: ClassVar[str]

    def apply(self, state: State) -> "Operation":
        """Change the state and give back the operation that restores it exactly. NeedleError if it may not."""
        raise NotImplementedError

    def touches(self) -> list[Touch]:
        """What it changes, so that an undo can tell whether a colleague has changed the same since."""
        raise NotImplementedError

    def describe(self, state: State) -> str:
        """What it does, in the engineer's words; told before it is applied."""
        raise NotImplementedError

    def since(self, later: list[dict[str, Any]]) -> "Operation":
        """The same intent where colleagues have made ``later`` changes (bodies) that its author had not seen."""
        return self

    def whole_sources(self) -> set[str]:
        """Sources that it puts in place as a whole, with all that belongs to them."""
        return set()

    def cost(self, state: State) -> int:
        """How much it is to apply: the things and the points that it goes through. NeedleError if it never may be."""
        return len(self.touches())

    def parts(self) -> "list[Operation]":
        """The single operations that it is made of."""
        return [self]

    def with_values(self, **values: object) -> Self:
        """The same operation with other values."""
        return self.model_copy(update=values)


class SetSome(Operation):
    """Sets some fields of one thing, those that are not None; the inverse sets the same fields back."""

    _part: ClassVar[str]
    _which: ClassVar[str]
    """The field of the operation that names the thing."""
    _prefix: ClassVar[str] = ""

    def check(self, value: Mapping[str, Any]) -> None:
        """NeedleError if the thing may not be as it would become."""

    def changes(self) -> dict[str, Any]:
        """The fields that it sets."""
        skipped = ("kind", self._which)
        return {k: v for k, v in self.model_dump().items() if k not in skipped and v is not None}

    def apply(self, state: State) -> Operation:
        entity = existing(state, self._part, self._key)
        values = self.changes()
        if not values:
            raise NeedleError("edit.nothing_to_change")
        after = {**entity, **values}
        self.check(after)
        state.put(self._part, self._key, after)
        which = self.model_dump(include={self._which})
        return self.model_validate({**which, **{name: entity[name] for name in values}})

    def touches(self) -> list[Touch]:
        return [(f"{self._prefix}{self._key}.{name}", None, None) for name in self.changes()]

    def describe(self, state: State) -> str:
        words = ", ".join(self._word(name, value) for name, value in self.changes().items())
        return f"{existing(state, self._part, self._key)['name']}: {words or 'nothing'}"

    @property
    def _key(self) -> str:
        return getattr(self, self._which)

    def _word(self, name: str, value: Any) -> str:
        return describe_value(name, value)


def overlap(first: Touch, other: Touch) -> bool:
    """Whether two touches change the same thing, at the same time if they are bound to one."""
    if first[0] != other[0]:
        return False
    if None in (first[1], other[1]):
        return True
    return first[1] <= other[2] and other[1] <= first[2]


def shared(first: Touch, other: Touch) -> Touch:
    """What two touches that overlap have in common."""
    if first[1] is None or other[1] is None:
        return other if first[1] is None else first
    return first[0], max(first[1], other[1]), min(first[2], other[2])


_WORDS = {
    "invert_left": "left inverted", "invert_right": "right inverted", "swap_channels": "L/R swapped",
    "delay_panning_ms": "delay at hard L/R", "level_share": "level share", "double": "opposite double",
    "double_ms": "double delay", "double_trim": "double trim", "mode": "pan mode",
    "snap": "snapped to the nearest loudspeaker", "direct_muted": "dry muted",
}  # fmt: skip
_DISPLAYS = {
    "delay_panning_ms": "milliseconds", "double_ms": "milliseconds", "gain": "level", "double_trim": "level",
    "shift": "place", "level_share": "share",
}  # fmt: skip
"""How fields are written that are no parameters; those say so themselves."""


def pan_words(pan: float) -> str:
    """A position as engineers write it: L31, C, R31, R45.5."""
    number = round(abs(pan) * 100, 1)
    return "C" if number == 0 else f"{'L' if pan < 0 else 'R'}{number:g}"


def level_words(level: float) -> str:
    """A level as engineers write it: -6.0 dB, off."""
    return "off" if level <= PARAMETERS["level"].low else f"{level:+.1f} dB"


def some_values(kind: str, base: type[Operation], without: Sequence[str] = (), only: Sequence[str] = ()) -> Any:
    """A base for operations that set some of the parameters that a kind of thing has."""
    names = [name for name in only or defaults_of(kind) if name not in without]
    return create_model(base.__name__, __base__=base, **{name: (limited(name) | None, None) for name in names})


def describe_value(name: str, value: Any) -> str:
    """A field and its value in the engineer's words."""
    parameter = PARAMETERS.get(name)
    if isinstance(value, bool):
        title = _WORDS.get(name, name.replace("_", " "))
        return title if value else f"{title} off"
    display = parameter.display if parameter else _DISPLAYS.get(name, "")
    text = _WRITTEN[display](value) if display in _WRITTEN else f"{value}"
    if name == "pan":
        # Where something stands needs no name.
        return text
    title = _in_a_sentence(parameter.title) if parameter else _WORDS.get(name, name.replace("_", " "))
    return f"{title} {text}"


def value_words(parameter: str, value: float) -> str:
    """A parameter's value alone, as engineers write it."""
    display = parameter_named(parameter).display
    return _WRITTEN[display](value) if display in _WRITTEN else f"{value:g}"


def bars_in(state: State, start: float, end: float) -> str:
    """The bars of a session that a stretch of time (s) touches, in words."""
    return bars_words(tempo_map({"session": existing(state, "session", "")}), start, end)


def _in_a_sentence(title: str) -> str:
    """A title as it stands in a sentence: LFE stays what it is."""
    return title if title.isupper() else title[0].lower() + title[1:]


def _depth_words(front: float) -> str:
    return "middle" if round(front, 2) == 0.0 else f"{'F' if front > 0.0 else 'B'}{abs(front) * 100:.0f}"


_WRITTEN: dict[str, Callable[[float], str]] = {
    "place": pan_words,
    "level": level_words,
    "share": "{:.0%}".format,
    "height": "{:+.0%}".format,
    "front": _depth_words,
    "degrees": "{:g}°".format,
    "milliseconds": "{:g} ms".format,
}
