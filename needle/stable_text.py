"""Texts for fingerprints that outlast a change of names: what was frozen before a field was renamed stays frozen.

A fingerprint is a hash of such texts, and it is stored with what was frozen. So the texts keep the labels that they
had when the first of them was stored, whatever a field is called today.
"""

from dataclasses import Field, fields
from types import MappingProxyType
from typing import Any

NEW = MappingProxyType({"new": True})
"""The metadata of a field that came after texts were stored: it is told only where it is not as it is at first."""

LABELS = {
    "first_channel": "first",
    "swap_channels": "exchange",
    "delay_panning": "timing",
    "delay_panning_ms": "timing_ms",
    "level_share": "timing_share",
    "centre_level": "centre",
    "start_phase": "start",
    "constant_power": "even_power",
    "low_pass": "tone",
    "repeat_interval": "repeat",
    "repeats": "times",
    "previous": "before",
}
"""The labels in stored fingerprints of names that have changed since."""


def label(name: str) -> str:
    """The label of a field, a parameter or an input in fingerprints."""
    return LABELS.get(name, name)


def is_stored(value: Any, field: "Field[Any]") -> bool:
    """Whether a field is written out: a new one only where it is not as it is at first."""
    return not ("new" in field.metadata and getattr(value, field.name) == field.default)


def stable_text(value: Any, title: str) -> str:
    """A dataclass as text: ``title(label=value, …)``, as ``repr`` writes it, under stable labels.

    >>> from needle.dealing.deal import Place
    >>> stable_text(Place("p", low_pass=800.0), "Place")[:44]
    "Place(id='p', pan=0.0, level=0.0, tone=800.0"
    """
    written = (f for f in fields(value) if f.repr and is_stored(value, f))
    pairs = ((label(f.name), getattr(value, f.name)) for f in written)
    return f"{title}({', '.join(f'{name}={item!r}' for name, item in pairs)})"
