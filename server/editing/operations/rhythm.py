"""Operations on movement in rhythm: pulses, deals and the events that are dealt."""

from collections.abc import Iterable, Mapping
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from needle.autopan.pulse import LIMITS
from needle.dealing.deal import MOST_EVENTS, MOST_PLACES, checked_places
from needle.errors import NeedleError
from needle.session.owners import kind_and_id
from needle.session.rhythm import DEAL_DEFAULTS, PLACE_VALUES, PULSE_DEFAULTS, check_deal, check_events, check_pulse
from server.editing.operations.base import Operation, SetSome, Touch, describe_value, level_words
from server.editing.operations.lanes import Owner, owner_name, without_lanes
from server.mixsessions.entities import (
    BeforeConversion,
    EventItem,
    Seed,
    StoredDeal,
    StoredEvents,
    StoredPlace,
    StoredPulse,
    Word,
)
from server.mixsessions.fields import Key, Level, Pan
from server.mixsessions.state import State, Value, existing, taken_away


def _limited(name: str) -> Any:
    low, high, _ = LIMITS[name]
    return Annotated[float, Field(ge=low, le=high, allow_inf_nan=False)]


class SetPulse(SetSome):
    """Sets some values of a pulse; the first change begins it. ``owner`` is the thing that it moves."""

    kind: Literal["set-pulse"] = "set-pulse"
    owner: Owner
    on: bool | None = None
    form: Word | None = None
    wave: Word | None = None
    unit: Word | None = None
    period: _limited("period") | None = None
    rate: _limited("rate") | None = None
    origin: _limited("origin") | None = None
    start_phase: _limited("start_phase") | None = None
    duty: _limited("duty") | None = None
    steps: list[Pan] | None = None
    seed: Seed | None = None
    glide: bool | None = None
    smooth: _limited("smooth") | None = None
    flip: bool | None = None
    depth: _limited("depth") | None = None
    offset: _limited("offset") | None = None
    constant_power: bool | None = None
    before_conversion: BeforeConversion | None = None
    _part: ClassVar[str] = "pulses"
    _which: ClassVar[str] = "owner"
    _prefix: ClassVar[str] = "pulse:"

    def check(self, value: Mapping[str, Any]) -> None:
        check_pulse(value)

    def apply(self, state: State) -> Operation:
        owner_name(state, self.owner)
        return _set_or_begun(self, super().apply, state, PULSE_DEFAULTS)

    def describe(self, state: State) -> str:
        fields = {name: value for name, value in self.changes().items() if name != "before_conversion"}
        words = ", ".join(_pulse_word(name, value) for name, value in fields.items())
        return f"{owner_name(state, self.owner)}, pulse: {words or 'nothing'}"


class RemovePulse(Operation):
    """Takes a pulse away."""

    kind: Literal["remove-pulse"] = "remove-pulse"
    owner: Owner

    def apply(self, state: State) -> Operation:
        before = existing(state, "pulses", self.owner)
        state.put("pulses", self.owner, None)
        return RestoreRhythm.model_validate({"pulses": {self.owner: before}})

    def touches(self) -> list[Touch]:
        return _pulse_touches(self.owner)

    def describe(self, state: State) -> str:
        return f"{owner_name(state, self.owner)}: pulse taken away"


class SetDeal(SetSome):
    """Sets some values of a deal, its places as a whole; the first change begins it."""

    kind: Literal["set-deal"] = "set-deal"
    source: Key
    on: bool | None = None
    order: Word | None = None
    seed: Seed | None = None
    sound: Word | None = None
    timbre: Word | None = None
    dry: Level | None = None
    places: Annotated[list[StoredPlace], Field(max_length=MOST_PLACES)] | None = None
    _part: ClassVar[str] = "deals"
    _which: ClassVar[str] = "source"
    _prefix: ClassVar[str] = "deal:"

    def check(self, value: Mapping[str, Any]) -> None:
        check_deal(value)

    def apply(self, state: State) -> Operation:
        existing(state, "sources", self.source)
        return _set_or_begun(self, super().apply, state, DEAL_DEFAULTS)

    def describe(self, state: State) -> str:
        words = ", ".join(_deal_word(name, value) for name, value in self.changes().items())
        return f"{existing(state, 'sources', self.source)['name']} dealt: {words or 'nothing'}"


class SetPlace(Operation):
    """Changes some values of one place of a deal."""

    kind: Literal["set-place"] = "set-place"
    source: Key
    place: Key
    values: Annotated[
        dict[Word, Annotated[float, Field(allow_inf_nan=False)] | None], Field(min_length=1, max_length=16)
    ]

    def apply(self, state: State) -> Operation:
        deal = existing(state, "deals", self.source)
        stored = next((place for place in deal["places"] if place["id"] == self.place), None)
        if stored is None:
            raise NeedleError("edit.deal_place_deleted")
        before = {**PLACE_VALUES, **stored}
        unknown = set(self.values) - (set(before) - {"id"})
        if unknown:
            raise NeedleError("edit.unknown_place_value", names=sorted(unknown))
        after = {**before, **self.values, "repeats": int(self.values.get("repeats") or before["repeats"])}
        places = checked_places([after if place is stored else place for place in deal["places"]])
        state.put("deals", self.source, {**deal, "places": places})
        return self.with_values(values={name: before[name] for name in self.values})

    def touches(self) -> list[Touch]:
        return [(f"deal:{self.source}.{self.place}.{name}", None, None) for name in self.values]

    def describe(self, state: State) -> str:
        words = ", ".join(
            f"{name} as the source" if value is None else describe_value(name, value)
            for name, value in self.values.items()
        )
        return f"{existing(state, 'sources', self.source)['name']}, a place of its deal: {words}"


class SetEvents(Operation):
    """Gives a source's part its events, the notes of a file or the onsets of its stem; none takes them away."""

    kind: Literal["set-events"] = "set-events"
    source: Key
    from_: Annotated[Literal["notes", "onsets"], Field(alias="from")] = "onsets"
    name: Annotated[str, Field(max_length=120)] = ""
    items: Annotated[list[EventItem], Field(max_length=MOST_EVENTS)]

    def apply(self, state: State) -> Operation:
        existing(state, "sources", self.source)
        before = state.get("events", self.source)
        after = {"id": self.source, "kind": self.from_, "name": self.name, "items": [list(i) for i in self.items]}
        check_events(after)
        state.put("events", self.source, after if self.items else None)
        was = before or {"kind": self.from_, "name": "", "items": []}
        body = {"source": self.source, "from": was["kind"], "name": was["name"], "items": was["items"]}
        return SetEvents.model_validate(body)

    def touches(self) -> list[Touch]:
        return [(f"events:{self.source}", None, None)]

    def describe(self, state: State) -> str:
        name = existing(state, "sources", self.source)["name"]
        return f"{name}: {len(self.items)} {self.from_} to deal" if self.items else f"{name}: nothing to deal"


class RestoreRhythm(Operation):
    """Puts whole pulses, deals and events as they were; with None they are taken away."""

    kind: Literal["restore-rhythm"] = "restore-rhythm"
    pulses: dict[Owner, StoredPulse | None] = {}
    deals: dict[Key, StoredDeal | None] = {}
    events: dict[Key, StoredEvents | None] = {}

    def apply(self, state: State) -> Operation:
        before: dict[str, dict[str, Any]] = {}
        for part in _PARTS:
            for key, value in getattr(self, part).items():
                owner_name(state, key)
                after = None if value is None else value.model_dump()
                if after is not None:
                    _CHECKS[part](after)
                before.setdefault(part, {})[key] = state.get(part, key)
                if after is not None or before[part][key] is not None:
                    state.put(part, key, after)
        return RestoreRhythm.model_validate(before)

    def touches(self) -> list[Touch]:
        return [
            *(touch for owner in self.pulses for touch in _pulse_touches(owner)),
            *((f"deal:{key}.{name}", None, None) for key in self.deals for name in DEAL_DEFAULTS),
            *((f"events:{key}", None, None) for key in self.events),
        ]

    def describe(self, state: State) -> str:
        return "Pulses and deals restored"


_PARTS = ("pulses", "deals", "events")
_CHECKS = {"pulses": check_pulse, "deals": check_deal, "events": check_events}


def without_rhythm(state: State, owners: Iterable[str]) -> RestoreRhythm | None:
    """Take away the pulses, deals and events of things that go; what puts them back, None if there were none."""
    back: dict[str, dict[str, Value]] = {}
    for owner in owners:
        for part in _PARTS if kind_and_id(owner)[0] == "source" else ("pulses",):
            result = taken_away(state, part, owner)
            if result is not None:
                back.setdefault(part, {})[owner] = result
    return RestoreRhythm.model_validate(back) if back else None


def without_moves(state: State, owners: Iterable[str]) -> list[Operation]:
    """Take away all that moves things that go: lanes, pulses, deals; what puts them back."""
    owners = list(owners)
    return [back for back in (without_lanes(state, owners), without_rhythm(state, owners)) if back is not None]


def _set_or_begun(operation: SetSome, apply: Any, state: State, at_first: Value) -> Operation:
    """Set some values of a thing that begins with the first change; what takes the change back."""
    part, key = operation._part, operation._key
    if state.get(part, key) is not None:
        return apply(state)
    after = {"id": key, **at_first, **operation.changes()}
    operation.check(after)
    state.put(part, key, after)
    return RestoreRhythm.model_validate({part: {key: None}})


def _pulse_touches(owner: str) -> list[Touch]:
    return [(f"pulse:{owner}.{name}", None, None) for name in PULSE_DEFAULTS]


_PULSE_WORDS = {"on": ("on", "off"), "flip": ("flipped", "flipped back"), "glide": ("gliding", "held"),
                "constant_power": ("even power", "power not evened")}  # fmt: skip


def _pulse_word(name: str, value: Any) -> str:
    if name in _PULSE_WORDS:
        return _PULSE_WORDS[name][0 if value else 1]
    if name in ("depth", "smooth", "duty"):
        return f"{name} {value:.0%}"
    units = {"period": "beats", "rate": "Hz", "offset": "°", "origin": "beats"}
    if name in units:
        return f"{'sides' if name == 'offset' else name} {value:g}{'' if name == 'offset' else ' '}{units[name]}"
    if name == "steps":
        return f"{len(value)} drawn steps"
    return f"{value}" if name == "wave" else f"{name} {value:g}" if isinstance(value, float) else f"{name} {value}"


def _deal_word(name: str, value: Any) -> str:
    if name == "on":
        return "on" if value else "off"
    if name == "places":
        return f"{len(value)} places"
    return f"dry {level_words(value)}" if name == "dry" else f"{name} {value}".replace("-", " ")


class FreezeSource(SetSome):
    """Keeps what a source sounds like as audio, so that it costs no work; without a ``frozen_asset`` it thaws."""

    kind: Literal["freeze-source"] = "freeze-source"
    source: Key
    frozen_asset: Annotated[str, Field(pattern=r"^([0-9a-f]{64})?$")]
    frozen_fingerprint: Annotated[str, Field(max_length=64, pattern=r"^[0-9a-f]*$")] = ""
    _part: ClassVar[str] = "sources"
    _which: ClassVar[str] = "source"

    def describe(self, state: State) -> str:
        return f"{existing(state, 'sources', self.source)['name']} {'frozen' if self.frozen_asset else 'thawed'}"


_STILL_SET = {
    "level",
    "trim",
    "muted",
    "name",
    "colour",
    "order",
    "group",
    "direct_muted",
    "frozen_asset",
    "frozen_fingerprint",
}
"""What can be changed of a frozen source."""

_BODILY = ("add-source", "remove-source", "freeze-source")


def check_thawed(state: State, operation: Operation) -> None:
    """NeedleError if an operation changes what a frozen source is made of: its sound would stay as it was."""
    for part in operation.parts():
        if part.kind in _BODILY:
            continue
        for name, _, _ in part.touches():
            source = _made_of(name)
            result = state.get("sources", source) if source and source not in part.whole_sources() else None
            if result is not None and result.get("frozen_asset"):
                raise NeedleError("edit.frozen", name=result["name"])


def _made_of(touch: str) -> str:
    """The source whose own sound a touched thing is part of; empty if it is of none, or can be set all the same."""
    kind, colon, rest = touch.partition(":")
    if kind == "route":
        return rest.partition("/")[0]
    if colon:
        return rest.partition(".")[0] if kind in ("pulse", "deal", "events") and ":" not in rest else ""
    if "/" in touch:
        source, _, parameter = touch.partition("/")
        return "" if parameter.partition(".")[0] in _STILL_SET else source
    source, _, field = touch.partition(".")
    return "" if field in _STILL_SET else source
