"""Operations on a source: its place, level, gain, mute, name, and its coming and going."""

from typing import Annotated, Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field

from needle.errors import NeedleError
from needle.moving.lane import MAX_TIME, Lane
from needle.moving.parameters import GAIN_LIMIT_DB, PARAMETERS
from needle.placing.modes import mode_for
from needle.session import INKS, check_lane, lane_key
from server.mixing.operations.base import Finite, Key, Level, Name, Operation, Pan, Touch
from server.mixing.operations.points import StoredPoint, stored
from server.mixing.state import State, existing

Gain = Annotated[float, Field(ge=-GAIN_LIMIT_DB, le=GAIN_LIMIT_DB, allow_inf_nan=False)]


def pan_words(pan: float) -> str:
    """A position as engineers write it: L31, C, R31."""
    number = round(abs(pan) * 100)
    return "C" if number == 0 else f"{'L' if pan < 0 else 'R'}{number}"


class _SetOne(Operation):
    """Sets one field of a source; the inverse sets it back."""

    source: Key

    _field: ClassVar[str]

    def apply(self, state: State) -> Operation:
        source = existing(state, "sources", self.source)
        before = source[self._field]
        state.put("sources", self.source, {**source, self._field: getattr(self, self._field)})
        return self.with_values(**{self._field: before})

    def touches(self) -> list[Touch]:
        return [(f"{self.source}.{self._field}", None, None)]

    def describe(self, state: State) -> str:
        return f"{existing(state, 'sources', self.source)['name']}: {self._field} {self._words()}"

    def _words(self) -> str:
        return f"{getattr(self, self._field):+.1f} dB"


class PlaceSource(_SetOne):
    """Puts a source at a position (pan -1…1)."""

    kind: Literal["place-source"] = "place-source"
    pan: Pan
    _field: ClassVar[str] = "pan"

    def _words(self) -> str:
        return pan_words(self.pan)


class SetLevel(_SetOne):
    """Sets a source's level (dB; the lowest is off)."""

    kind: Literal["set-level"] = "set-level"
    level: Level
    _field: ClassVar[str] = "level"

    def _words(self) -> str:
        return "off" if self.level <= PARAMETERS["level"].low else super()._words()


class SetGain(_SetOne):
    """Sets a source's gain before everything else (dB)."""

    kind: Literal["set-gain"] = "set-gain"
    gain: Gain
    _field: ClassVar[str] = "gain"


class MuteSource(_SetOne):
    """Mutes a source for everybody, or lets it sound again."""

    kind: Literal["mute-source"] = "mute-source"
    muted: bool
    _field: ClassVar[str] = "muted"

    def _words(self) -> str:
        return "on" if self.muted else "off"


class RenameSource(_SetOne):
    """Gives a source another name."""

    kind: Literal["rename-source"] = "rename-source"
    name: Name
    _field: ClassVar[str] = "name"

    def _words(self) -> str:
        return f"“{self.name}”"


class StoredSource(BaseModel):
    """A source with all its static values."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    id: Key
    name: Name
    ink: Annotated[int, Field(ge=0, lt=INKS)]
    order: Annotated[int, Field(ge=-100_000, le=100_000)]
    asset: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    channels: Annotated[int, Field(ge=1, le=2)]
    start: Annotated[Finite, Field(ge=0.0, le=MAX_TIME)]
    gain: Gain
    level: Level
    muted: bool
    mode: Annotated[str, Field(max_length=16)]
    pan: Pan


class AddSource(Operation):
    """Adds a source, with the lanes it comes with (parameter: points)."""

    kind: Literal["add-source"] = "add-source"
    source: StoredSource
    lanes: dict[Key, list[StoredPoint]] = {}

    def apply(self, state: State) -> Operation:
        mode_for(self.source.mode, self.source.channels)
        if state.get("sources", self.source.id) is not None:
            raise NeedleError(f"There is already a source with the id “{self.source.id}”.")
        state.put("sources", self.source.id, self.source.model_dump())
        for parameter, points in self.lanes.items():
            key = lane_key(self.source.id, parameter)
            lane = check_lane(parameter, Lane.of(point.model_dump() for point in points))
            value = {
                "id": key,
                "source": self.source.id,
                "parameter": parameter,
                "points": stored(lane.points),
            }
            state.put("lanes", key, value)
        return RemoveSource(source=self.source.id)

    def touches(self) -> list[Touch]:
        return _everything_of(self.source.id)

    def describe(self, state: State) -> str:
        return f"{self.source.name} added"


class RemoveSource(Operation):
    """Takes a source away; its inverse brings it back with its lanes."""

    kind: Literal["remove-source"] = "remove-source"
    source: Key

    def apply(self, state: State) -> Operation:
        source = existing(state, "sources", self.source)
        lanes: dict[str, Any] = {}
        for parameter in PARAMETERS:
            key = lane_key(self.source, parameter)
            lane = state.get("lanes", key)
            if lane is not None:
                lanes[parameter] = lane["points"]
                state.put("lanes", key, None)
        state.put("sources", self.source, None)
        return AddSource(source=source, lanes=lanes)

    def touches(self) -> list[Touch]:
        return _everything_of(self.source)

    def describe(self, state: State) -> str:
        return f"{existing(state, 'sources', self.source)['name']} removed"


def _everything_of(source: str) -> list[Touch]:
    fields = ("pan", "level", "gain", "muted", "name")
    lanes = [(lane_key(source, parameter), None, None) for parameter in PARAMETERS]
    return [(f"{source}.{field}", None, None) for field in fields] + lanes
