"""Batches: elements of a mix that differ only in numbers and moves, so that the gains of all are worked out at once.

A view of a batch stands for one element wherever gains are worked out: it has that element's attributes, but each
number is an array, of the member that every moment belongs to.
"""

from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import fields
from functools import cache, cached_property
from operator import attrgetter
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Lane, LaneTable, Values
from needle.automation.parameters import PARAMETERS, defaults_of
from needle.autopan.pulse import Pulsing
from needle.mix.model import MixLayer, MixReturn, MixSend, MixSource

Members = NDArray[np.int64]
Element = MixSource | MixSend | MixLayer | MixReturn

_NUMBERS = ("gain", "shift", "group_level", "room_rotation")
"""What else differs from member to member as a plain number."""

_APART = {
    *(
        "id",
        "audio",
        "asset",
        "first_channel",
        "offset",
        "muted",
        "lanes",
        "sends",
        "pulse",
        "group_pulse",
        "deal",
        "place",
    ),
    *("frozen", "frozen_fingerprint", "layers", "direct_muted", "chain"),
    *_NUMBERS,
}
"""What a placement's gains do not depend on, or what may differ between the members of a batch."""

_COSTLY = ("spread", "centre_level", "width", "width_left", "width_right")
"""What costs work only where it is used."""


def kind_of(element: Element) -> Hashable:
    """What two elements must have in common to be in one batch."""
    kind: Any = type(element)
    common, costly = _kind_names(kind)
    used = tuple(n in element.lanes or getattr(element, n) != default for n, default in costly)
    alike = common(element), _form(getattr(element, "pulse", None)), used
    if isinstance(element, MixSource):
        return alike, element.channels, _form(element.group_pulse)
    return alike


@cache
def _kind_names(kind: Any) -> tuple[Callable[[Element], Hashable], tuple[tuple[str, float], ...]]:
    """What reads all that the elements of a batch have in common, and their costly values with their defaults."""
    apart = _APART - {"place"} if kind is MixSend else _APART
    names = [field.name for field in fields(kind) if field.name not in PARAMETERS and field.name not in apart]
    defaults = defaults_of(kind.__name__.removeprefix("Mix").lower())
    costly = tuple((name, defaults[name]) for name in _COSTLY if name in defaults)
    return attrgetter(*names, "__class__"), costly


def _form(pulse: Pulsing | None) -> str:
    return pulse.pulse.form if pulse else ""


class Batch:
    """Elements of one kind (``kind_of``), whose values are told together."""

    def __init__(self, elements: Sequence[Element]) -> None:
        self.elements = tuple(elements)
        self.first = self.elements[0]
        names = [field.name for field in fields(self.first) if field.name in PARAMETERS or field.name in _NUMBERS]
        self._numbers = {name: np.array([getattr(element, name) for element in self.elements]) for name in names}
        self._common = {name: values[:1] for name, values in self._numbers.items() if (values == values[0]).all()}
        lanes = [(name, i, lane) for i, element in enumerate(self.elements) for name, lane in element.lanes.items()]
        self._table = LaneTable([lane for _, _, lane in lanes])
        self._lane_of: dict[str, Members] = {}
        for place, (name, member, _) in enumerate(lanes):
            self._lane_of.setdefault(name, np.full(len(self.elements), -1))[member] = place

    def at(self, members: Members) -> Any:
        """A view of the batch at moments that belong to ``members`` (moments,), in whatever order."""
        return _View(self, members)

    def number(self, name: str, members: Members) -> Values:
        """A number of each member, or told once where all have the same."""
        common = self._common.get(name)
        return self._numbers[name][members] if common is None else common

    def value(self, name: str, members: Members, times: Values) -> Values:
        """A number of each member at each time (s), by its lane where it has one."""
        lane_of = self._lane_of.get(name)
        if lane_of is None:
            return self.number(name, members)
        lanes = lane_of[members]
        if (lane_of >= 0).all():
            return self._table.evaluate(lanes, times)
        values = self._numbers[name][members]
        follows = lanes >= 0
        values[follows] = self._table.evaluate(lanes[follows], times[follows])
        return values


class _View:
    """A batch at some moments, in place of one of its members."""

    def __init__(self, batch: Batch, members: Members) -> None:
        self._batch, self._members = batch, members

    def value(self, name: str, times: Values) -> Values:
        return self._batch.value(name, self._members, times)

    @property
    def gain(self) -> Values:
        return self._batch.number("gain", self._members)

    @property
    def shift(self) -> Values:
        return self._batch.number("shift", self._members)

    @cached_property
    def pulse(self) -> "_Pulses | None":
        return self._pulses("pulse")

    @cached_property
    def group_pulse(self) -> "_Pulses | None":
        return self._pulses("group_pulse")

    @property
    def pulses(self) -> "tuple[_Pulses, ...]":
        return tuple(pulse for pulse in (self.pulse, self.group_pulse) if pulse is not None)

    def _pulses(self, name: str) -> "_Pulses | None":
        pulses = [pulse for element in self._batch.elements if (pulse := getattr(element, name, None)) is not None]
        return _Pulses(pulses, self._members) if pulses else None

    def __getattr__(self, name: str) -> Any:
        # All else is the same for every member, or else they would not be of one kind.
        if name in self._batch._numbers:
            raise AttributeError(f"{name} differs between the members of a batch: ask for its value at a time.")
        return getattr(self._batch.first, name)


class _Pulses:
    """The pulses of a batch's members, all of one form, at moments that belong to some of them."""

    def __init__(self, pulses: Iterable[Pulsing], members: Members) -> None:
        self._pulses = list(pulses)
        self._moments = [(m, np.flatnonzero(members == m)) for m in range(len(self._pulses))]

    def sides(self, times: Values) -> Values | None:
        return self._each(lambda pulse, t: pulse.sides(t), times)

    def shift(self, times: Values) -> Values | None:
        return self._each(lambda pulse, t: pulse.shift(t), times)

    def turn(self, times: Values) -> Values | None:
        return self._each(lambda pulse, t: pulse.turn(t), times)

    def _each(self, ask: Callable[[Pulsing, Values], Values | None], times: Values) -> Values | None:
        result: Values | None = None
        for member, moments in self._moments:
            if not moments.size:
                continue
            part = ask(self._pulses[member], times[moments])
            if part is None:
                return None
            if result is None:
                result = np.empty((*part.shape[:-1], len(times)))
            result[..., moments] = part
        return result


def corners_of(elements: Iterable[Iterable[Lane]]) -> tuple[Members, Values]:
    """Where the lanes of each element may bend (s): those of element k from starts[k] up to starts[k + 1]."""
    each = [_corners([lane.corners for lane in lanes]) for lanes in elements]
    starts = np.cumsum([0, *map(len, each)], dtype=np.int64)
    return starts, np.concatenate([np.zeros(0), *each])


def _corners(of_lanes: list[Values]) -> Values:
    if len(of_lanes) == 1:
        return of_lanes[0]
    return np.unique(np.concatenate([np.zeros(0), *of_lanes]))
