"""Operations: the typed changes an engineer makes, one class an intent, registered here.

A new operation is a class in one of these files and its name in the union below.
"""

from typing import Annotated, Any

from pydantic import Field, TypeAdapter

from server.editing.operations.base import Operation, Touch, overlap, shared
from server.editing.operations.groups import AddGroup, RemoveGroup, SetGroup
from server.editing.operations.lanes import RestoreLanes, SwitchLane, WritePoints
from server.editing.operations.passages import AddPassage, RemovePassage, SetPassage
from server.editing.operations.points import MovePoint
from server.editing.operations.restoring import PutThings
from server.editing.operations.returns import (
    AddReturn,
    ArrangeEffects,
    RemoveReturn,
    RemoveSend,
    SetEffect,
    SetReturn,
    SetSend,
)
from server.editing.operations.rhythm import (
    FreezeSource,
    RemovePulse,
    RestoreRhythm,
    SetDeal,
    SetEvents,
    SetPlace,
    SetPulse,
)
from server.editing.operations.room import AddLayer, RemoveLayer, RestoreRoute, SetLayer, SetRoom, SetRoute
from server.editing.operations.settings import SetSession
from server.editing.operations.several import Batch, FlipSources, SeatSources, ShiftValues
from server.editing.operations.sources import (
    AddSource,
    ArrangeSource,
    JoinGroup,
    MuteSource,
    PlaceSource,
    RemoveSource,
    RenameSource,
    SetGain,
    SetLevel,
)
from server.editing.operations.statics import SetFixedValue

SingleOperation = Annotated[
    PlaceSource
    | SetLevel
    | SetGain
    | MuteSource
    | RenameSource
    | ArrangeSource
    | JoinGroup
    | AddSource
    | RemoveSource
    | WritePoints
    | MovePoint
    | SwitchLane
    | SetFixedValue
    | RestoreLanes
    | SetPulse
    | RemovePulse
    | SetDeal
    | SetPlace
    | SetEvents
    | RestoreRhythm
    | FreezeSource
    | SetRoute
    | RestoreRoute
    | SetRoom
    | AddLayer
    | SetLayer
    | RemoveLayer
    | AddPassage
    | SetPassage
    | RemovePassage
    | AddGroup
    | SetGroup
    | RemoveGroup
    | AddReturn
    | SetReturn
    | SetEffect
    | ArrangeEffects
    | RemoveReturn
    | SetSend
    | RemoveSend
    | SetSession
    | ShiftValues
    | FlipSources
    | SeatSources,
    Field(discriminator="kind"),
]

# An inverse of several changes may hold such inverses itself.
Batch.model_rebuild(_types_namespace={"SingleOperation": SingleOperation | Batch})

AnyOperation = Annotated[SingleOperation | Batch, Field(discriminator="kind")]

# What is logged may also be what only the server makes.
_ADAPTER: TypeAdapter[Operation] = TypeAdapter(
    Annotated[SingleOperation | Batch | PutThings, Field(discriminator="kind")]
)


def operation_from(body: dict[str, Any]) -> Operation:
    """An operation from its logged body."""
    return _ADAPTER.validate_python(body)


__all__ = ["AnyOperation", "Operation", "PutThings", "Touch", "operation_from", "overlap", "shared"]
