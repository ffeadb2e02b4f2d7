"""Rhythm: a mix of 16 pulsing sources, and a part dealt to 16 places, for a minute against real time.

Then finding the onsets of that part, the groove reading weighed by them, and freezing the dealt part.

Run: python -m benchmarks.pulsing
"""

import time
from dataclasses import replace

import numpy as np

from benchmarks.rendering import RATE, SECONDS, renderer, sounds, stereo, tell, took
from needle.autopan.groove_reading import best_fit
from needle.autopan.pulse import Pulse, Pulsing
from needle.autopan.waveforms import WAVES
from needle.dealing.deal import Deal, Event, Place, spread
from needle.dsp.onsets import find_onsets
from needle.mix.model import Mix
from needle.render.freezing import frozen_sound
from needle.tempo import TempoMap

PULSES = PLACES = 16


def pulsed(mix: Mix) -> Mix:
    """The first sources with pulses of every wave, from a 16th note to two bars long."""
    periods = [0.25, 0.5, 1.0, 2.0, 4.0, 8.0]
    waves = list(WAVES)
    tempo = TempoMap(((0.0, 90.0), (64.0, 120.0)))
    sources = [
        replace(
            s, pulse=Pulsing(Pulse(wave=waves[i % len(waves)], period=periods[i % len(periods)], smooth=0.1), tempo)
        )
        for i, s in enumerate(mix.sources[:PULSES])
    ]
    return replace(mix, sources=tuple(sources), tempo=tempo)


def dealt(mix: Mix, sound: str) -> Mix:
    """One source struck eight times a second, dealt to all places, every other one with a tone of its own."""
    events = tuple(Event(i / 8, 0.4, 48 + i % 24, 0.5 + 0.5 * (i % 3 == 0)) for i in range(8 * SECONDS))
    tones = (0.0, 1500.0)
    places = tuple(Place(f"p{i}", pan, tone=tones[i % 2]) for i, pan in enumerate(spread(PLACES)))
    deal = Deal(events, places, order="shuffled", sound=sound, rate=mix.rate)
    return replace(mix, sources=(replace(mix.sources[0], deal=deal),))


def struck() -> np.ndarray:
    """Strokes eight times a second, (1, frames)."""
    t = np.arange(RATE * SECONDS) / RATE
    since = t % 0.125
    return (0.4 * np.sin(2 * np.pi * 700 * t) * np.exp(-since / 0.02)).astype(np.float32)[np.newaxis]


def timed(what: str, work) -> None:
    start = time.perf_counter()
    work()
    print(f"{what}: {time.perf_counter() - start:.2f} s")


def main() -> None:
    mix = stereo(sounds(PULSES))
    voiced = dealt(mix, "voice")
    for what, mix_to_render in (
        (f"{PULSES} moving sources, still in rhythm", mix),
        (f"{PULSES} pulses", pulsed(mix)),
        ("a stem dealt to 16 places", dealt(mix, "stem")),
        ("a voice dealt to 16 places", voiced),
    ):
        tell(f"{what}, against real time", f"{SECONDS / took(renderer(mix_to_render), 1):.0f} ×")
    timed("freezing that voice", lambda: [None for _ in frozen_sound(voiced, "0")])
    audio = struck()
    timed(f"onsets in {SECONDS} s", lambda: find_onsets(audio, RATE))
    found = find_onsets(audio, RATE)
    one = Pulsing(Pulse(wave="square"))
    timed(f"the best of 32 flips and starts, {len(found.times)} onsets",
          lambda: best_fit(one, found.times, found.strengths))  # fmt: skip


if __name__ == "__main__":
    main()
