"""What sounds of a dealt source: the stem gated and toned for each place, or its notes played there by the voice.

Each place is a sound that is made for the stretch that is asked for, so that memory does not grow with the piece.
"""

from collections.abc import Sequence
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
import scipy
import soxr
from numpy.typing import NDArray

from needle.automation.curve import RAMP_SECONDS
from needle.dealing.deal import Deal, Event, Place
from needle.dealing.voice import note, velocity_gain
from needle.effects.filters import low_pass_taps
from needle.tempo import TempoMap
from needle.units import db_to_gain

Audio = NDArray[np.float32]

_SLICES_KEPT = 24
_RESAMPLER_REACH = 512
"""Frames beside a slice that its resampling may hear."""


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


class DealtSlices(GeneratedAudio):
    """A stem's slices at one place that makes them longer or shorter, higher or lower, or strikes them again.

    Each begins as the stem's gate does and, where nothing is changed, ends as it does. ``offset``: the session's
    frame that the stem starts at, and this too. What is made of a slice is kept for a while, not for all of them.
    """

    def __init__(self, audio: Audio | GeneratedAudio, description: str, offset: int, deal: Deal, place: int) -> None:
        self.audio, self.offset, self.deal = audio, offset, deal
        self.place = deal.places[place]
        self.speed = float(2.0 ** (self.place.transpose / 12.0))
        self.text = f"{description} {offset} {place} {deal.text} slices"
        self._slice = lru_cache(_SLICES_KEPT)(self._made)
        # First frame, source frames from and how many, and gain of every strike; own frames of the stem.
        strikes: list[tuple[int, int, int, float]] = []
        last = audio.shape[1]
        for begins, ends, at in self._slices(deal, place):
            if at != place:
                continue
            first = max(round(begins * deal.rate) - offset, 0)
            own = (last if ends == np.inf else min(round(ends * deal.rate) - offset, last)) - first
            if own <= 0:
                continue
            beat = deal.tempo.beat_at(begins)
            # What comes before the first strike is none: it is not struck again.
            is_struck = not deal.slices or begins >= deal.slices[0][0]
            for index in range(self.place.repeats if is_struck else 1):
                again = deal.tempo.seconds_at(beat + index * self.place.repeat_interval) if index else begins
                strike = max(round(again * deal.rate) - offset, 0)
                gain = float(db_to_gain(-index * self.place.fade))
                strikes.append((strike, first, max(round(own * self.place.length), 1), gain))
        self.strikes = sorted(strikes)
        self._starts = np.array([strike[0] for strike in self.strikes], dtype=np.intp)
        lengths = np.array([strike[2] for strike in self.strikes], dtype=np.float64)
        self._ends = self._starts + np.ceil(lengths / self.speed).astype(np.intp) + self._release
        self.shape = (audio.shape[0], max(int(self._ends.max(initial=0)), last))

    @staticmethod
    def _slices(deal: Deal, place: int) -> list[tuple[float, float, int]]:
        """What sounds before the first strike is where that one is."""
        begun = deal.slices[0][0] if deal.slices else np.inf
        lead = deal.slices[0][2] if deal.slices else 0
        return [(0.0, begun, lead), *deal.slices] if begun > 0.0 else deal.slices

    @property
    def _release(self) -> int:
        """Frames over which a slice fades out: as long as any gate closes, at the least."""
        return round(max(self.place.release, RAMP_SECONDS) * self.deal.rate)

    def between(self, low: int, high: int) -> Audio:
        return _toned(self._played, low, high, self.place.low_pass, self.deal.rate)

    def _played(self, low: int, high: int) -> Audio:
        out = np.zeros((self.shape[0], max(high - low, 0)), np.float32)
        for index in np.flatnonzero((self._starts < high) & (self._ends > low)):
            first, source, frames, gain = self.strikes[index]
            sound = self._slice(source, frames)
            a, b = max(first, low), min(first + sound.shape[1], high)
            if a < b:
                out[:, a - low : b - low] += sound[:, a - first : b - first] * np.float32(gain)
        return out

    def _made(self, source: int, frames: int) -> Audio:
        """So many frames of the stem from one on as a slice sounds, until it has faded."""
        hold = int(np.ceil(frames / self.speed))
        total = hold + self._release
        if self.speed == 1.0:
            sound = self._read(source, source + total)
        else:
            pad = int(np.ceil(_RESAMPLER_REACH * max(self.speed, 1.0)))
            end = source + int(np.ceil(total * self.speed)) + pad
            played = soxr.resample(self._read(source - pad, end).T, self.deal.rate * self.speed, self.deal.rate)
            skipped = round(pad / self.speed)
            sound = np.ascontiguousarray(played.T[:, skipped : skipped + total], dtype=np.float32)
        ramp = round(RAMP_SECONDS * self.deal.rate)
        opens = 1.0 if source == 0 else np.minimum(np.arange(sound.shape[1]) / ramp, 1.0)
        closes = np.clip((total - np.arange(sound.shape[1])) / self._release, 0.0, 1.0)
        return np.asarray(sound * (opens * closes), np.float32)

    def _read(self, low: int, high: int) -> Audio:
        """The stem between two of its frames, silence where it has none."""
        out = np.zeros((self.audio.shape[0], high - low), np.float32)
        begin, end = max(low, 0), min(high, self.audio.shape[1])
        if begin < end:
            out[:, begin - low : end - low] = self.audio[:, begin:end]
        return out


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
