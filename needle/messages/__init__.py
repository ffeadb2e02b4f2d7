"""Sentences for people: each is a code with parameters, whose English text stands in a catalogue.

Whoever shows one may tell it from a catalogue of its own; ``str`` of it is the English sentence. Texts are written as
vue-i18n writes them: ``{name}`` stands for a parameter, ``{'{'}`` for a character that would mean something, and
``one way | several ways`` for the two forms that go with the parameter ``count``.
"""

import json
import re
from collections.abc import Iterable, Mapping
from numbers import Integral, Real
from pathlib import Path
from typing import Any, TypeAlias

Value: TypeAlias = "str | int | float | tuple[str, ...] | Message"

_SLOT = re.compile(r"\{'([^']*)'\}|\{(\w+)\}")

_catalogue: dict[str, str] = {}


def add_catalogue(path: Path) -> None:
    """Add the texts of a JSON file, ``{area: {name: text}}``; ValueError if one of their codes is taken."""
    for area, texts in json.loads(path.read_text("utf-8")).items():
        for name, text in texts.items():
            code = f"{area}.{name}"
            if _catalogue.setdefault(code, text) != text:
                raise ValueError(f"two texts for {code}")


def catalogue() -> Mapping[str, str]:
    """The text of each code."""
    return _catalogue


class Message:
    """What is to be said: ``code`` names its text, ``parameters`` what goes into it.

    A parameter is a text, a number, a list of texts, or a message itself; an error is taken by what it says.
    """

    def __init__(self, code: str, /, **parameters: Any) -> None:
        self.code = code
        self.parameters: dict[str, Value] = {name: _plain(value) for name, value in parameters.items()}

    def with_parameters(self, **parameters: Any) -> "Message":
        """The same message where these parameters, as far as it has them, are others; so are those inside it."""
        merged = {
            name: value.with_parameters(**parameters) if isinstance(value, Message) else parameters.get(name, value)
            for name, value in self.parameters.items()
        }
        return Message(self.code, **merged)

    def as_json(self) -> dict[str, Any]:
        """``{"code", "parameters", "text"}``, of which the last is the English sentence."""
        parameters = {
            name: value.as_json()
            if isinstance(value, Message)
            else list(value)
            if isinstance(value, tuple)
            else value
            for name, value in self.parameters.items()
        }
        return {"code": self.code, "parameters": parameters, "text": str(self)}

    @classmethod
    def from_json(cls, stored: Mapping[str, Any]) -> "Message":
        """The message that ``as_json`` wrote down; by its text where its code has become another."""
        if stored["code"] not in _catalogue:
            return cls("plain.text", text=stored["text"])
        parameters = {
            name: cls.from_json(value) if isinstance(value, Mapping) else value
            for name, value in stored["parameters"].items()
        }
        message = cls(stored["code"], **parameters)
        try:
            str(message)
        except KeyError:  # another version's text, with other parameters
            return cls("plain.text", text=stored["text"])
        return message

    @property
    def text(self) -> str:
        """The English sentence."""
        return str(self)

    def __str__(self) -> str:
        text = _catalogue[self.code]
        if " | " in text:
            one, several = text.split(" | ")
            text = one if self.parameters["count"] == 1 else several
        return _SLOT.sub(lambda slot: slot[1] if slot[2] is None else _shown(self.parameters[slot[2]]), text)

    def __repr__(self) -> str:
        return f"Message({self.code!r}, **{self.parameters!r})"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Message) and (self.code, self.parameters) == (other.code, other.parameters)

    def __hash__(self) -> int:
        return hash((self.code, str(self)))


def _plain(value: Any) -> Value:
    if isinstance(value, Message | str):
        return value if isinstance(value, Message) else str(value)
    if isinstance(value, Integral):
        return int(value)
    if isinstance(value, Real):
        return float(value)
    if isinstance(value, BaseException):
        message = getattr(value, "message", None)
        return message if isinstance(message, Message) else str(value)
    if isinstance(value, Iterable) and not isinstance(value, bytes | Path):
        return tuple(str(item) for item in value)
    return str(value)


def _shown(value: Value) -> str:
    if isinstance(value, float):
        return f"{value:g}"
    return ", ".join(value) if isinstance(value, tuple) else str(value)


add_catalogue(Path(__file__).with_name("en.json"))
