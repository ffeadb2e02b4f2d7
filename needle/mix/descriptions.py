"""What moves depend on between two times, as text: what caches go by."""

from collections.abc import Iterable, Mapping

from needle.automation.curve import Lane
from needle.autopan.pulse import Pulsing
from needle.stable_text import label


def lanes_text(lanes: Mapping[str, Lane], low: float, high: float) -> str:
    """The points that decide lanes' values between two times (s), as text."""
    texts = sorted((label(name), lane.text_between(low, high)) for name, lane in lanes.items())
    return " ".join(f"{name} {text}" for name, text in texts)


def pulses_text(pulses: Iterable[Pulsing | None], low: float, high: float) -> str:
    """What pulses depend on between two times (s), as text."""
    return " ".join(pulse.text_between(low, high) for pulse in pulses if pulse is not None)
