"""Operations: the typed changes an engineer makes, one class an intent, registered here.

A new operation is a class in one of these files and its name in the union below.
"""

from typing import Annotated, Any

from pydantic import Field, TypeAdapter

from server.mixing.operations.base import Operation, Touch, overlap, shared
from server.mixing.operations.groups import AddGroup, RemoveGroup, SetGroup
from server.mixing.operations.lanes import RestoreLanes, SwitchLane, WritePoints
from server.mixing.operations.passages import AddPassage, RemovePassage, SetPassage
from server.mixing.operations.points import MovePoint
from server.mixing.operations.restoring import PutThings
from server.mixing.operations.returns import (
    AddReturn,
    ArrangeEffects,
    RemoveReturn,
    RemoveSend,
    SetEffect,
    SetReturn,
    SetSend,
)
from server.mixing.operations.rhythm import (
    FreezeSource,
    RemovePulse,
    RestoreRhythm,
    SetDeal,
    SetEvents,
    SetPlace,
    SetPulse,
)
from server.mixing.operations.room import AddLayer, RemoveLayer, RestoreRoute, SetLayer, SetRoom, SetRoute
from server.mixing.operations.settings import SetSession
from server.mixing.operations.several import Batch, FlipSources, SeatSources, ShiftValues
from server.mixing.operations.sources import (
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
from server.mixing.operations.statics import SetFixedValue

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
