"""A return's ordered list of effects: checked, asked how far it reaches, and run. New effects are registered here."""

import itertools
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import scipy

from needle.effects.base import Around, Audio, Effect
from needle.effects.chorus import CHORUS
from needle.effects.drive import DRIVE
from needle.effects.echo import ECHO
from needle.effects.filters import HIGH_PASS, LOW_PASS
from needle.effects.room import EARLY_ROOM, ROOM, response_taps
from needle.errors import NeedleError

EFFECTS: dict[str, Effect] = {effect.name: effect for effect in (ROOM, ECHO, CHORUS, DRIVE, HIGH_PASS, LOW_PASS)}
"""Every kind of effect by name, in the order in which they are offered."""

MOST_EFFECTS = 12


def effect_named(name: str) -> Effect:
    """The effect of that name; NeedleError lists the names if there is none."""
    try:
        return EFFECTS[name]
    except KeyError:
        raise NeedleError("effect.unknown", name=name, choices=EFFECTS) from None


def with_settings(stored: Mapping[str, Any]) -> dict[str, Any]:
    """A stored effect with every setting that it leaves out as at first; one of an unknown kind as it is."""
    effect = EFFECTS.get(stored.get("kind", ""))
    at_first = {setting.name: setting.default for setting in effect.settings} if effect else {}
    settings = stored.get("settings", {})
    return {"on": True, **stored, "settings": {**at_first, **settings} if isinstance(settings, Mapping) else settings}


def checked_effects(stored: Iterable[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """A list of effects as it is stored, every setting in place; NeedleError says what is not allowed.

    Each has an ``id`` that is its own in the list, a ``kind``, whether it is ``on``, and its ``settings``.
    """
    result = []
    for row in stored:
        effect = effect_named(row["kind"])
        settings = effect.checked(row.get("settings", {}))
        result.append({"id": str(row["id"]), "kind": effect.name, "on": bool(row["on"]), "settings": settings})
    if len(result) > MOST_EFFECTS:
        raise NeedleError("effect.too_many", most=MOST_EFFECTS)
    if len({row["id"] for row in result}) < len(result):
        raise NeedleError("effect.duplicate")
    return result


@dataclass(frozen=True)
class Step:
    """What runs in one go: one effect with a process of its own, or several in a row that are responses.

    ``links`` are the effects with their settings; ``key`` says all that its sound depends on but the session.
    """

    links: tuple[tuple[Effect, Mapping[str, Any]], ...]

    @property
    def responds(self) -> bool:
        """Whether it is a response to be convolved with."""
        return self.links[0][0].response is not None

    @cached_property
    def key(self) -> str:
        return json.dumps([[effect.name, dict(settings)] for effect, settings in self.links], sort_keys=True)

    def taps(self, around: Around) -> int:
        """The length of its response (frames)."""
        return 1 + sum(effect.taps(settings, around) - 1 for effect, settings in self.links)

    def response(self, around: Around) -> Audio:
        """Its response, float32 (2 outputs, 2 inputs, taps)."""
        combined: Audio | None = None
        for effect, settings in self.links:
            assert effect.response is not None
            own = effect.response(settings, around)
            combined = own if combined is None else _join_responses(combined, own)
        assert combined is not None
        return combined

    def reach(self, around: Around) -> tuple[int, int]:
        """Frames before and after a stretch that it reads."""
        if self.responds:
            return self.taps(around) - 1, 0
        effect, settings = self.links[0]
        return effect.reach(settings, around)

    def process(self, audio: Audio, begins: int, around: Around) -> Audio:
        """``audio`` (2, frames) from frame ``begins`` on through its effect; the reach is used up."""
        effect, settings = self.links[0]
        return effect.process(audio, begins, settings, around)


@dataclass(frozen=True)
class Chain:
    """Effects in order, each with its settings; those that are off are left out."""

    links: tuple[tuple[Effect, Mapping[str, Any]], ...] = ()

    @classmethod
    def of(cls, stored: Iterable[Mapping[str, Any]]) -> "Chain":
        return cls(tuple((effect_named(row["kind"]), row["settings"]) for row in stored if row["on"]))

    @property
    def has_room(self) -> bool:
        """Whether there is a room in it, whose tail can be diffuse."""
        return any(effect is ROOM for effect, _ in self.links)

    @property
    def with_early_rooms(self) -> "Chain":
        """The same with only the early reflections of its rooms."""
        return Chain(tuple((EARLY_ROOM if effect is ROOM else effect, settings) for effect, settings in self.links))

    def split_at_room(self) -> "tuple[Chain, Mapping[str, Any], Chain]":
        """The chain before its last room, that room's settings, and the chain after it."""
        index = max(index for index, (effect, _) in enumerate(self.links) if effect is ROOM)
        return Chain(self.links[:index]), self.links[index][1], Chain(self.links[index + 1 :])

    def diffuse_reach(self, around: Around) -> tuple[int, int]:
        """The same as ``reach`` where the last room has diffuse responses."""
        before, settings, after = self.split_at_room()
        room = response_taps(settings, around.rate) - 1, 0
        past, ahead = zip(before.reach(around), room, after.reach(around), strict=True)
        return sum(past), sum(ahead)

    def reach(self, around: Around) -> tuple[int, int]:
        """Frames before and after a stretch that the whole chain reads."""
        reaches = [step.reach(around) for step in self.steps]
        return sum(past for past, _ in reaches), sum(ahead for _, ahead in reaches)

    def tail(self, around: Around) -> int:
        """Frames for which it goes on sounding after its input has ended."""
        return sum(effect.tail(settings, around) for effect, settings in self.links)

    @property
    def linear(self) -> bool:
        """Whether several sources together come out as the sum of each by itself."""
        return all(effect.linear for effect, _ in self.links)

    @cached_property
    def key(self) -> str:
        """What its sound depends on, as text."""
        return json.dumps([[effect.name, dict(settings)] for effect, settings in self.links], sort_keys=True)

    @cached_property
    def steps(self) -> tuple[Step, ...]:
        """Its effects in as few steps as they take."""
        steps: list[Step] = []
        for responds, group in itertools.groupby(self.links, key=lambda link: link[0].response is not None):
            links = tuple(group)
            steps += [Step(links)] if responds else [Step((link,)) for link in links]
        return tuple(steps)


def _join_responses(first: Audio, then: Audio) -> Audio:
    """One response (2, 2, taps) for two in a row."""
    result = np.zeros((2, 2, first.shape[-1] + then.shape[-1] - 1), dtype=np.float32)
    for output in (0, 1):
        for source in (0, 1):
            for between in (0, 1):
                first_response, then_response = first[between, source], then[output, between]
                if first_response.any() and then_response.any():
                    result[output, source] += scipy.signal.fftconvolve(first_response, then_response)
    return result
