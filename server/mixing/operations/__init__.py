"""Operations: the typed changes an engineer makes, one class an intent, registered here.

A new operation is a class in one of these files and its name in the union below.
"""

from typing import Annotated, Any

from pydantic import Field, TypeAdapter

from server.mixing.operations.base import Operation, Touch, overlap
from server.mixing.operations.lanes import WritePoints
from server.mixing.operations.passages import AddPassage, RemovePassage
from server.mixing.operations.sources import (
    AddSource,
    MuteSource,
    PlaceSource,
    RemoveSource,
    RenameSource,
    SetGain,
    SetLevel,
)

AnyOperation = Annotated[
    PlaceSource
    | SetLevel
    | SetGain
    | MuteSource
    | RenameSource
    | AddSource
    | RemoveSource
    | WritePoints
    | AddPassage
    | RemovePassage,
    Field(discriminator="kind"),
]

_ADAPTER: TypeAdapter[Operation] = TypeAdapter(AnyOperation)


def operation_from(body: dict[str, Any]) -> Operation:
    """An operation from its logged body."""
    return _ADAPTER.validate_python(body)


__all__ = ["AnyOperation", "Operation", "Touch", "operation_from", "overlap"]
