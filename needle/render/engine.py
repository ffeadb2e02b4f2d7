"""The engine: samples of a mix between two frames, the same whoever asks and however the piece is cut.

Gains are evaluated on a grid of ``BLOCK`` samples that is fixed to the session's first frame, and are
linear in between. Blocks in which a lane bends too much for that (a point, a jump's ramp, a very quick
move) are evaluated at every sample, so that the result stays within -80 dB of full evaluation.
"""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.dsp.pan_modes import SIDE_BANDS
from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import BLOCK, Mix
from needle.mix.monitors import MONITORS
from needle.render.buses import layer_input, return_input
from needle.render.gain_envelopes import GainEnvelope
from needle.render.inputs import Input, before_placement, direct_inputs, lfe_input
from needle.render.lfe_filter import low_passed, past_frames
from needle.render.source_gains import SIDE_ROWS, two_sided
from needle.units import db_to_gain

_STRETCH = 384
"""Blocks mixed at a time: few enough for the samples of many sources to stay in the cache."""

_SLOPE = np.arange(BLOCK, dtype=np.float32) / BLOCK


def render_audio(
    mix: Mix, start: int, stop: int, listening: Listening = EVERYTHING, keep: bool = True
) -> NDArray[np.float32]:
    """The mix from frame ``start`` to ``stop``: float32 (channels of its layout, stop - start).

    A stereo mix comes as the one who listens hears it; of a room all channels come, whatever the way of listening
    (``needle.mix.monitors.to_ears``).

    Frames before 0 and after the end of the sources and their tails are silent. Any division of a stretch into
    calls gives the same samples. Without ``keep`` what comes out of returns is not kept for later calls.
    """
    first, last = start // BLOCK * BLOCK, -(-stop // BLOCK) * BLOCK

    def render(feeds: list[Input], outputs: int, low: int, high: int) -> NDArray[np.float32]:
        return _sum(feeds, outputs, mix.rate, low, high)

    direct = [
        source
        for source in listening.direct(mix)
        if source.sounds_between(first, last, source.longest_delay(mix.rate))
    ]
    feeds = [feed for source in direct for feed in direct_inputs(mix, source, first, last, render)]
    through = [layer_input(mix, *one, first, last, render, keep) for one in listening.layered(mix)]
    through += [return_input(mix, one, listening.sent(mix, one), first, last, render, keep) for one in mix.returns]
    feeds += [feed for feed in through if feed is not None]
    audio = _sum(feeds, mix.outputs, mix.rate, start, stop)
    if mix.room.lfe is not None:
        _add_lfe(mix, listening, audio, start, stop)
    if not mix.room.surround and listening.monitor in MONITORS and listening.monitor != "stereo":
        audio = MONITORS[listening.monitor].matrix @ audio
    return audio * np.float32(db_to_gain(listening.trim)) if listening.trim else audio


def _add_lfe(mix: Mix, listening: Listening, audio: NDArray[np.float32], start: int, stop: int) -> None:
    """Add what sources send to the low-frequency channel, through its filter."""
    past = past_frames(mix.rate)
    # What was frozen has its own already.
    sending = [s for s in listening.direct(mix) if s.to_lfe and s.frozen is None]
    feeds = [lfe_input(source) for source in sending if source.sounds_between(start - past, stop)]
    if feeds:
        audio[mix.room.lfe] += low_passed(_sum(feeds, 1, mix.rate, start - past, stop), mix.rate)[0]


def render_before_placement(
    mix: Mix, source_id: str, start: int, stop: int, with_level: bool = True, for_hand: bool = False
) -> NDArray[np.float32]:
    """One source after gain, level, width, exchange and polarity, before its place: float32 (its channels, frames).

    ``for_hand``: two channels for each side that has a width, and twice as many if something pulses after its place
    (``needle.render.inputs``).

    Without ``with_level`` its level and trim are left out, for a hand that holds those. What a hand that moves the
    source needs: the placement's gains applied to this, added to the mix without its direct sound, are the mix.
    """
    source = next(s for s in mix.sources if s.id == source_id)
    if not with_level:
        lanes = {name: lane for name, lane in source.lanes.items() if name not in ("level", "trim")}
        levels: dict[str, Any] = {"level": 0.0, "trim": 0.0}
        source = replace(source, **levels, lanes=lanes)
    source = source.in_bands(mix.rate) if for_hand else source
    rows = SIDE_ROWS if source.mode == SIDE_BANDS else source.channels
    outputs = 2 * rows if for_hand and two_sided(source) else rows
    return _sum([before_placement(source, for_hand)], outputs, mix.rate, start, stop)


def _sum(inputs: Sequence[Input], outputs: int, rate: int, start: int, stop: int) -> NDArray[np.float32]:
    """The feeds through their gains, added up, from frame ``start`` to ``stop``: (outputs, frames)."""
    first, last = start // BLOCK, -(-stop // BLOCK)
    blocks = last - first
    active = [f for f in inputs if f.sounds_between(first * BLOCK, last * BLOCK)]
    if not active or blocks <= 0:
        return np.zeros((outputs, max(stop - start, 0)), dtype=np.float32)
    # What stands still is one large matrix product, and comes first.
    active.sort(key=lambda item: item.moves)
    still = [f for f in active if not f.moves]
    plan = [GainEnvelope(item, outputs, rate, first, last) for item in active[len(still) :]]
    rows = np.cumsum([0] + [f.channels for f in active])
    held = rows[len(still)]
    standing = np.zeros((outputs, held), dtype=np.float32)
    for item, row in zip(still, rows, strict=False):
        standing[:, row : row + item.channels] = item.gains(np.zeros(1))[:, :, 0]
    gains = np.concatenate([p.gains for p in plan], axis=2) if plan else None
    signal = np.empty((rows[-1], min(_STRETCH, blocks) * BLOCK), dtype=np.float32)
    out = np.empty((outputs, blocks, BLOCK), dtype=np.float32)
    for low in range(0, blocks, _STRETCH):
        high = min(low + _STRETCH, blocks)
        here = signal[:, : (high - low) * BLOCK]
        for item, row in zip(active, rows, strict=False):
            item.read((first + low) * BLOCK, (first + high) * BLOCK, here[row : row + item.channels])
        total = (standing @ here[:held]).reshape(outputs, -1, BLOCK)
        if gains is not None:
            total = total + _moved(plan, rows[len(still) :] - held, gains, here[held:], low, high, outputs)
        out[:, low:high] = total
    offset = start - first * BLOCK
    return out.reshape(outputs, -1)[:, offset : offset + stop - start]


def _moved(
    plan: Sequence[GainEnvelope],
    rows: NDArray[np.intp],
    gains: NDArray[np.float32],
    signal: NDArray[np.float32],
    low: int,
    high: int,
    outputs: int,
) -> NDArray[np.float32]:
    """What moves, from block ``low`` to ``high``: (outputs, blocks, BLOCK)."""
    in_blocks = signal.reshape(len(signal), -1, BLOCK)
    # One small matrix product a block: gains at its start, and their rise, times the samples.
    mixed = np.matmul(gains[low:high], in_blocks.transpose(1, 0, 2))
    total = mixed[:, :outputs] + mixed[:, outputs:] * _SLOPE
    for p, row in zip(plan, rows, strict=False):
        p.add_nonlinear(in_blocks[row : row + p.feed.channels], total, low, high)
    return total.transpose(1, 0, 2)
