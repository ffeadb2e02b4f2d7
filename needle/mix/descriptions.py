"""What moves depend on between two times, as text: what caches go by."""

from collections.abc import Iterable, Mapping

from needle.automation.curve import Lane
from needle.autopan.pulse import Pulsing


def lanes_text(lanes: Mapping[str, Lane], low: float, high: float) -> str:
    """The points that decide lanes' values between two times (s), as text."""
    return " ".join(f"{name} {lane.text_between(low, high)}" for name, lane in sorted(lanes.items()))


def pulses_text(pulses: Iterable[Pulsing | None], low: float, high: float) -> str:
    """What pulses depend on between two times (s), as text."""
    return " ".join(pulse.text_between(low, high) for pulse in pulses if pulse is not None)
