"""Making a line static: the value that it has at a moment stays, the line goes."""

from typing import Any, Literal

from needle.automation.curve import Lane
from needle.automation.parameters import PULSE_PARAMETERS
from needle.automation.splice import value_after
from needle.errors import NeedleError
from needle.session.owners import kind_and_id, lane_key, owned_parameter
from server.editing.operations.base import Operation, Touch
from server.editing.operations.groups import SetGroup
from server.editing.operations.lanes import Owner, RestoreLanes, owner_name
from server.editing.operations.returns import SetReturn, SetSend
from server.editing.operations.rhythm import SetPulse
from server.editing.operations.room import SetLayer, SetRoom
from server.editing.operations.several import Batch
from server.editing.operations.sources import PlaceSource, SetLevel
from server.mixsessions.entities import Time
from server.mixsessions.fields import Key
from server.mixsessions.state import State, existing, taken_away


def setting(owner: str, values: dict[str, Any]) -> Operation:
    """The operation that sets static values of what lanes belong to."""
    if values.keys() <= PULSE_PARAMETERS.keys():
        named = {PULSE_PARAMETERS[name]: value for name, value in values.items()}
        return SetPulse.model_validate({"owner": owner, **named})
    kind, key = kind_and_id(owner)
    if kind == "group":
        return SetGroup.model_validate({"group": key, **values})
    if kind == "return":
        return SetReturn.model_validate({"to": key, **values})
    if kind == "layer":
        return SetLayer.model_validate({"layer": key, **values})
    if kind == "room":
        return SetRoom.model_validate(values)
    if kind == "send":
        source, to = key.split("/")
        return SetSend.model_validate({"source": source, "to": to, **values})
    what = SetLevel if values.keys() <= {"level", "trim", "lfe"} else PlaceSource
    return what.model_validate({"source": key, **values})


class SetFixedValue(Operation):
    """Takes a lane away and leaves the value that it has ``at`` a time (s) as the fixed one."""

    kind: Literal["set-fixed-value"] = "set-fixed-value"
    owner: Owner
    parameter: Key
    at: Time

    def apply(self, state: State) -> Operation:
        owned_parameter(self.owner, self.parameter)
        key = lane_key(self.owner, self.parameter)
        lane = existing(state, "lanes", key)
        if not lane["points"]:
            raise NeedleError("edit.no_automation")
        value = value_after(Lane.of(lane["points"]), self.at)
        static = setting(self.owner, {self.parameter: value}).apply(state)
        taken_away(state, "lanes", key)
        back = {"lanes": {key: lane["points"]}, "off": [key] if lane.get("off") else []}
        return Batch.of("Put back", [static, RestoreLanes.model_validate(back)])

    def touches(self) -> list[Touch]:
        # A static value is named by its owner as the operations that set it name it.
        static = f"{self.owner}.{self.parameter}"
        if self.parameter in PULSE_PARAMETERS:
            static = f"pulse:{self.owner}.{PULSE_PARAMETERS[self.parameter]}"
        return [(lane_key(self.owner, self.parameter), None, None), (static, None, None)]

    def describe(self, state: State) -> str:
        return f"{owner_name(state, self.owner)}: {self.parameter.replace('_', ' ')} set to a fixed value"
