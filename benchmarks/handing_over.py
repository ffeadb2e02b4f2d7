"""Handing over: the demo in every format against real time, then 64 sources of 5 minutes in 4+7+0 to object audio.

Run: python -m benchmarks.handing_over
"""

import resource
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.rendering import resident
from demo.session import make_bundle
from needle.automation.curve import Lane, Point
from needle.balance.progress import finished
from needle.export.chart import Charted, write_chart
from needle.export.deliverables import Sounds, sounds_of
from needle.export.files import write_sounds
from needle.export.report import mix_report
from needle.io.adm.from_mix import mix_to_adm
from needle.io.adm.read import read_programme
from needle.io.adm.to_session import import_adm
from needle.io.adm.write import write_adm
from needle.io.audio import FORMATS, AudioInfo
from needle.io.bundle import Bundle, write_bundle
from needle.io.bw64 import opened
from needle.io.lanes import lanes_json, lanes_table, read_moves
from needle.io.midi_automation import read_midi_moves, write_midi_moves
from needle.mix.model import Mix, MixSource
from needle.render.blocks import usable_cores
from needle.session.document import groups_in, names_in, tempo_map

RATE, SECONDS, SOURCES = 48000, 300, 64


def took(work: Callable[[], Any]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def spent(steps: Iterator[Any]) -> None:
    for _ in steps:
        pass


def write(folder: Path, sounds: Sounds, kind: str) -> None:
    """Sounds as files, measured as they are written, on as many cores as there are."""
    paths = [folder / f"{number}.out" for number in range(len(sounds))]
    finished(write_sounds(sounds, paths, 0, sounds.mix.frames, kind, threads=usable_cores()))


def tell(what: str, seconds: float, length: float, path: Path | None = None) -> None:
    size = f", {path.stat().st_size / 1e6:.1f} MB" if path else ""
    print(f"{what}: {seconds:.1f} s, {length / seconds:.0f} times real time{size}")


def of_the_demo(folder: Path) -> None:
    make_bundle(folder / "demo")
    with Bundle(folder / "demo") as bundle:
        mix, document = bundle.mix(), bundle.document
        names, groups = names_in(document), groups_in(document)
        whole = sounds_of(mix, True, (), "", names, groups)
        write(folder, whole, "wav-24")
        out = folder / "0.out"
        for kind in FORMATS:
            tell(f"the mix as {kind}", took(lambda kind=kind: write(folder, whole, kind)), mix.length, out)
        every = sounds_of(mix, True, ("mono", "headphones"), "sources", names, groups)
        seconds = took(lambda: write(folder, every, "wav-24"))
        tell(f"the mix, {len(every) - 3} stems, mono and headphones", seconds, mix.length)
        path = folder / "objects.wav"
        tell("ADM", took(lambda: spent(write_adm(path, mix, mix_to_adm(mix, "Demo", names)))), mix.length, path)
        path = folder / "session.zip"
        tell("the session", took(lambda: spent(write_bundle(path, document, bundle.audio))), mix.length, path)
        tell("opening it", took(lambda: Bundle(path).close()), mix.length)
        path = folder / "chart.pdf"
        charted = Charted(mix, document, 0.0, mix.length)
        tell("the chart", took(lambda: spent(write_chart(path, charted))), mix.length, path)
        tell("the report", took(lambda: finished(mix_report(mix, names, 0, int(mix.length * 10)))), mix.length)
        tempo, path = tempo_map(document), folder / "moves.mid"
        moves = {
            "CSV": lambda: lanes_table(document, tempo),
            "JSON": lambda: lanes_json(document),
            "MIDI, 14 bit": lambda: write_midi_moves(path, document, tempo, mix.length, True),
            "MIDI, 14 bit, read": lambda: read_midi_moves(path),
        }
        for what, work in moves.items():
            print(f"moves as {what}: {1000 * took(work):.0f} ms")
        (folder / "moves.csv").write_text(lanes_table(document, tempo))
        print(f"moves as CSV, read: {1000 * took(lambda: read_moves(folder / 'moves.csv')):.0f} ms")


def moving(rng: np.random.Generator, low: float, high: float) -> Lane:
    times = np.arange(0.0, SECONDS + 4.0, 4.0)
    return Lane(tuple(Point(float(t), float(rng.uniform(low, high)), "ease") for t in times))


def objects(folder: Path) -> None:
    rng = np.random.default_rng(1)
    sources = []
    for number in range(SOURCES):
        path = folder / f"{number}.npy"
        np.save(path, 0.1 * rng.standard_normal((1, RATE * SECONDS), dtype=np.float32))
        lanes = {"pan": moving(rng, -1, 1), "front": moving(rng, -1, 1), "height": moving(rng, 0, 1)}
        sources.append(MixSource(f"s{number}", np.load(path, mmap_mode="r"), lanes=lanes))
    mix = Mix(RATE, float(SECONDS), tuple(sources), layout="4+7+0")
    path, names = folder / "objects.wav", {source.id: source.id for source in sources}
    before = resident()
    start = time.perf_counter()
    export = mix_to_adm(mix, "Large", names)
    print(f"{SOURCES} moving sources told as objects: {time.perf_counter() - start:.1f} s", end="")
    print(f", {sum(len(c.moves.times) for one in export.programme.objects for c in one.channels)} blocks")
    tell("written", took(lambda: spent(write_adm(path, mix, export))), SECONDS, path)
    print(f"{resident() - before:.0f} MB more than before")
    with opened(path) as file:
        info = AudioInfo(file.samplerate, file.channels, file.frames)
        print(f"its description read: {took(lambda: read_programme(path, info)):.1f} s")
    tell("taken in as a session", took(lambda: spent(import_adm(path, folder / "back"))), SECONDS)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        of_the_demo(Path(folder))
    with tempfile.TemporaryDirectory() as folder:
        objects(Path(folder))
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    print(f"peak of the process: {peak / 1024:.0f} MB, mapped files included")


if __name__ == "__main__":
    main()
