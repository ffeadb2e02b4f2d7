"""The commands that hand over: ``render``, ``adm``, ``moves`` and ``take-in``."""

import argparse
import json
import re
import sys
from pathlib import Path
from typing import Any

from needle.balance.progress import finished
from needle.dsp.kernels import prepare
from needle.errors import NeedleError
from needle.export.deliverables import Sounds, sounds_of
from needle.export.files import write_sounds
from needle.export.naming import safe
from needle.io.adm.from_mix import mix_to_adm
from needle.io.adm.read import read_programme
from needle.io.adm.to_session import import_adm
from needle.io.adm.write import write_adm
from needle.io.audio import FORMATS, AudioInfo, opened_audio
from needle.io.bundle import Bundle
from needle.io.lanes import lanes_json, lanes_table
from needle.io.midi_automation import write_midi_moves
from needle.mix.model import Mix
from needle.mix.monitors import HEADPHONES, MONITORS
from needle.render.blocks import usable_cores
from needle.session.document import groups_in, names_in, tempo_map
from needle.tempo import TempoMap


def add_commands(commands: Any) -> None:
    """Add the commands to a parser's."""
    render = commands.add_parser("render", help="the mix of a session bundle as an audio file")
    render.add_argument("bundle", type=Path)
    render.add_argument("out", type=Path, help="an audio file, or a folder with --stems")
    render.add_argument("--stems", action="store_true", help="each source and return as it sounds in the mix")
    render.add_argument("--by", default="sources", choices=["sources", "groups"], help="what a stem is")
    render.add_argument("--from", dest="start", metavar="BAR", help="first bar, as 17 or 17.3")
    render.add_argument("--to", dest="end", metavar="BAR", help="the bar to stop before")
    ways = ["layout", *MONITORS, HEADPHONES.name]
    render.add_argument("--listen", default="layout", choices=ways, help="as somebody would hear it")
    render.add_argument("--format", default="wav-float", choices=list(FORMATS))
    render.set_defaults(command=_render)

    adm = commands.add_parser("adm", help="a session bundle as object audio: ADM in a BW64 file")
    adm.add_argument("bundle", type=Path)
    adm.add_argument("out", type=Path)
    adm.set_defaults(command=_adm)

    moves = commands.add_parser(
        "moves", help="the lanes of a session bundle as CSV, JSON or MIDI, by the file's ending"
    )
    moves.add_argument("bundle", type=Path)
    moves.add_argument("out", type=Path, help="a file ending in .csv, .json or .mid")
    moves.add_argument("--fine", action="store_true", help="MIDI controllers in 14 bits")
    moves.set_defaults(command=_moves)

    take_in = commands.add_parser("take-in", help="an ADM file as a session bundle's folder")
    take_in.add_argument("file", type=Path)
    take_in.add_argument("folder", type=Path)
    take_in.set_defaults(command=_take_in)

    for command in (render, adm, moves, take_in):
        command.add_argument("--json", action="store_true", help="print JSON")


def _render(chosen: argparse.Namespace) -> None:
    prepare()
    with Bundle(chosen.bundle) as bundle:
        mix = bundle.mix()
        tempo = tempo_map(bundle.document)
        start = _frame(tempo, mix, chosen.start, 0)
        end = _frame(tempo, mix, chosen.end, mix.frames)
        if start >= end:
            raise NeedleError("cli.range_is_empty")
        sounds, paths = _outputs(chosen, bundle, mix)
        steps = write_sounds(sounds, paths, start, end, chosen.format, measured=False, threads=usable_cores())
        files = finished(steps, lambda done: _progress(chosen.out.name, done))
        for path, file in zip(paths, files, strict=True):
            report = {"file": str(path), "seconds": (end - start) / mix.rate, "clipped": file.clipped}
            print(
                json.dumps(report) if chosen.json else f"{path}: {report['seconds']:.2f} s" + _clipped(file.clipped)
            )


def _outputs(chosen: argparse.Namespace, bundle: Bundle, mix: Mix) -> tuple[Sounds, list[Path]]:
    """What is rendered, and to which files."""
    names, groups = names_in(bundle.document), groups_in(bundle.document)
    sounds = sounds_of(mix, not chosen.stems, (), chosen.by if chosen.stems else "", names, groups)
    if chosen.listen != "layout":
        sounds = sounds.through(chosen.listen)
    if not chosen.stems:
        return sounds, [chosen.out]
    chosen.out.mkdir(parents=True, exist_ok=True)
    ending = FORMATS[chosen.format][2]
    return sounds, [
        chosen.out / f"{number:02} {safe(sound.title) or safe(sound.id)}{ending}"
        for number, sound in enumerate(sounds, start=1)
    ]


def _adm(chosen: argparse.Namespace) -> None:
    with Bundle(chosen.bundle) as bundle:
        mix, document = bundle.mix(), bundle.document
        result = mix_to_adm(mix, document["session"]["name"], names_in(document))
        for done in write_adm(chosen.out, mix, result):
            _progress(chosen.out.name, done)
    objects = result.programme.objects
    report: dict[str, Any] = {
        "file": str(chosen.out),
        "objects": sum(not item.bed for item in objects),
        "beds": sum(item.bed for item in objects),
        "tracks": result.programme.tracks,
        "notes": list(map(str, result.programme.notes)),
    }
    if chosen.json:
        print(json.dumps(report))
        return
    print(f"{chosen.out}: {report['objects']} objects, {report['beds']} beds, {report['tracks']} tracks")
    print("\n".join(report["notes"]), end="\n" if report["notes"] else "")


def _moves(chosen: argparse.Namespace) -> None:
    with Bundle(chosen.bundle) as bundle:
        document, tempo = bundle.document, tempo_map(bundle.document)
        kind = chosen.out.suffix.lower()
        if kind == ".csv":
            chosen.out.write_text(lanes_table(document, tempo), "utf-8")
        elif kind == ".json":
            chosen.out.write_text(lanes_json(document), "utf-8")
        elif kind in (".mid", ".midi"):
            write_midi_moves(chosen.out, document, tempo, bundle.mix().length, chosen.fine)
        else:
            raise NeedleError("cli.unknown_moves_format")
        lanes = len([lane for lane in document["lanes"].values() if lane["points"]])
    report = {"file": str(chosen.out), "lanes": lanes}
    print(json.dumps(report) if chosen.json else f"{chosen.out}: {lanes} lanes")


def _take_in(chosen: argparse.Namespace) -> None:
    chosen.folder.mkdir(parents=True, exist_ok=True)
    if any(chosen.folder.iterdir()):
        raise NeedleError("cli.folder_not_empty", folder=chosen.folder)
    for done in import_adm(chosen.file, chosen.folder):
        _progress(chosen.file.name, done)
    with Bundle(chosen.folder) as bundle:
        sources, layout = len(bundle.document["sources"]), bundle.document["session"]["layout"]
    with opened_audio(chosen.file, 1024) as file:
        notes = read_programme(chosen.file, AudioInfo(file.samplerate, file.channels, file.frames)).notes
    report = {"folder": str(chosen.folder), "sources": sources, "layout": layout, "notes": list(map(str, notes))}
    print(json.dumps(report) if chosen.json else f"{chosen.folder}: {sources} sources in {layout}")
    if not chosen.json:
        print("\n".join(map(str, notes)), end="\n" if notes else "")


def _clipped(samples: int) -> str:
    return f", {samples} samples over full scale: lower the levels" if samples else ""


def _frame(tempo: TempoMap, mix: Mix, bar: str | None, default: int) -> int:
    if bar is None:
        return default
    matched = re.fullmatch(r"(\d+)(?:\.(\d+(?:\.\d+)?))?", bar)
    if not matched or int(matched[1]) < 1:
        raise NeedleError("cli.not_a_bar", bar=bar)
    beat = tempo.beat_of_bar(int(matched[1])) + float(matched[2] or 1) - 1.0
    return min(round(tempo.seconds_at(beat) * mix.rate), mix.frames)


def _progress(name: str, done: float) -> None:
    if sys.stderr.isatty():
        bar = "#" * round(done * 40)
        print(f"\r{name} [{bar:<40}] {done:4.0%}", end="" if done < 1.0 else "\n", file=sys.stderr)
