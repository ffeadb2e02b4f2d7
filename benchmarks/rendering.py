"""Rendering, each figure as a ratio beside an anchor that is measured in the same run.

Anchors: a bare NumPy loop that pans moving mono sounds to stereo, adding them without any gains, real time,
and what ffmpeg takes for a mix with static pans (left out, with a sentence, where it is not installed).

Run: OMP_NUM_THREADS=1 python -m benchmarks.rendering [--growth]
"""

import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from demo.session import make_bundle
from needle.automation.curve import Lane, Point
from needle.balance.counterweight import counterweight
from needle.balance.lean_model import Adjustable
from needle.balance.measuring import measured
from needle.balance.progress import finished
from needle.effects.chain import EFFECTS, Chain
from needle.export.deliverables import sounds_of
from needle.export.files import write_sounds
from needle.io.audio import write_audio
from needle.io.bundle import Bundle, write_session
from needle.metering.frames import Frames
from needle.metering.overview import Overview
from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import Mix, MixReturn, MixSend, MixSource
from needle.render.blocks import run_in_stretches, usable_cores
from needle.render.cache import RenderCache
from needle.render.compile import compile_mix
from needle.render.segments import render_segments, segment_count, segment_key
from needle.session.document import SOURCE_DEFAULTS, empty_document, groups_in, names_in

RATE, SECONDS, SOURCES = 48000, 60, 32
Audio = np.ndarray


def resident() -> float:
    """Memory of this process that is its own, not mapped files (MB)."""
    fields = dict(line.split(":") for line in Path("/proc/self/status").read_text().splitlines() if ":" in line)
    return int(fields["RssAnon"].split()[0]) / 1024


def took(work: Callable[[], Any], times: int = 3) -> float:
    """The shortest of some runs (s), after one to warm up."""
    work()
    spent = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        spent.append(time.perf_counter() - start)
    return min(spent)


def moving(rng: np.random.Generator, low: float = -1.0, high: float = 1.0, every: float = 2.0) -> Lane:
    """A value every two seconds or so, eased."""
    times = np.arange(0, SECONDS, every) + rng.uniform(0, 0.75 * every, round(SECONDS / every))
    return Lane(tuple(Point(float(t), float(rng.uniform(low, high)), "ease") for t in times))


def sounds(count: int, seconds: float = SECONDS) -> list[Audio]:
    rng = np.random.default_rng(1)
    return [0.05 * rng.standard_normal((1, round(RATE * seconds)), dtype=np.float32) for _ in range(count)]


def stereo(audio: list[Audio], seconds: float = SECONDS) -> Mix:
    """Mono sounds that move from side to side."""
    rng = np.random.default_rng(2)
    sources = (MixSource(str(i), sound, lanes={"pan": moving(rng)}) for i, sound in enumerate(audio))
    return Mix(RATE, seconds, tuple(sources))


def sent_to_rooms(mix: Mix) -> Mix:
    """Every source sent to a short and a long room."""

    def room(length: float) -> Chain:
        return Chain(((EFFECTS["room"], EFFECTS["room"].checked({"length": length})),))

    sends = {"short": MixSend(level=-12.0), "long": MixSend(level=-15.0)}
    sources = tuple(replace(source, sends=sends) for source in mix.sources)
    return replace(mix, sources=sources, returns=(MixReturn("short", room(0.8)), MixReturn("long", room(3.2))))


def renderer(mix: Mix, cache_bytes: int = 256 << 20) -> Callable[[], None]:
    """What renders a mix again and again, its responses and plan kept, and pieces of returns up to so many bytes."""
    cache = RenderCache(cache_bytes)

    def work() -> None:
        for _ in run_in_stretches(compile_mix(mix, cache=cache), 0, mix.frames, cache=cache):
            pass

    return work


def numpy_loop(audio: list[Audio]) -> Callable[[], None]:
    """The anchor: gains every 64 samples by the sine and cosine of a moving place, linear between."""
    stretch, step = 24576, 64
    rng = np.random.default_rng(3)
    lanes = [np.sort(rng.uniform(0, SECONDS, 30)) for _ in audio], [rng.uniform(-1, 1, 30) for _ in audio]

    def work() -> None:
        for low in range(0, audio[0].shape[1] - stretch, stretch):
            times = (low + np.arange(0, stretch + step, step)) / RATE
            out = np.zeros((2, stretch), np.float32)
            for sound, at, values in zip(audio, *lanes, strict=True):
                turn = (np.interp(times, at, values) + 1.0) * (np.pi / 4.0)
                gains = np.stack([np.cos(turn), np.sin(turn)]).astype(np.float32)
                slope = np.arange(step, dtype=np.float32) / step
                ramp = gains[:, :-1, np.newaxis] + np.diff(gains)[:, :, np.newaxis] * slope
                out += ramp.reshape(2, -1) * sound[0, low : low + stretch]

    return work


def adding(audio: list[Audio]) -> Callable[[], None]:
    """The anchor: the same sounds added to both sides as they are."""
    stretch = 24576

    def work() -> None:
        for low in range(0, audio[0].shape[1] - stretch, stretch):
            out = np.zeros((2, stretch), np.float32)
            for sound in audio:
                out += sound[:, low : low + stretch]

    return work


def tell(what: str, figure: str) -> None:
    print(f"{what:78} {figure}", flush=True)


def from_memory() -> None:
    audio = sounds(SOURCES)
    mix = stereo(audio)
    ours, loop, plain = took(renderer(mix)), took(numpy_loop(audio)), took(adding(audio))
    tell(f"{SOURCES} moving mono sources in stereo, against a bare NumPy loop", f"{loop / ours:.2f} ×")
    tell("the same against adding without gains", f"{plain / ours:.2f} ×")
    tell("the same against real time", f"{SECONDS / ours:.0f} ×")
    timed = replace(mix, sources=tuple(replace(source, delay_panning="symmetric") for source in mix.sources))
    tell(f"{SOURCES} placed by timing, all moving, against real time", f"{SECONDS / took(renderer(timed), 2):.0f} ×")
    rooms = took(renderer(sent_to_rooms(mix), 0))
    tell(f"{SOURCES} sent to rooms of 0.8 and 3.2 s, against real time", f"{SECONDS / rooms:.0f} ×")
    rng = np.random.default_rng(4)
    high = [
        replace(
            source,
            lanes={
                "pan": moving(rng, every=4.0),
                "front": moving(rng, every=4.0),
                "height": moving(rng, 0.0, every=4.0),
            },
        )
        for source in stereo(sounds(64, 30.0), 30.0).sources
    ]
    room = Mix(RATE, 30.0, tuple(high), layout="4+7+0")
    tell("64 moving in three dimensions, 4+7+0, against real time", f"{30.0 / took(renderer(room), 2):.0f} ×")


def a_segment() -> None:
    """Segments one after the other, as a player asks for them, of a session that is known."""
    mix = sent_to_rooms(stereo(sounds(48)))
    cache = RenderCache(512 << 20)
    spent = []
    for index in range(20, 80):
        start = time.perf_counter()
        segment_key(mix, index)
        list(render_segments(mix, index, index + 1, cache=cache))
        spent.append(time.perf_counter() - start)
    tell(
        "a segment of 48 moving sources with two rooms, meters and key, warm",
        f"{1e3 * float(np.median(spent[9:])):.1f} ms",
    )


def of_the_demo(folder: Path) -> None:
    make_bundle(folder / "demo")
    with Bundle(folder / "demo") as bundle:
        mix, document = bundle.mix(), bundle.document
        every = sounds_of(mix, True, ("mono", "headphones"), "sources", names_in(document), groups_in(document))
        paths = [folder / f"{number}.wav" for number in range(len(every))]

        def hand_over() -> None:
            finished(write_sounds(every, paths, 0, mix.frames, "wav-24", threads=usable_cores()))

        tell(f"mix, {len(every) - 3} stems, mono and headphones of the demo, measured", f"{took(hand_over, 1):.1f} s")
        cache = RenderCache(512 << 20)
        known: dict[str, Frames] = {}

        def measure(changed: Mix, listening: Listening = EVERYTHING) -> Any:
            """Measure what is not known, as the server does."""
            keys = [segment_key(changed, index, listening) for index in range(segment_count(changed))]
            missing = [index for index, key in enumerate(keys) if key not in known]
            for place, index in enumerate(missing):
                if place and missing[place - 1] == index - 1:
                    continue
                count = next(n for n in range(1, len(keys) + 1) if index + n not in missing)
                segments = render_segments(changed, index, index + count, listening, cache=cache)
                known.update({keys[index + n]: segment.frames for n, segment in enumerate(segments)})
                yield 0.5
            return Frames.joined([known[key] for key in keys])

        def edited(level: float) -> Mix:
            first, *others = mix.sources
            return replace(mix, sources=(replace(first, trim=level), *others))

        finished(measure(mix))
        start = time.perf_counter()
        Overview(finished(measure(edited(-1.0))))
        tell(
            f"the balance after an edit of “{mix.sources[0].id}”, which sounds all through",
            f"{time.perf_counter() - start:.2f} s",
        )
        (stretch, *_) = Overview(finished(measured(mix))).stretches()
        givers = [Adjustable(source.id) for source in mix.sources[:3]]
        start = time.perf_counter()
        finished(counterweight(mix, givers, [(stretch.start, stretch.end)], measure))
        tell("a counterweight of three sources", f"{time.perf_counter() - start:.1f} s")


def from_a_bundle(folder: Path, seconds: float = 180.0) -> None:
    """The command line beside ffmpeg, whole processes, two cores."""
    document = empty_document("Many", RATE, seconds)
    (folder / "assets").mkdir()
    rng = np.random.default_rng(5)
    for number in range(SOURCES):
        name = f"s{number}"
        sound = 0.03 * rng.standard_normal((1, round(RATE * seconds)), dtype=np.float32)
        write_audio(folder / "assets" / f"{name}.wav", sound, RATE, "wav-24")
        row = {"id": name, "name": name, "colour": 0, "order": number, "asset": f"{name}.wav", "seconds": seconds}
        document["sources"][name] = {**SOURCE_DEFAULTS, **row, "channels": 1, "mode": "pan"}
        points = [
            {"t": float(t), "value": float(rng.uniform(-1, 1)), "shape": "ease", "tension": 0.0}
            for t in range(0, 180, 4)
        ]
        document["lanes"][f"{name}/pan"] = {
            "id": f"{name}/pan", "source": name, "parameter": "pan", "on": True, "points": points,
        }  # fmt: skip
    write_session(folder, document)
    render = [sys.executable, "-m", "needle", "render", folder, folder / "mix.wav", "--format", "wav-24"]
    ours = took(lambda: subprocess.run(render, check=True, capture_output=True), 2)
    tell(f"needle render of a bundle, {SOURCES} × {seconds:.0f} s, to 24 bits: whole process", f"{ours:.2f} s")
    if shutil.which("ffmpeg") is None:
        tell("the same against ffmpeg with static pans", "left out: ffmpeg is not installed")
        return
    inputs = [part for number in range(SOURCES) for part in ("-i", str(folder / "assets" / f"s{number}.wav"))]
    pans = ";".join(
        f"[{n}:a]pan=stereo|c0={0.1 + n / 40:.3f}*c0|c1={0.9 - n / 40:.3f}*c0[p{n}]" for n in range(SOURCES)
    )
    graph = pans + ";" + "".join(f"[p{n}]" for n in range(SOURCES)) + f"amix=inputs={SOURCES}:normalize=0[out]"
    command = [
        "ffmpeg",
        "-y",
        "-v",
        "error",
        *inputs,
        "-filter_complex",
        graph,
        "-map",
        "[out]",
        "-c:a",
        "pcm_s24le",
        str(folder / "other.wav"),
    ]
    other = took(lambda: subprocess.run(command, check=True), 1)
    tell("the same against ffmpeg with static pans", f"{ours / other:.2f} × its time ({other:.2f} s)")


def importing() -> None:
    command = [sys.executable, "-m", "needle", "gains", "--law", "constant-power", "--pan", "0"]
    tell("import needle and gains", f"{took(lambda: subprocess.run(command, check=True, capture_output=True)):.2f} s")


def growth() -> None:
    """Twice the sources, the points, the length: how much longer it takes."""

    def seconds_of(sources: int, points: int, length: float) -> float:
        rng = np.random.default_rng(6)
        at = np.linspace(0.0, length, points)
        lanes = [
            {"pan": Lane(tuple(Point(float(t), float(rng.uniform(-1, 1)), "ease") for t in at))}
            for _ in range(sources)
        ]
        audio = sounds(sources, length)
        mix = Mix(
            RATE,
            length,
            tuple(MixSource(str(i), a, lanes=lane) for i, (a, lane) in enumerate(zip(audio, lanes, strict=True))),
        )
        return took(renderer(mix))

    base = seconds_of(32, 200, 10.0)
    for what, size in (("sources", (64, 200, 10.0)), ("points", (32, 400, 10.0)), ("length", (32, 400, 20.0))):
        tell(f"twice the {what}", f"{seconds_of(*size) / base:.2f} × the time")


def main() -> None:
    if "--growth" in sys.argv:
        growth()
        return
    from_memory()
    a_segment()
    importing()
    with tempfile.TemporaryDirectory() as folder:
        of_the_demo(Path(folder))
    with tempfile.TemporaryDirectory() as folder:
        from_a_bundle(Path(folder))


if __name__ == "__main__":
    main()
