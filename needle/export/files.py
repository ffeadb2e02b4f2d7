"""The sounds of a delivery measured and written as files, all in one pass over the piece."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from needle.balance.progress import Steps
from needle.export.deliverables import Audio, Sounds
from needle.io.audio import STRETCH_FRAMES, AudioWriter


@dataclass(frozen=True)
class WrittenFile:
    """What a file holds: its ``measured`` values (none if it was not measured), and how many samples are over full
    scale."""

    measured: dict[str, Any]
    clipped: int


def measure_sounds(sounds: Sounds, start: int, stop: int, *, threads: int = 1) -> Steps[list[dict[str, Any]]]:
    """Measure every sound from frame ``start`` to ``stop`` (``needle.metering.measure``), in their order."""
    measurements = [sound.measurement(sounds.mix.rate) for sound in sounds]
    with ThreadPoolExecutor(threads) as pool:
        for done, audios in sounds.stretches(start, stop, threads=threads):
            list(pool.map(lambda measurement, audio: measurement(audio), measurements, audios))
            yield done
    return [measurement.results() for measurement in measurements]


def write_sounds(
    sounds: Sounds,
    paths: Sequence[Path],
    start: int,
    stop: int,
    kind: str,
    *,
    gain: float = 0.0,
    measured: bool = True,
    threads: int = 1,
) -> Steps[list[WrittenFile]]:
    """Write every sound from frame ``start`` to ``stop`` to its file.

    Parameters
    ----------
    sounds, paths
        What is written, and where to.
    kind
        The files' format (``needle.io.audio.FORMATS``).
    gain
        How much louder they are made (dB).
    measured
        Whether what the files hold is measured.
    threads
        How many stretches are rendered, and how many files written, at a time.
    """
    rate, frames = sounds.mix.rate, stop - start
    measurements = [sound.measurement(rate) for sound in sounds]
    with ExitStack() as stack:
        # Each file has dither of its own.
        writers = [
            stack.enter_context(AudioWriter(path, rate, sound.layout, kind, frames, seed=f"{sound.kind} {sound.id}"))
            for path, sound in zip(paths, sounds, strict=True)
        ]

        def write(number: int, audio: Audio) -> None:
            for low in range(0, audio.shape[1], STRETCH_FRAMES):
                # What is told of a file is what it holds.
                stored = writers[number].write(audio[:, low : low + STRETCH_FRAMES])
                if measured:
                    measurements[number](stored)

        pool = stack.enter_context(ThreadPoolExecutor(threads))
        for done, audios in sounds.stretches(start, stop, gain=gain, threads=threads):
            list(pool.map(write, range(len(writers)), audios))
            yield done
    results = [measurement.results() if measured else {} for measurement in measurements]
    return [WrittenFile(result, writer.clipped) for result, writer in zip(results, writers, strict=True)]
