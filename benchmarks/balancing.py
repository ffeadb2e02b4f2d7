"""Balancing: how fast the balance of a whole piece is known, and what an edit, causes and a counterweight cost.

The demo, and 64 sources of 5 minutes; everything in one process here, while the server has two for each kind of work.
Then our loudness against the pyloudnorm package (pip install pyloudnorm), for agreement and speed.

Run: python -m benchmarks.balancing
"""

import importlib.util
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.rendering import RATE
from demo.session import make_bundle
from needle.balance.causes import causes, ranked, shares
from needle.balance.counterweight import counterweight
from needle.balance.lean_model import Adjustable
from needle.balance.measuring import measured
from needle.balance.progress import finished
from needle.export.report import mix_report
from needle.io.bundle import Bundle
from needle.metering.frames import Frames, measure_frames
from needle.metering.overview import Overview
from needle.mix.model import Mix, MixSource
from needle.render.segments import render_segments, segment_count


def timed(what: str, work: Callable[[], Any], seconds: float = 0.0) -> Any:
    """Do it, and say how long it took and how that compares to the sound's own length (s)."""
    start = time.perf_counter()
    found = work()
    took = time.perf_counter() - start
    against = f", {seconds / took:.0f} times real time" if seconds else ""
    print(f"{what}: {took:.2f} s{against}", flush=True)
    return found


def the_demo(folder: Path) -> None:
    make_bundle(folder)
    mix = Bundle(folder).mix()
    # In the server an asset is named by its content; here the content itself is hashed once.
    for source in mix.sources:
        source.statics  # noqa: B018 - worked out and kept
    frames = timed("demo, the whole balance, nothing known", lambda: finished(measured(mix)), mix.length)
    (stretch,) = Overview(frames).stretches()
    for what, key, change in (
        ("a source that is not sent anywhere", "deck-voices", {"pan_left": -0.61}),
        ("a source that feeds the 3.2 s room", "concertina-2", {"pan": 0.63}),
    ):
        sources = tuple(replace(s, **change) if s.id == key else s for s in mix.sources)
        edited = replace(mix, sources=sources)
        timed(f"demo, after an edit of {what} that sounds all through", lambda m=edited: finished(measured(m)))
    first, last = round(stretch.start * 10), round(stretch.end * 10)
    measured_shares = timed("demo, causes of the leaning stretch", lambda: finished(shares(mix, first, last)))
    print(f"  first cause: {ranked(causes(measured_shares), 1.0)[0].id}")
    givers = [Adjustable(one.id) for one in ranked(causes(measured_shares), 1.0)[:3]]
    scope = [(stretch.start, stretch.end)]
    weight = timed("demo, a counterweight of three sources", lambda: finished(counterweight(mix, givers, scope)))
    print(f"  worst {weight.before:.2f} dB becomes {weight.after:.2f} dB")
    names = {one.id: one.id for one in (*mix.sources, *mix.returns)}
    timed("demo, a whole report", lambda: finished(mix_report(mix, names, 0, int(mix.length * 10))))


def many(folder: Path) -> None:
    seconds, count = 300, 64
    rng = np.random.default_rng(1)
    sources = []
    for number in range(count):
        path = folder / f"{number}.npy"
        np.save(path, (rng.standard_normal((1, RATE * seconds), dtype=np.float32) * 0.02))
        audio = np.load(path, mmap_mode="r")
        sources.append(MixSource(str(number), audio, f"{number:064x}", pan=float(rng.uniform(-1, 1))))
    mix = Mix(RATE, seconds, tuple(sources))
    kept = timed("64 sources of 5 minutes, the whole balance", lambda: finished(measured(mix)), seconds)
    here = segment_count(mix) // 2
    edited = replace(mix, sources=(replace(sources[0], pan=0.9), *sources[1:]))
    timed("64 × 5 min, 20 s of it measured again", lambda: list(render_segments(edited, here, here + 40)), 20)
    timed("64 × 5 min, what the frames say together", lambda: Overview(kept).curves())
    timed("64 × 5 min, causes of a minute", lambda: finished(shares(mix, 0, 600)), 60)


def loudness() -> None:
    if importlib.util.find_spec("pyloudnorm") is None:
        print("pyloudnorm is not installed: loudness is not compared")
        return
    import pyloudnorm

    rng = np.random.default_rng(2)
    swell = 0.05 + 0.05 * np.sin(np.arange(RATE * 300) / RATE / 7.0)
    audio = (rng.standard_normal((2, RATE * 300)) * swell).astype(np.float32)

    def ours() -> float:
        frames = [measure_frames(audio[:, at : at + 10 * RATE], RATE) for at in range(0, audio.shape[1], 10 * RATE)]
        return Overview(Frames.joined(frames)).figures()["integrated_lufs"]

    mine = timed("loudness and everything else of 5 minutes, ours", ours, 300)
    meter = pyloudnorm.Meter(RATE)
    theirs = timed("loudness of 5 minutes, pyloudnorm", lambda: meter.integrated_loudness(audio.T), 300)
    print(f"  ours {mine:.3f} LUFS, pyloudnorm {theirs:.3f} LUFS")


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        the_demo(Path(folder))
    with tempfile.TemporaryDirectory() as folder:
        many(Path(folder))
    loudness()


if __name__ == "__main__":
    main()
