"""The command line: ``python -m needle COMMAND``, for scripts and batch work; ``--help`` lists the commands.

Results go to standard output, readable or as JSON with ``--json``; errors to standard error, exit code 2.
"""

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from needle.automation.parameters import PARAMETERS
from needle.automation.thinning import thinned
from needle.autopan.groove_reading import every_bar, marks, sentence, side_gains, silent
from needle.autopan.pulse import Pulse, Pulsing
from needle.autopan.waveforms import WAVES
from needle.cli.session_commands import add_commands
from needle.dealing.deal import ORDERS, Event, dealt, spread
from needle.dsp.pan_laws import LAWS, law_named
from needle.dsp.point_source_panner import point_source_gains
from needle.errors import NeedleError
from needle.io.audio import audio_info, read_stretches
from needle.io.containers import channel_mask, in_layout_order
from needle.io.lanes import lane_rows, read_lane
from needle.io.midi import midi_notes, midi_tempo
from needle.layouts import LAYOUTS, layout_of_file
from needle.metering.measure import measure
from needle.room_coordinates import polar_to_room, room_to_polar
from needle.tempo import TempoMap


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; the exit code."""
    chosen = _parser().parse_args(arguments)
    try:
        chosen.command(chosen)
    except (NeedleError, OSError) as error:
        print(f"needle: {error}", file=sys.stderr)
        return 2
    return 0


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="needle", description=__doc__.splitlines()[0])
    commands = parser.add_subparsers(required=True, metavar="command")

    gains = commands.add_parser("gains", help="the gains of positions under a pan law, or in a layout")
    gains.add_argument("--law", default="constant-power", choices=list(LAWS))
    gains.add_argument("--pan", type=float, nargs="+", metavar="P", help="-1 left … 1 right")
    gains.add_argument("--centre-zero", action="store_true", help="hold the centre at 0 dB")
    gains.add_argument("--layout", choices=list(LAYOUTS), help="loudspeakers, instead of a law")
    gains.add_argument("--azimuth", type=float, metavar="A", help="degrees, + to the left")
    gains.add_argument("--elevation", type=float, default=0.0, metavar="E", help="degrees, + upwards")
    gains.add_argument("--points", type=Path, metavar="FILE", help="CSV lines azimuth,elevation")
    gains.set_defaults(command=_gains)

    convert = commands.add_parser("convert", help="room coordinates to polar ones, and back")
    which = convert.add_mutually_exclusive_group(required=True)
    which.add_argument("--room", type=float, nargs=3, metavar=("X", "Y", "Z"))
    which.add_argument("--polar", type=float, nargs=3, metavar=("AZIMUTH", "ELEVATION", "DISTANCE"))
    convert.set_defaults(command=_convert)

    measured = commands.add_parser("measure", help="loudness, peaks, lean, correlation of an audio file")
    measured.add_argument("file", type=Path)
    measured.set_defaults(command=_measure)

    add_commands(commands)

    thin = commands.add_parser("thin", help="fewer points for the same move: a lane as CSV lines time,value")
    thin.add_argument("file", type=Path)
    thin.add_argument(
        "--parameter", default="pan", choices=list(PARAMETERS), help="whose range the grain is a share of"
    )
    thin.add_argument("--grain", type=float, metavar="G", help="how far the thinned line may be off")
    thin.set_defaults(command=_thin)

    pulse = commands.add_parser("pulse", help="the gains of a pulse on both sides, and the beats that are silent")
    pulse.add_argument("--period", type=float, default=1.0, metavar="BEATS")
    pulse.add_argument("--hertz", type=float, metavar="HZ", help="the rate, instead of a period in beats")
    pulse.add_argument("--wave", default="sine", choices=list(WAVES))
    pulse.add_argument("--offset", type=float, default=180.0, metavar="DEGREES", help="how far the right is ahead")
    pulse.add_argument("--depth", type=float, default=1.0, metavar="D", help="0 … 1")
    pulse.add_argument("--smooth", type=float, default=0.0, metavar="S", help="share of a cycle, 0 … 1")
    pulse.add_argument("--duty", type=float, default=0.5, metavar="D", help="how long a square is on, 0 … 1")
    pulse.add_argument("--start-phase", type=float, default=0.0, metavar="C", help="cycles that it is ahead, 0 … 1")
    pulse.add_argument("--steps", type=float, nargs="+", metavar="W", help="drawn steps, -1 … 1")
    pulse.add_argument("--seed", type=int, default=1, help="of chance")
    pulse.add_argument("--glide", action="store_true", help="chance glides from value to value")
    pulse.add_argument("--flip", action="store_true", help="turn the wave over")
    pulse.add_argument("--constant-power", action="store_true", help="hold the power of both sides together")
    pulse.add_argument("--bpm", type=float, default=120.0)
    pulse.add_argument("--beats", type=int, default=4, help="beats of the bar")
    pulse.set_defaults(command=_pulse)

    deal = commands.add_parser("deal", help="the notes of a MIDI file dealt to places in turn")
    deal.add_argument("file", type=Path)
    deal.add_argument("--places", type=int, default=4, metavar="N", help="2 … 16, evenly from left to right")
    deal.add_argument("--order", default="in-turn", choices=list(ORDERS))
    deal.add_argument("--seed", type=int, default=1, help="of a shuffled order")
    deal.set_defaults(command=_deal)

    for command in (gains, convert, measured, thin, pulse, deal):
        command.add_argument("--json", action="store_true", help="print JSON")
    return parser


def _gains(chosen: argparse.Namespace) -> None:
    if chosen.layout:
        _layout_gains(chosen)
        return
    if not chosen.pan:
        raise NeedleError("cli.no_place")
    if not all(-1.0 <= pan <= 1.0 for pan in chosen.pan):
        raise NeedleError("cli.pan_out_of_range")
    gains = law_named(chosen.law).gains(chosen.pan, chosen.centre_zero).T.tolist()
    if chosen.json:
        print(json.dumps({"gains": gains}))
        return
    print("   pan      left     right")
    for pan, (left, right) in zip(chosen.pan, gains, strict=True):
        print(f"{pan:6.2f}  {left:8.5f}  {right:8.5f}")


def _layout_gains(chosen: argparse.Namespace) -> None:
    if (chosen.azimuth is None) == (chosen.points is None):
        raise NeedleError("cli.no_direction")
    places = [(chosen.azimuth, chosen.elevation)] if chosen.points is None else _directions(chosen.points)
    if not all(np.isfinite(a) and -90.0 <= e <= 90.0 for a, e in places):
        raise NeedleError("cli.direction_out_of_range")
    layout = LAYOUTS[chosen.layout]
    names = [speaker.name for speaker in layout.speakers]
    gains = point_source_gains(layout, *np.array(places).T).T.tolist()
    if chosen.json:
        print(json.dumps({"channels": names, "gains": gains}))
        return
    print("azimuth elevation  " + "".join(f"{name:>9}" for name in names))
    for (azimuth, elevation), row in zip(places, gains, strict=True):
        print(f"{azimuth:7.1f} {elevation:9.1f}  " + "".join(f"{gain:9.5f}" for gain in row))


def _directions(path: Path) -> list[tuple[float, float]]:
    directions = []
    try:
        lines = path.read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise NeedleError("cli.not_text", file=path.name) from error
    for number, line in enumerate(lines, start=1):
        if not line.strip() or (number == 1 and line.strip().lower().startswith("azimuth")):
            continue
        try:
            azimuth, elevation = (float(value) for value in line.split(","))
        except ValueError as error:
            raise NeedleError("cli.line_is_no_direction", number=number, file=path.name) from error
        directions.append((azimuth, elevation))
    if not directions:
        raise NeedleError("cli.no_directions", file=path.name)
    return directions


def _convert(chosen: argparse.Namespace) -> None:
    given = chosen.room or chosen.polar
    if not np.isfinite(given).all():
        raise NeedleError("cli.coordinates_are_numbers")
    names = ("azimuth", "elevation", "distance") if chosen.room else ("x", "y", "z")
    values = (room_to_polar if chosen.room else polar_to_room)(*given)
    coordinates = dict(zip(names, map(float, values), strict=True))
    print(json.dumps(coordinates) if chosen.json else "\n".join(f"{n:<10}{v:9.4f}" for n, v in coordinates.items()))


def _thin(chosen: argparse.Namespace) -> None:
    grain = PARAMETERS[chosen.parameter].grain if chosen.grain is None else chosen.grain
    if not 0.0 < grain < float("inf"):
        raise NeedleError("range_edit.simplify_not_positive")
    before = read_lane(chosen.file).points
    after = thinned(before, grain)
    if chosen.json:
        points = [{"time": p.t, "value": p.value, "shape": p.shape, "tension": p.tension} for p in after]
        print(json.dumps({"before": len(before), "after": len(after), "points": points}))
        return
    print("\n".join(lane_rows(after)))


_PRINTED_PER_BEAT = 96


def _pulse(chosen: argparse.Namespace) -> None:
    if not 1 <= chosen.beats <= 32:
        raise NeedleError("cli.beats_out_of_range")
    given: dict[str, Any] = {name: getattr(chosen, name) for name in _PULSE_VALUES}
    drawn: dict[str, Any] = {"steps": tuple(chosen.steps)} if chosen.steps else {}
    cycle: dict[str, Any] = {"unit": "hertz", "rate": chosen.hertz} if chosen.hertz is not None else {}
    pulsing = Pulsing(Pulse(**given, **drawn, **cycle), TempoMap(((0.0, chosen.bpm),), ((1, chosen.beats, 4),)))
    times = np.arange(chosen.beats * _PRINTED_PER_BEAT) * 60.0 / chosen.bpm / _PRINTED_PER_BEAT
    left, right = side_gains(pulsing, times)
    marked = marks(pulsing, 1)
    if chosen.json:
        gains = {"times": times.tolist(), "left": left.tolist(), "right": right.tolist()}
        print(json.dumps({**gains, "silent_beats": silent(marked)}))
        return
    print(sentence(marked, 1, every_bar(pulsing, 1)))
    print("  beat      left     right")
    for mark in marked:
        print(f"{mark.beat:6.1f}  {mark.left:8.4f}  {mark.right:8.4f}")


_PULSE_VALUES = (
    "period",
    "wave",
    "offset",
    "depth",
    "smooth",
    "duty",
    "start_phase",
    "seed",
    "glide",
    "flip",
    "constant_power",
)


def _deal(chosen: argparse.Namespace) -> None:
    notes = midi_notes(chosen.file).notes
    tempo = midi_tempo(chosen.file).tempo
    events = [Event(tempo.seconds_at(beat), length, pitch, velocity) for beat, length, pitch, velocity in notes]
    turns = dealt(events, chosen.order, chosen.places, chosen.seed)
    pans = spread(chosen.places)
    if chosen.json:
        rows = [
            {"time": e.t, "pitch": e.pitch, "velocity": e.velocity, "place": int(turn) + 1, "pan": pans[turn]}
            for e, turn in zip(events, turns, strict=True)
        ]
        print(json.dumps({"places": pans, "notes": rows}))
        return
    print("    time  pitch  place    pan")
    for event, turn in zip(events, turns, strict=True):
        print(f"{event.t:8.3f}  {event.pitch:5.0f}  {turn + 1:5}  {pans[turn]:5.2f}")


_UNITS = {"lufs": "LUFS", "lu": "LU", "dbtp": "dBTP", "dbfs": "dBFS", "db": "dB"}


def _measure(chosen: argparse.Namespace) -> None:
    info = audio_info(chosen.file)
    mask = channel_mask(chosen.file)
    layout = layout_of_file(info.channels, mask)
    stretches = in_layout_order(read_stretches(chosen.file), layout if mask else None)
    _print_measurement(measure(stretches, info.rate, info.channels, layout), chosen.json)


def _print_measurement(measurement: dict[str, Any], as_json: bool) -> None:
    if as_json:
        print(json.dumps(measurement))
        return
    for name, value in measurement.items():
        if name == "stretches":
            continue
        words = name.split("_")
        unit = _UNITS.get(words[-1], "")
        title = " ".join(words[:-1] if unit else words)
        print(f"{title:<16} {'-' if value is None else f'{value:.2f}':>8} {unit}")
    for stretch in measurement["stretches"]:
        side = "R" if stretch["mean_db"] > 0 else "L"
        print(
            f"leans {side} {abs(stretch['mean_db']):.1f} dB (worst {abs(stretch['worst_db']):.1f}) "
            f"from {stretch['start']:.1f} s to {stretch['end']:.1f} s"
        )


if __name__ == "__main__":
    sys.exit(main())
