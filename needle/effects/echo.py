"""Echo: repeats at even distances, in milliseconds or beats, each weaker than the one before."""

import numpy as np

from needle.effects.base import Around, Audio, Effect, Setting, Settings

_SILENT = 10.0 ** (-96.0 / 20.0)
_BLEND_SECONDS = 0.02
_LONGEST_SECONDS = 4.0

_SETTINGS = (
    Setting("unit", "Told in", default="beats", choices=("beats", "ms")),
    Setting("time", "Every (ms)", 10.0, 2000.0, 350.0, "ms", 10.0),
    Setting("beats", "Every (beats)", 0.0625, 4.0, 0.75, "beats", 0.25),
    Setting("feedback", "Feedback", 0.0, 0.85, 0.45, "", 0.05),
    Setting("sides", "Repeats", default="stay", choices=("stay", "alternate")),
)


def _repeats(settings: Settings) -> int:
    """How many repeats there are before they are 96 dB down."""
    feedback = settings["feedback"]
    return 1 if feedback < _SILENT else 1 + int(np.floor(np.log(_SILENT) / np.log(feedback)))


def _tempos(around: Around, settings: Settings) -> list[tuple[int, int]]:
    """From which frame on the repeats stand so many frames apart."""
    if settings["unit"] == "ms":
        return [(0, round(settings["time"] / 1000.0 * around.rate))]
    steps = []
    for beat, bpm in around.tempo.tempos:
        apart = min(settings["beats"] * 60.0 / bpm, _LONGEST_SECONDS)
        steps.append((round(around.tempo.seconds_at(beat) * around.rate), round(apart * around.rate)))
    return steps


def _reach(settings: Settings, around: Around) -> tuple[int, int]:
    return _repeats(settings) * max(apart for _, apart in _tempos(around, settings)), 0


def _tail(settings: Settings, around: Around) -> int:
    """Until the repeats are 60 dB down."""
    past, _ = _reach(settings, around)
    repeats = _repeats(settings)
    heard = 1 if repeats == 1 else 1 + np.floor(np.log(1e-3) / np.log(settings["feedback"]))
    return int(past * min(heard / repeats, 1.0))


def _process(audio: Audio, begins: int, settings: Settings, around: Around) -> Audio:
    past, _ = _reach(settings, around)
    count = audio.shape[1] - past
    steps = _tempos(around, settings)
    out = np.zeros((2, count), dtype=np.float32)
    blend = round(_BLEND_SECONDS * around.rate)
    at = np.arange(begins + past, begins + past + count)
    for i, (start, apart) in enumerate(steps):
        end = steps[i + 1][0] if i + 1 < len(steps) else None
        if start > at[-1] + 1 or (end is not None and end + blend < at[0]):
            continue
        found = _repeated(audio, past, count, apart, settings)
        # Where the tempo changes, one distance gives way to the next.
        rises = np.clip((at - start) / blend, 0.0, 1.0) if i else 1.0
        falls = 1.0 - np.clip((at - end) / blend, 0.0, 1.0) if end is not None else 1.0
        out += found * np.broadcast_to(rises * falls, count).astype(np.float32)
    return out


def _repeated(audio: Audio, past: int, count: int, apart: int, settings: Settings) -> Audio:
    out = np.zeros((2, count), dtype=np.float32)
    crosses = settings["sides"] == "alternate"
    for repeat in range(1, _repeats(settings) + 1):
        low = past - repeat * apart
        piece = audio[::-1] if crosses and repeat % 2 == 0 else audio
        out += np.float32(settings["feedback"] ** (repeat - 1)) * piece[:, low : low + count]
    return out


ECHO = Effect(
    "echo",
    "echo",
    "Repeats that fade, in step with the beat if wished.",
    _SETTINGS,
    reach=_reach,
    process=_process,
    tail=_tail,
)
