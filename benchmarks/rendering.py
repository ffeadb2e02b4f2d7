"""Rendering: 32 moving mono sources in stereo at 48 kHz for 3 minutes, against real time, and the memory it takes.

Then the same with two returns (a short and a long room) that every source is sent to, and with every source timed.

Run: python -m benchmarks.rendering
"""

import resource
import tempfile
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from needle.automation.curve import Lane, Point
from needle.effects.base import Effect
from needle.effects.chain import EFFECTS, Chain
from needle.mix.model import Mix, MixReturn, MixSend, MixSource
from needle.render.blocks import deliver
from needle.render.segments import render_segments, segment_count

RATE, SECONDS, SOURCES = 48000, 180, 32


def moving(rng: np.random.Generator) -> Lane:
    """A place every two seconds or so, eased."""
    times = np.arange(0, SECONDS, 2.0) + rng.uniform(0, 1.5, SECONDS // 2)
    return Lane(tuple(Point(float(t), float(rng.uniform(-1, 1)), "ease") for t in times))


def make_mix(folder: Path) -> Mix:
    """The mix over memory-mapped noise, as the server has it."""
    rng = np.random.default_rng(1)
    sources = []
    for number in range(SOURCES):
        path = folder / f"{number}.npy"
        np.save(path, (rng.standard_normal((1, RATE * SECONDS), dtype=np.float32) * 0.1))
        sources.append(MixSource(str(number), np.load(path, mmap_mode="r"), lanes={"pan": moving(rng)}))
    return Mix(RATE, SECONDS, tuple(sources))


def resident() -> float:
    """Memory of this process that is its own, not mapped files (MB)."""
    fields = dict(line.split(":") for line in Path("/proc/self/status").read_text().splitlines() if ":" in line)
    return int(fields["RssAnon"].split()[0]) / 1024


def with_returns(mix: Mix) -> Mix:
    """Every source sent to a short and a long room, half of them to the opposite side."""

    def room(length: float) -> Chain:
        return Chain(((EFFECTS["high-pass"], EFFECTS["high-pass"].defaults()), polar_to_room(length)))

    def polar_to_room(length: float) -> tuple[Effect, dict[str, Any]]:
        return EFFECTS["room"], EFFECTS["room"].checked({"length": length})

    sends = {"short": MixSend(-12.0), "long": MixSend(-15.0, place="opposite")}
    sources = tuple(replace(source, sends=sends) for source in mix.sources)
    return replace(mix, sources=sources, returns=(MixReturn("short", room(0.9)), MixReturn("long", room(3.2))))


def timed(mix: Mix) -> Mix:
    """Every source placed by timing instead of level."""
    return replace(mix, sources=tuple(replace(source, timing="symmetric") for source in mix.sources))


def measure(name: str, mix: Mix) -> None:
    for _, _ in deliver(mix, 0, RATE * 20):
        pass
    before, most = resident(), 0.0
    start, cpu = time.perf_counter(), time.process_time()
    for _, _ in deliver(mix, 0, mix.frames):
        most = max(most, resident())
    wall, cpu = time.perf_counter() - start, time.process_time() - cpu
    print(f"{name}: {SECONDS / wall:.0f} times real time ({SECONDS / cpu:.0f} per core), {most - before:.0f} MB more")


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        mix = make_mix(Path(folder))
        measure("mix", mix)
        measure("mix with two returns", with_returns(mix))
        measure("mix, all placed by timing", timed(mix))
        start = time.perf_counter()
        for _ in render_segments(mix, 0, segment_count(mix)):
            pass
        print(f"mix with meter frames: {SECONDS / (time.perf_counter() - start):.0f} times real time")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    print(f"peak of the process: {peak / 1024:.0f} MB, mapped files included")


if __name__ == "__main__":
    main()
