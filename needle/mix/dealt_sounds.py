"""What sounds of a dealt source: the stem gated and toned for each place, or its notes played there by the voice.

Each place is a sound that is made for the stretch that is asked for, so that memory does not grow with the piece.
"""

from collections.abc import Sequence
from functools import cached_property
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from needle.dealing.deal import Deal, Event, Place
from needle.dealing.voice import note, velocity_gain
from needle.effects.filters import low_pass_taps
from needle.tempo import TempoMap
from needle.units import db_to_gain

Audio = NDArray[np.float32]


class GeneratedAudio:
    """Audio of a place that is made when it is read, as ``sound[:, low:high]``; ``shape`` is (channels, frames).

    ``text`` says all that it depends on.
    """

    ndim = 2
    shape: tuple[int, int]
    text: str

    def __getitem__(self, key: Any) -> Any:
        low, high, _ = key[1].indices(self.shape[1])
        return self.between(low, max(low, high))

    def between(self, low: int, high: int) -> Audio:
        """Its samples from frame ``low`` to ``high``, float32 (channels, high - low)."""
        raise NotImplementedError


class DealtStem(GeneratedAudio):
    """A stem while it is at one place, through that place's tone. ``offset``: the session's frame it starts at."""

    def __init__(self, audio: Audio | GeneratedAudio, description: str, offset: int, deal: Deal, place: int) -> None:
        self.audio, self.offset, self.rate = audio, offset, deal.rate
        self.shape = audio.shape
        self.gate = deal.gate(place)
        self.low_pass = deal.places[place].low_pass
        self.text = f"{description} {offset} {place} {deal.text}"

    def between(self, low: int, high: int) -> Audio:
        silent = np.zeros((self.shape[0], high - low), np.float32)
        if high <= low or not self._open_between(low, high):
            return silent
        gate = self.gate.evaluate((np.arange(low, high) + self.offset) / self.rate).astype(np.float32)
        return _toned(lambda a, b: np.asarray(self.audio[:, a:b]), low, high, self.low_pass, self.rate) * gate

    def _open_between(self, low: int, high: int) -> bool:
        """Whether the stem is there at all between two frames of its own."""
        first, last = (low + self.offset) / self.rate, (high + self.offset) / self.rate
        return any(point.value > 0.0 for point in self.gate.between(first, last))


class DealtVoice(GeneratedAudio):
    """The notes of one place, or with None for it all of them undealt, played by the built-in voice: one channel.

    Its first frame is the session's first.
    """

    def __init__(self, deal: Deal, place: int | None) -> None:
        self.deal, self.place = deal, place
        self.text = f"{place} {deal.text}"

    @cached_property
    def _struck(self) -> list[tuple[int, Audio, np.float32]]:
        """First frame, samples and gain of every note, in the order of time."""
        deal = self.deal
        if self.place is None:
            events: Sequence[Event] = deal.events
            result = [(event.t, event.pitch, event.seconds, velocity_gain(event.velocity)) for event in events]
        else:
            place = deal.places[self.place]
            events = [event for event, turn in zip(deal.events, deal.turns, strict=True) if turn == self.place]
            result = [strike for event in events for strike in repeated(event, place, deal.tempo)]
        return [
            (round(t * deal.rate), note(deal.timbre, pitch, seconds, deal.rate), np.float32(gain))
            for t, pitch, seconds, gain in sorted(result)
        ]

    @cached_property
    def _spans(self) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        starts = np.array([first for first, _, _ in self._struck], dtype=np.intp)
        return starts, starts + np.array([len(sound) for _, sound, _ in self._struck], dtype=np.intp)

    @cached_property
    def shape(self) -> tuple[int, int]:  # type: ignore[override]
        return 1, int(self._spans[1].max(initial=0)) + 1

    def between(self, low: int, high: int) -> Audio:
        tone = 0.0 if self.place is None else self.deal.places[self.place].low_pass
        return _toned(self._played, low, high, tone, self.deal.rate)

    def _played(self, low: int, high: int) -> Audio:
        out = np.zeros((1, max(high - low, 0)), np.float32)
        starts, ends = self._spans
        for index in np.flatnonzero((starts < high) & (ends > low)):
            first, sound, gain = self._struck[index]
            a, b = max(first, low), min(first + len(sound), high)
            out[0, a - low : b - low] += sound[a - first : b - first] * gain
        return out


def repeated(event: Event, place: Place, tempo: TempoMap) -> list[tuple[float, float, float, float]]:
    """The strikes that a place makes of a note: (time s, pitch, length s, linear gain) each."""
    gain, beat = velocity_gain(event.velocity), tempo.beat_at(event.t)
    return [
        (
            tempo.seconds_at(beat + index * place.repeat_interval) if index else event.t,
            event.pitch + place.transpose,
            event.seconds * place.length,
            gain * float(db_to_gain(-index * place.fade)),
        )
        for index in range(place.repeats)
    ]


def _toned(read: Any, low: int, high: int, tone: float, rate: int) -> Audio:
    """What ``read(low, high)`` gives, through a low-pass if ``tone`` (Hz) is not 0."""
    if not tone or high <= low:
        return read(max(low, 0), high)
    taps = low_pass_taps(tone, rate)
    begins = max(low - len(taps) + 1, 0)
    result = scipy.signal.oaconvolve(read(begins, high), taps[np.newaxis], axes=1)
    return np.ascontiguousarray(result[:, low - begins : high - begins], dtype=np.float32)
