"""Keys: exactly what a stretch of a mix depends on, so that an edit elsewhere leaves what is kept of it alone."""

import hashlib

from needle.dsp.fractional_delay import REACH
from needle.mix.descriptions import lanes_text, pulses_text
from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import BLOCK, LFE_SECONDS, Mix, MixLayer, MixSource, taken_by

_MOST_TEXTS = 256


def dependency_key(mix: Mix, start: int, stop: int, listening: Listening = EVERYTHING) -> str:
    """A hash of exactly what the samples from frame ``start`` to ``stop`` depend on.

    Two calls with the same key render the same samples: an edit elsewhere in time, or of a source that
    does not sound here, leaves it alone.
    """
    parts = [
        f"{mix.rate} {mix.law} {mix.layout} {mix.centre_zero} {start} {stop} {listening.monitor} {listening.trim}"
    ]
    parts += [f"click {mix.tempo}"] if listening.click else []
    # What the low-frequency channel lets through of a moment goes on a little.
    low_start = start - (round(LFE_SECONDS * mix.rate) if mix.room.lfe is not None else 0)
    for source in listening.direct(mix):
        parts.append(source_text(mix, source, low_start if source.to_lfe else start, stop))
    parts += [layer_text(mix, source, layer, start, stop) for source, layer in listening.layered(mix)]
    for mix_return in mix.returns:
        senders = listening.sent(mix, mix_return)
        if not senders:
            continue
        past, ahead = mix_return.reach(mix.room, mix.around)
        low, high = start - BLOCK - past, stop + BLOCK + ahead
        near = (start - BLOCK) / mix.rate, (stop + 2 * BLOCK) / mix.rate
        lanes = f"{lanes_text(mix_return.lanes, *near)} {pulses_text((mix_return.pulse,), *near)}"
        parts.append(f"{mix_return.chain.key} {mix.tempo.tempos} {mix_return.values_text} {lanes}")
        parts += [part for s in senders if (part := sent_text(mix, s, mix_return.id, low, high))]
    return hashlib.blake2b("\n".join(parts).encode(), digest_size=16).hexdigest()


def source_text(mix: Mix, source: MixSource, start: int, stop: int) -> str:
    """What a source's sound depends on between two frames; empty if it has none there."""
    key = mix.rate, start, stop
    known = source.known_texts
    if key not in known:
        if len(known) >= _MOST_TEXTS:
            known.clear()
        known[key] = _source_text(mix, source, start, stop)
    return known[key]


def _source_text(mix: Mix, source: MixSource, start: int, stop: int) -> str:
    late = source.longest_delay(mix.rate)
    if not source.sounds_between(start, stop, late):
        return ""
    low, high = (start - BLOCK - late) / mix.rate, (stop + 2 * BLOCK + REACH) / mix.rate
    moves = f"{lanes_text(source.lanes, low, high)} {pulses_text(source.pulses, low, high)}"
    return f"{source.statics} {source.speaker_routing.text_between(low, high)} {moves} {source.frozen_fingerprint}"


def layer_text(mix: Mix, source: MixSource, layer: MixLayer, start: int, stop: int) -> str:
    """What a layer's sound depends on between two frames: itself, those it takes from, and the source."""
    near = (start - BLOCK) / mix.rate, (stop + 2 * BLOCK) / mix.rate
    texts, low, high = [], start, stop
    for below in taken_by(source, layer):
        past, ahead = below.chain.reach(mix.around)
        low, high = low - past - BLOCK, high + ahead + BLOCK
        texts.append(below.text_between(low / mix.rate, high / mix.rate))
    governed = source_text(mix, source, low - mix.rate // 2, high + mix.rate // 2)
    return f"layer {mix.tempo.tempos} {texts} {lanes_text(source.lanes, *near)} {governed}"


def sent_text(mix: Mix, source: MixSource, to: str, start: int, stop: int) -> str:
    """What the sound that a source sends to a return depends on between two frames; empty if there is none."""
    text = source_text(mix, source, start, stop)
    low, high = (start - BLOCK) / mix.rate, (stop + 2 * BLOCK) / mix.rate
    return text and f"{source.sends[to].text_between(low, high)} {text}"
