"""Pulses to begin with, named by how they feel; each is made of open parameters that can be changed further."""

from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Preset:
    """A name, what it feels like, and the values of a pulse that differ from a fresh one's."""

    name: str
    title: str
    sentence: str
    values: dict[str, Any]


PRESETS = {
    preset.name: preset
    for preset in (
        Preset("slow-tide", "Slow tide", "Two bars across and back, hardly noticed.",
               {"form": "place", "wave": "sine", "period": 16.0, "depth": 0.4}),
        Preset("oar-stroke", "Oar stroke", "Leans into each side for half a bar.",
               {"form": "place", "wave": "triangle", "period": 4.0, "depth": 0.7, "smooth": 0.2}),
        Preset("side-to-side", "Side to side", "A side a beat, clearly cut.",
               {"wave": "square", "period": 2.0, "offset": 180.0, "smooth": 0.06}),
        Preset("lantern-swing", "Lantern swing", "Swings over once a bar, held at equal power.",
               {"wave": "sine", "period": 4.0, "offset": 180.0, "depth": 0.8, "constant_power": True}),
        Preset("engine-beat", "Engine beat", "Both sides push on every beat and fall away.",
               {"wave": "falling", "period": 1.0, "offset": 0.0, "depth": 0.75}),
        Preset("off-the-beat", "Off the beat", "Silent on the beats, full between them.",
               {"wave": "square", "period": 1.0, "offset": 0.0, "flip": True, "smooth": 0.05}),
        Preset("eddy", "Eddy", "Swirls round: the right a quarter of a cycle ahead.",
               {"wave": "sine", "period": 2.0, "offset": 90.0, "depth": 0.8}),
        Preset("moth", "Moth", "A quick flutter about its place.",
               {"form": "place", "wave": "chance", "period": 0.25, "depth": 0.35, "glide": True}),
        Preset("broken-light", "Broken light", "Another strength on every eighth, the sides against each other.",
               {"wave": "chance", "period": 0.5, "offset": 180.0, "smooth": 0.1}),
        Preset("knots", "Knots", "A drawn rhythm of eight steps over a bar, the sides by turns.",
               {"wave": "steps", "period": 4.0, "offset": 180.0, "smooth": 0.02,
                "steps": (1.0, -1.0, 1.0, 1.0, -1.0, 1.0, -1.0, -1.0)}),
    )
}  # fmt: skip
"""Every preset by name."""
