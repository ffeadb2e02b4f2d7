"""Echo: repeats at even distances, in milliseconds or beats, each weaker than the one before."""

import numpy as np

from needle.effects.base import Around, Audio, Effect, Setting, Settings

_SILENT = 10.0 ** (-96.0 / 20.0)
_BLEND_SECONDS = 0.02
_LONGEST_SECONDS = 4.0
_LONGEST_TAIL_SECONDS = 30.0
"""Within which the repeats are 96 dB down, however far apart they are: so far back a stretch of the piece reads."""

_SETTINGS = (
    Setting("unit", "Time in", default="beats", choices=("beats", "ms")),
    Setting("time", "Every (ms)", 10.0, 2000.0, 350.0, "ms", 10.0),
    Setting("beats", "Every (beats)", 0.0625, 4.0, 0.75, "beats", 0.25),
    Setting("feedback", "Feedback", 0.0, 0.85, 0.45, "", 0.05),
    Setting("sides", "Repeats", default="stay", choices=("stay", "alternate")),
)


def _feedback(settings: Settings, apart: int, rate: int) -> float:
    """What is left of each repeat in the next one ``apart`` frames later: never so much that it goes on for ever."""
    return min(settings["feedback"], _SILENT ** (apart / (_LONGEST_TAIL_SECONDS * rate)))


def _repeats(feedback: float) -> int:
    """How many repeats there are before they are 96 dB down."""
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
    each = [apart for _, apart in _tempos(around, settings)]
    return max(_repeats(_feedback(settings, apart, around.rate)) * apart for apart in each), 0


def _tail(settings: Settings, around: Around) -> int:
    """Until the repeats are 60 dB down."""
    longest = 0
    for _, apart in _tempos(around, settings):
        feedback = _feedback(settings, apart, around.rate)
        audible = 1 if feedback < _SILENT else 1 + int(np.floor(np.log(1e-3) / np.log(feedback)))
        longest = max(longest, min(audible, _repeats(feedback)) * apart)
    return longest


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
        result = _repeated(audio, past, count, apart, _feedback(settings, apart, around.rate), settings["sides"])
        # Where the tempo changes, one distance gives way to the next.
        rises = np.clip((at - start) / blend, 0.0, 1.0) if i else 1.0
        falls = 1.0 - np.clip((at - end) / blend, 0.0, 1.0) if end is not None else 1.0
        out += result * np.broadcast_to(rises * falls, count).astype(np.float32)
    return out


def _repeated(audio: Audio, past: int, count: int, apart: int, feedback: float, sides: str) -> Audio:
    """So many repeats, each of the one before: what is ``apart`` earlier, and of its repeats all but the last."""
    begin = past - _repeats(feedback) * apart
    sound = audio[:, begin : past + count]
    crossing = sides == "alternate"
    most = _repeats(feedback)
    last = np.float32(feedback**most)
    out = np.zeros_like(sound)
    for low in range(apart, sound.shape[1], apart):
        high = min(low + apart, sound.shape[1])
        before = out[:, low - apart : high - apart]
        out[:, low:high] = sound[:, low - apart : high - apart]
        out[:, low:high] += np.float32(feedback) * (before[::-1] if crossing else before)
        oldest = low - (most + 1) * apart
        if oldest >= 0:
            ended = sound[:, oldest : oldest + high - low]
            out[:, low:high] -= last * (ended[::-1] if crossing and most % 2 else ended)
    return out[:, past - begin :]


ECHO = Effect(
    "echo",
    "echo",
    "Repeats that fade, in step with the beat if wished.",
    _SETTINGS,
    reach=_reach,
    process=_process,
    tail=_tail,
)
