"""What arrives late: a source placed by timing, and its double, each channel as it reaches the left and the right."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from needle.automation.curve import Values
from needle.dsp.fractional_delay import REACH, delay_channel, timing_of
from needle.mix.model import BLOCK, MixSource
from needle.render.plan import Run, Spans, StageOutput, widen_spans
from needle.render.source_gains import values_at

Audio = NDArray[np.float32]

DELAY_STEP = 16
"""Samples from one to the next at which a moving delay is evaluated; a block is a whole number of them.

In between it is linear: for 8 ms swept at 2 Hz off by less than 1e-4 of a wave of 10 kHz, or -65 dB.
"""


@dataclass(frozen=True)
class LateStage:
    """A source before its placement (``before``), later: where timing places it, and then its double.

    Each, as far as it is there, is 2 × the source's channels: what reaches the left, then what reaches the right.
    """

    before: StageOutput
    source: MixSource
    rate: int
    read_at_once: bool = False

    @property
    def channels(self) -> int:
        return 2 * self.source.channels * ((self.source.delay_panning != "off") + self.source.double)

    @cached_property
    def spans(self) -> Spans:
        return widen_spans(self.before.spans, 0, self.source.longest_delay(self.rate))

    def render(self, run: Run, start: int, stop: int) -> Audio:
        first, last = start // BLOCK * BLOCK, -(-stop // BLOCK) * BLOCK
        begins = first - self.source.longest_delay(self.rate)
        sound = run.output(self.before.index, begins, last + REACH + BLOCK)
        edges = self._edges(first, last)
        late = [edges] if self.source.delay_panning != "off" else []
        if self.source.double:
            late.append(edges[::-1] + self.source.double_ms / 1000.0 * self.rate)
        out = np.empty((self.channels, last - first), np.float32)
        rows = [(channel, row) for part in late for side in part for channel, row in zip(sound, side, strict=True)]
        for row, (channel, delays) in enumerate(rows):
            out[row] = delay_channel(channel, begins, delays, first, DELAY_STEP)
        return out[:, start - first : stop - first]

    def _edges(self, first: int, last: int) -> Values:
        """How late (samples) each channel is at either side, at each ``DELAY_STEP``-th one: (2, channels, edges)."""
        source = self.source
        timing = timing_of(source.delay_panning, source.delay_panning_ms, source.level_share)
        frames = np.arange(first, last + 1, DELAY_STEP)
        if timing is None:
            return np.zeros((2, source.channels, len(frames)))
        times = frames / self.rate
        positions = source.panning.positions(values_at(source, times), source.channels)
        return np.broadcast_to(timing.delays(positions) * self.rate, (2, source.channels, len(frames)))
