"""Messages for people in the database and in answers: stored and sent as a code with parameters."""

from collections.abc import Iterable
from typing import Any

from django.db import models
from pydantic import BaseModel, model_validator

from needle.messages import Message


class MessageField(models.JSONField):
    """A ``Message``, or None."""

    def __init__(self, *args: Any, **options: Any) -> None:
        super().__init__(*args, **{"null": True, "editable": False, **options})

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> Message | None:
        stored = super().from_db_value(value, expression, connection)
        return None if stored is None else Message.from_json(stored)

    def get_db_prep_value(self, value: Any, connection: Any, prepared: bool = False) -> Any:
        stored = value.as_json() if isinstance(value, Message) else value
        return super().get_db_prep_value(stored, connection, prepared)


class MessagesField(models.JSONField):
    """A list of ``Message``."""

    def __init__(self, *args: Any, **options: Any) -> None:
        super().__init__(*args, **{"default": list, "editable": False, **options})

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> list[Message]:
        return [Message.from_json(stored) for stored in super().from_db_value(value, expression, connection)]

    def get_db_prep_value(self, value: Any, connection: Any, prepared: bool = False) -> Any:
        if isinstance(value, Iterable) and not isinstance(value, str):
            value = [item.as_json() if isinstance(item, Message) else item for item in value]
        return super().get_db_prep_value(value, connection, prepared)


class MessageOut(BaseModel):
    """A sentence for a person: ``code`` and ``parameters`` for whoever has a catalogue, ``text`` in English.

    A parameter is a text, a number, a list of texts, or a message itself.
    """

    code: str
    parameters: dict[str, Any]
    text: str

    @model_validator(mode="before")
    @classmethod
    def _written_down(cls, message: Any) -> Any:
        return message.as_json() if isinstance(message, Message) else message


def refusal(message: Message) -> dict[str, Any]:
    """A message as the body of an answer that refuses something."""
    stored = message.as_json()
    return {"detail": stored["text"], "code": stored["code"], "parameters": stored["parameters"]}
