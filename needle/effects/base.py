"""What every effect is: its settings with their limits, how far it reaches, and what it does to two sides.

An effect has no state. Asked for the frames of a stretch it is given those frames and as many before and after as it
says it reaches, so that any division of a piece gives the same samples.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.errors import NeedleError
from needle.tempo import TempoMap

Audio = NDArray[np.float32]
Settings = Mapping[str, Any]


@dataclass(frozen=True)
class Setting:
    """One number of an effect, or a choice of words where there are ``choices``."""

    name: str
    title: str
    low: float = 0.0
    high: float = 1.0
    default: Any = 0.0
    unit: str = ""
    step: float = 0.01
    choices: tuple[str, ...] = ()

    def checked(self, value: Any) -> Any:
        """``value`` if it is allowed; NeedleError says what is."""
        if self.choices:
            if value not in self.choices:
                raise NeedleError("effect.unknown_choice", title=self.title, value=value, choices=self.choices)
            return value
        number = isinstance(value, int | float) and not isinstance(value, bool)
        if not (number and np.isfinite(value) and self.low <= value <= self.high):
            raise NeedleError(
                "effect.out_of_range", title=self.title, low=self.low, high=self.high, unit=self.unit, value=value
            )
        return float(value)


_EVEN = TempoMap()


@dataclass(frozen=True)
class Around:
    """What an effect knows of the session: ``rate`` in Hz, and where the beats fall."""

    rate: int
    tempo: TempoMap = _EVEN


Reach = Callable[[Settings, Around], tuple[int, int]]
Process = Callable[[Audio, int, Settings, Around], Audio]
Response = Callable[[Settings, Around], Audio]
Tail = Callable[[Settings, Around], int]


@dataclass(frozen=True)
class Effect:
    """A kind of effect: one that never changes is told by its ``response``, any other by ``process``.

    ``response(settings, around)``: (2 outputs, 2 inputs, taps), and ``taps(settings, around)`` how many.
    ``reach(settings, around)``: frames before and after a stretch that ``process`` reads. ``process(audio, begins,
    settings, around)``: from ``audio`` (2, frames), whose first frame is ``begins`` of the session, all frames but
    those it reaches before the first and after the last.
    ``tail(settings, around)``: frames for which it is still heard after its input has ended. ``linear``: what
    comes of several sources together is the sum of what comes of each.
    """

    name: str
    title: str
    sentence: str
    settings: tuple[Setting, ...]
    response: Response | None = None
    taps: Tail = lambda _settings, _around: 0
    reach: Reach = lambda _settings, _around: (0, 0)
    process: Process = lambda audio, _begins, _settings, _around: audio
    tail: Tail = lambda _settings, _around: 0
    linear: bool = True

    def defaults(self) -> dict[str, Any]:
        """Every setting as it is at first."""
        return {setting.name: setting.default for setting in self.settings}

    def checked(self, given: Settings) -> dict[str, Any]:
        """Every setting, those that are not ``given`` as at first; NeedleError for one that is not allowed."""
        known = {setting.name for setting in self.settings}
        unknown = sorted(set(given) - known)
        if unknown:
            raise NeedleError("effect.unknown_setting", title=self.title, unknown=unknown[0], choices=sorted(known))
        return {s.name: s.checked(given.get(s.name, s.default)) for s in self.settings}
