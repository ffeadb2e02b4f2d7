"""Trials: a mix with some sources louder, softer or elsewhere, to be heard and measured before anybody applies it."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from needle.automation.parameters import PARAMETERS
from needle.dsp.pan_modes import MODES
from needle.errors import NeedleError
from needle.mix.model import Mix, MixSource


@dataclass(frozen=True)
class Change:
    """``level`` (dB) and ``place`` (-1…1) are added to a source's own, lanes bodily, each within its limits."""

    source: str
    level: float = 0.0
    place: float = 0.0


def place_parameters(mode: str) -> list[str]:
    """The parameters that shifting a source of that mode to a side moves."""
    return [name for name in MODES[mode].parameters if PARAMETERS[name].place]


def shifted(source: MixSource, parameter: str, by: float) -> MixSource:
    """The source with something added to one parameter: to its points, or to its static value if it has none."""
    if not by:
        return source
    limits = PARAMETERS[parameter]
    lane = source.lanes.get(parameter)
    if lane is None:
        value: dict[str, Any] = {parameter: limits.limited(getattr(source, parameter) + by)}
        return replace(source, **value)
    return replace(source, lanes={**source.lanes, parameter: lane.shifted(by, limits.low, limits.high)})


def changed(source: MixSource, change: Change) -> MixSource:
    """The source as it would be."""
    result = shifted(source, "level", change.level)
    for parameter in place_parameters(source.mode):
        result = shifted(result, parameter, change.place)
    return result


def tried(mix: Mix, changes: Iterable[Change]) -> Mix:
    """The mix as it would be. NeedleError for a source that is not there."""
    wanted = {change.source: change for change in changes}
    missing = set(wanted) - {source.id for source in mix.sources}
    if missing:
        raise NeedleError("balance.changed_source_removed")
    if not wanted:
        return mix
    return replace(mix, sources=tuple(changed(s, wanted[s.id]) if s.id in wanted else s for s in mix.sources))
