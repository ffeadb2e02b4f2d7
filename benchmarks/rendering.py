"""Rendering: 32 moving mono sources in stereo at 48 kHz for 3 minutes, against real time, and the memory it takes.

Run: python -m benchmarks.rendering
"""

import resource
import tempfile
import time
from pathlib import Path

import numpy as np

from needle.moving.lane import Lane, Point
from needle.rendering.delivery import deliver
from needle.rendering.mix import Mix, MixSource
from needle.rendering.segments import render_segments, segment_count

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


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        mix = make_mix(Path(folder))
        for _, _ in deliver(mix, 0, RATE * 20):
            pass
        before, most = resident(), 0.0
        start, cpu = time.perf_counter(), time.process_time()
        for _, _ in deliver(mix, 0, mix.frames):
            most = max(most, resident())
        wall, cpu = time.perf_counter() - start, time.process_time() - cpu
        print(
            f"mix: {SECONDS / wall:.0f} times real time ({SECONDS / cpu:.0f} per core), {most - before:.0f} MB more"
        )
        start = time.perf_counter()
        for _ in render_segments(mix, 0, segment_count(mix)):
            pass
        print(f"mix with meter frames: {SECONDS / (time.perf_counter() - start):.0f} times real time")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    print(f"peak of the process: {peak / 1024:.0f} MB, mapped files included")


if __name__ == "__main__":
    main()
