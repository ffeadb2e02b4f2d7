"""Places as controllers in a Standard MIDI File: CC 10 (pan) and CC 8 (balance), in 14 bits with CC 42 and CC 40.

MIDI 1.0 Detailed Specification, table 3; the centre of 7 bits is 64, and 0 and 1 are both hard left (RP-036); the
centre of 14 bits is 8192. Files are of type 1, on the session's tempo map, a track for every source.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from needle.automation.curve import Lane, Point, Values
from needle.automation.parameters import PARAMETERS
from needle.automation.thinning import thinned
from needle.dsp.pan_modes import MODES
from needle.errors import NeedleError
from needle.io.extras import Extra
from needle.io.lanes import FoundLane
from needle.io.midi import MOST_MESSAGES, midi_tempo, opened_midi, timed_messages
from needle.messages import Message
from needle.session.document import markers_in
from needle.session.owners import lane_key, placement_parameters
from needle.session.validation import Document
from needle.tempo import TempoMap

if TYPE_CHECKING:
    import mido
else:
    mido = Extra("mido", "midi")


PAN, BALANCE, FINE = 10, 8, 32
TICKS = 960
STEP_SECONDS = 0.01
"""How often a moving place is told (s)."""

HELD_SECONDS = 0.25
"""A value that nothing follows for longer is held until the next; shorter steps are taken for a movement."""

_CHANNELS = 16
_COARSE = 63.0
_FINE_CENTRE, _FINE_HALF = 8192, 8191.0
COARSE_STEP, FINE_STEP = 1.0 / _COARSE, 1.0 / _FINE_HALF


def write_midi_moves(
    path: Path,
    document: Document,
    tempo: TempoMap,
    seconds: float,
    fine: bool = False,
    owners: Iterable[str] | None = None,
) -> None:
    """Write where every source stands over ``seconds``, by its lane or its static value, to a file.

    ``fine``: in 14 bits. A source whose sides have places of their own has a track for each. A source past the
    sixteenth has a channel that another one has too, on a track and port of its own. Passages are markers.
    """
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS)
    file.tracks.append(_tempo_track(document["session"]["name"], tempo, markers_in(document)))
    wanted = None if owners is None else set(owners)
    rows = sorted(document["sources"].values(), key=lambda row: (row["order"], row["id"]))
    lines = [
        (row, parameter)
        for row in rows
        if wanted is None or row["id"] in wanted
        for parameter in placement_parameters(row["mode"])
        if PARAMETERS[parameter].place
    ]
    for number, (row, parameter) in enumerate(lines):
        stored = document["lanes"].get(lane_key(row["id"], parameter))
        moves = stored is not None and stored["points"] and not stored.get("off")
        lane = Lane.of(stored["points"]) if stored and moves else Lane((Point(0.0, row[parameter]),))
        controller = BALANCE if MODES[row["mode"]].on_its_side else PAN
        title = row["name"] + {"pan_left": " (left)", "pan_right": " (right)"}.get(parameter, "")
        track = _track(title, number, controller, lane, tempo, seconds, fine)
        file.tracks.append(track)
    file.save(path)


def _latin(text: str) -> str:
    """A text as a file's names have it."""
    return text.encode("latin-1", "replace").decode("latin-1")


def _tempo_track(name: str, tempo: TempoMap, markers: Iterable[tuple[float, str]]) -> mido.MidiTrack:
    events: list[tuple[int, mido.MetaMessage]] = []
    for beat, bpm in tempo.tempos:
        events.append((round(beat * TICKS), mido.MetaMessage("set_tempo", tempo=round(60e6 / bpm))))
    for bar, count, unit in tempo.metres:
        signature = mido.MetaMessage("time_signature", numerator=count, denominator=unit)
        events.append((round(tempo.beat_of_bar(bar) * TICKS), signature))
    for beat, marker in markers:
        events.append((round(beat * TICKS), mido.MetaMessage("marker", text=_latin(marker))))
    return _as_track(_latin(name), sorted(events, key=lambda one: one[0]))


def _as_track(name: str, events: list[tuple[int, mido.Message]], port: int = 0) -> mido.MidiTrack:
    track = mido.MidiTrack([mido.MetaMessage("track_name", name=name)])
    if port:
        track.append(mido.MetaMessage("midi_port", port=port))
    before = 0
    for tick, message in events:
        track.append(message.copy(time=tick - before))
        before = tick
    track.append(mido.MetaMessage("end_of_track"))
    return track


def _track(
    title: str, number: int, controller: int, lane: Lane, tempo: TempoMap, seconds: float, fine: bool
) -> mido.MidiTrack:
    times = _told_at(lane, seconds)
    values = np.clip(lane.evaluate(times), -1.0, 1.0)
    steps = as_steps(values, fine)
    ticks = np.maximum(np.round(tempo.beats_at(times) * TICKS).astype(np.int64), 0)
    events: list[tuple[int, mido.Message]] = []
    channel, last = number % _CHANNELS, -1
    for index, (tick, step) in enumerate(zip(ticks.tolist(), steps.tolist(), strict=True)):
        if step == last:
            continue
        # What is told at the same tick as the next would be lost.
        just_before = min(int(ticks[index - 1]), tick - 1) if index else -1
        if abs(step - last) > 1 and just_before > (events[-1][0] if events else -1):
            # It stood still until now: that is told once more, so that nobody takes it for a slow move.
            events += [(just_before, message) for message in _messages(channel, controller, last, fine)]
        events += [(tick, message) for message in _messages(channel, controller, step, fine)]
        last = step
    return _as_track(_latin(title), events, number // _CHANNELS)


def _told_at(lane: Lane, seconds: float) -> Values:
    if len(lane.points) == 1:
        return np.zeros(1)
    corners = [corner for corner in lane.corners if corner <= seconds]
    return np.unique(np.concatenate([np.arange(0.0, seconds, STEP_SECONDS), corners, [seconds]]))


def as_steps(values: Values, fine: bool) -> Values:
    """Places (-1…1) as controller values: 1…127, or 1…16383 in 14 bits."""
    half, centre = (_FINE_HALF, _FINE_CENTRE) if fine else (_COARSE, 64)
    return (centre + np.round(np.asarray(values) * half)).astype(np.int64)


def as_places(steps: Values, fine: bool) -> Values:
    """Controller values as places (-1…1)."""
    half, centre = (_FINE_HALF, _FINE_CENTRE) if fine else (_COARSE, 64)
    return np.clip((np.asarray(steps, dtype=np.float64) - centre) / half, -1.0, 1.0)


def _messages(channel: int, controller: int, step: int, fine: bool) -> list[mido.Message]:
    if not fine:
        return [mido.Message("control_change", channel=channel, control=controller, value=step)]
    # The coarse part first: it sets the fine one to 0 (MIDI 1.0, 14-bit controllers).
    return [
        mido.Message("control_change", channel=channel, control=controller, value=step >> 7),
        mido.Message("control_change", channel=channel, control=controller + FINE, value=step & 127),
    ]


def read_midi_moves(path: Path, tempo: TempoMap | None = None) -> list[FoundLane]:
    """What pan and balance controllers a file holds, a lane for each track and channel, with times (s).

    ``tempo``: the map on whose beats they fall; the file's own if none is given. NeedleError if there are none.
    """
    file = opened_midi(path)
    beats = tempo or midi_tempo(path).tempo
    result: list[FoundLane] = []
    count = 0
    for number, track in enumerate(file.tracks, start=1):
        name = ""
        values: dict[tuple[int, int], list[tuple[float, int, int]]] = defaultdict(list)
        for beat, message in timed_messages(track, file.ticks_per_beat):
            count += 1
            if count > MOST_MESSAGES:
                raise NeedleError("midi.too_many_messages", file=path.name, most=MOST_MESSAGES)
            if message.type == "track_name" and not name:
                name = message.name.strip()
            elif message.type == "control_change" and message.control in _CONTROLS:
                controller, part = _CONTROLS[message.control]
                values[message.channel, controller].append((beat, part, message.value))
        for (channel, controller), events in sorted(values.items()):
            result.append(_found(events, beats, name, number, channel, controller))
    if not result:
        raise NeedleError("midi.no_controllers", file=path.name)
    return result


_CONTROLS = {PAN: (PAN, 0), BALANCE: (BALANCE, 0), PAN + FINE: (PAN, 1), BALANCE + FINE: (BALANCE, 1)}
_SUFFIXES = {" (left)": "pan_left", " (right)": "pan_right"}


def _found(
    events: list[tuple[float, int, int]], tempo: TempoMap, name: str, number: int, channel: int, controller: int
) -> FoundLane:
    fine = any(part for _, part, _ in events)
    beats: list[float] = []
    steps: list[int] = []
    coarse = 64
    for beat, part, value in events:
        if part:
            step = (coarse << 7) | value
        else:
            coarse = value
            step = value << 7 if fine else max(value, 1)
        if beats and beats[-1] == beat:
            # Both halves of one value, or the later of two.
            steps[-1] = step
        else:
            beats.append(beat)
            steps.append(step)
    times = np.array([max(tempo.seconds_at(beat), 0.0) for beat in beats])
    lane = _as_lane(times, as_places(np.array(steps), fine), FINE_STEP if fine else COARSE_STEP)
    parameter, title = "pan", name
    for suffix, side in _SUFFIXES.items():
        if name.endswith(suffix):
            parameter, title = side, name.removesuffix(suffix)
    what = "balance" if controller == BALANCE else "pan"
    note = Message(f"midi.{what}_14_bit" if fine else f"midi.{what}", track=number, channel=channel + 1)
    return FoundLane("", title[:120], parameter, lane, (note,))


def _as_lane(times: Values, values: Values, step: float) -> Lane:
    """Controller values as points: quick ones as a movement, slow ones held until the next, thinned within a step."""
    quick = np.diff(times, append=np.inf) <= HELD_SECONDS
    points = [
        Point(float(t), float(v), "straight" if moving else "hold")
        for t, v, moving in zip(times, values, quick, strict=True)
    ]
    return Lane(thinned(points, step))
