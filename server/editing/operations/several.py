"""Operations on several things at once: relative changes, seatings, mirroring, and any changes as one."""

from typing import Annotated, Any, Literal

from pydantic import Field

from needle.automation.parameters import parameter_named
from needle.dsp.pan_modes import MODES
from needle.session.document import lane_key
from needle.session.seatings import FLIPPED_PARAMETERS, Seat, flipped, seated
from server.editing.operations.base import Operation, Touch, describe_value
from server.editing.operations.lanes import RestoreLanes, points_in
from server.editing.operations.sources import LEVELS, PlaceSource, SetLevel
from server.mixsessions.entities import Stored
from server.mixsessions.fields import Finite, Key, Name, Pan
from server.mixsessions.state import State, existing

Several = Annotated[list[Key], Field(min_length=1, max_length=512)]


def _several(state: State, keys: list[str]) -> str:
    names = [existing(state, "sources", key)["name"] for key in keys]
    return names[0] if len(names) == 1 else f"{len(names)} sources"


class ShiftValues(Operation):
    """Adds the same to a parameter of several sources: to the static value, and to every point of a lane.

    Each stays within the parameter's limits.
    """

    kind: Literal["shift-values"] = "shift-values"
    sources: Several
    parameter: Key
    by: Finite

    def apply(self, state: State) -> Operation:
        limits = parameter_named(self.parameter)
        inverses: list[Operation] = []
        lanes = {}
        for key in dict.fromkeys(self.sources):
            source = existing(state, "sources", key)
            lane = state.get("lanes", lane_key(key, self.parameter))
            if lane is not None and not lane.get("off"):
                lanes[lane["id"]] = lane["points"]
                moved = [{**p, "value": limits.limited(p["value"] + self.by)} for p in lane["points"]]
                state.put("lanes", lane["id"], {**lane, "points": moved})
            else:
                value = limits.limited(source[self.parameter] + self.by)
                put_back = SetLevel if self.parameter in LEVELS else PlaceSource
                body = {"source": key, self.parameter: value}
                inverses.append(put_back.model_validate(body).apply(state))
        if lanes:
            inverses.append(RestoreLanes.model_validate({"lanes": lanes}))
        return Batch.of("Put back", inverses)

    def cost(self, state: State) -> int:
        return sum(1 + points_in(state, key, self.parameter) for key in self.sources)

    def touches(self) -> list[Touch]:
        static = [(f"{key}.{self.parameter}", None, None) for key in self.sources]
        return static + [(lane_key(key, self.parameter), None, None) for key in self.sources]

    def describe(self, state: State) -> str:
        amount = f"{self.by:+.1f} dB" if parameter_named(self.parameter).unit == "dB" else f"{self.by * 100:+.0f}"
        title = describe_value(self.parameter, 0.0).split(" ")[0] if self.parameter != "pan" else "place"
        return f"{_several(state, self.sources)}: {title} {amount}"


class FlipSources(Operation):
    """Mirrors several sources' places, those of their lanes too; done twice, everything is as it was."""

    kind: Literal["flip-sources"] = "flip-sources"
    sources: Several

    def apply(self, state: State) -> Operation:
        for key in dict.fromkeys(self.sources):
            source = existing(state, "sources", key)
            state.put("sources", key, {**source, **flipped(source)})
            for parameter in FLIPPED_PARAMETERS:
                lane = state.get("lanes", lane_key(key, parameter))
                if lane is not None:
                    turned = [{**p, "value": -p["value"] if p["value"] else 0.0} for p in lane["points"]]
                    state.put("lanes", lane["id"], {**lane, "points": turned})
        return self

    def cost(self, state: State) -> int:
        return sum(1 + points_in(state, key, name) for key in self.sources for name in FLIPPED_PARAMETERS)

    def touches(self) -> list[Touch]:
        fields = (*FLIPPED_PARAMETERS, "swap_channels")
        static = [(f"{key}.{field}", None, None) for key in self.sources for field in fields]
        lanes = [(lane_key(key, p), None, None) for key in self.sources for p in FLIPPED_PARAMETERS]
        return static + lanes

    def describe(self, state: State) -> str:
        return f"{_several(state, self.sources)}: left and right exchanged"


class SeatIn(Stored):
    """A seat for one source: where a listener sees it, and half the width that a stereo source covers there."""

    name: Name
    pan: Pan
    span: Pan = 0.0


class SeatSources(Operation):
    """Puts sources down on the seats of a seating, seen from the listener's or the players' side."""

    kind: Literal["seat-sources"] = "seat-sources"
    seating: Name
    seats: Annotated[dict[Key, SeatIn], Field(min_length=1, max_length=512)]
    from_players: bool = False

    def apply(self, state: State) -> Operation:
        inverses = []
        for key, values in self.seats.items():
            source = existing(state, "sources", key)
            seat = Seat(values.name, values.pan, values.span)
            # A stereo source is seated by its two ends; turned down on one side it would not sit anywhere.
            mode = "span" if source["mode"] == "balance" else source["mode"]
            values = {"mode": mode, **seated(seat, MODES[mode].name, self.from_players)}
            inverses.append(PlaceSource.model_validate({"source": key, **values}).apply(state))
        return Batch.of("Put back", inverses)

    def touches(self) -> list[Touch]:
        fields = ("mode", *FLIPPED_PARAMETERS)
        return [(f"{key}.{field}", None, None) for key in self.seats for field in fields]

    def describe(self, state: State) -> str:
        side = "the players' side" if self.from_players else "the listener's side"
        return f"{self.seating}: {_several(state, list(self.seats))} seated, from {side}"


class Batch(Operation):
    """Several changes as one: all of them are made, or none is."""

    kind: Literal["batch"] = "batch"
    summary: Name
    operations: "Annotated[list[SingleOperation], Field(min_length=1, max_length=1024)]"  # noqa: F821 - named in __init__

    @classmethod
    def of(cls, summary: str, operations: list[Operation]) -> "Operation":
        """These operations, in the order given, as one; a single one as itself."""
        if len(operations) == 1:
            return operations[0]
        return cls.model_validate(
            {"summary": summary, "operations": [operation.model_dump(by_alias=True) for operation in operations]}
        )

    def apply(self, state: State) -> Operation:
        inverses = [operation.apply(state) for operation in self.operations]
        return Batch.of("Put back", inverses[::-1])

    def cost(self, state: State) -> int:
        return sum(operation.cost(state) for operation in self.operations)

    def touches(self) -> list[Touch]:
        return [touch for operation in self.operations for touch in operation.touches()]

    def describe(self, state: State) -> str:
        return self.summary

    def since(self, later: list[dict[str, Any]]) -> Operation:
        operations = [operation.since(later) for operation in self.operations]
        return self if operations == self.operations else self.with_values(operations=operations)

    def parts(self) -> list[Operation]:
        return [part for operation in self.operations for part in operation.parts()]
