"""A bus: sounds added up, each through its gains."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from needle.dsp.kernels.mixing import add_ramped, add_scaled
from needle.mix.model import BLOCK
from needle.render.gain_envelopes import envelopes
from needle.render.plan import InputGroup, Recorded, Run, Sound, Spans, merge_spans, overlap

Audio = NDArray[np.float32]

_SAMPLES_AT_ONCE = 1 << 18
"""Samples of all channels mixed at a time: few enough for what is added up to stay in the processor's cache."""


@dataclass(frozen=True)
class Bus:
    """Groups of sounds through their gains to ``channels``."""

    channels: int
    groups: tuple[InputGroup, ...]
    read_at_once: bool = False

    @cached_property
    def spans(self) -> Spans:
        return merge_spans(span for group in self.groups for sound in group.sounds for span in sound.spans)

    def render(self, run: Run, start: int, stop: int) -> Audio:
        """The sum from frame ``start`` to ``stop``: float32 (channels, stop - start)."""
        first, last = start // BLOCK, -(-stop // BLOCK)
        out = np.zeros((self.channels, max(last - first, 0), BLOCK), np.float32)
        sounds = [_read_at_once(run, group, first * BLOCK, last * BLOCK) for group in self.groups]
        stretch = max(_SAMPLES_AT_ONCE // (BLOCK * self.channels), 64)
        for low in range(first, last, stretch):
            high = min(low + stretch, last)
            for group, group_sounds in zip(self.groups, sounds, strict=True):
                _add(run, group, group_sounds, low, high, low - first, out)
        offset = start - first * BLOCK
        return out.reshape(self.channels, -1)[:, offset : offset + stop - start]


def _read_at_once(run: Run, group: InputGroup, start: int, stop: int) -> list[Sound]:
    """The group's sounds, those that are to be read at once already read."""
    return [
        Recorded(run.output(sound.index, start, stop), start)
        if not isinstance(sound, Recorded) and sound.read_at_once and overlap(sound.spans, start, stop)
        else sound
        for sound in group.sounds
    ]


def _add(run: Run, group: InputGroup, sounds: list[Sound], first: int, last: int, at: int, out: Audio) -> None:
    """Add the group from block ``first`` to ``last`` to ``out`` (channels, blocks, BLOCK), from block ``at`` on."""
    start, stop = first * BLOCK, last * BLOCK
    active = [member for member, sound in enumerate(sounds) if overlap(sound.spans, start, stop)]
    if not active:
        return
    if group.gains is None:
        for member in active:
            samples = _samples(run, sounds[member], start, stop)
            for channel, channel_gains in zip(samples, group.standing[member].T, strict=True):
                add_scaled(channel, channel_gains, at, out)
        return
    gains = envelopes(group.gains, np.array(active), run.plan.rate, first, last)
    for place, member in enumerate(active):
        samples = _samples(run, sounds[member], start, stop)
        rows = zip(samples, *(each.swapaxes(0, 1) for each in (gains.start, gains.rise, gains.exact)), strict=True)
        for channel, begins, rises, exact in rows:
            add_ramped(channel, begins[:, place], rises[:, place], gains.exact_of[place], exact, at, out)


def _samples(run: Run, sound: Sound, start: int, stop: int) -> Audio:
    if isinstance(sound, Recorded):
        return sound.read(start, stop)
    return np.ascontiguousarray(run.output(sound.index, start, stop))
