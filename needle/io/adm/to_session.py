"""An ADM file as a session: objects become sources with lanes, beds become sources at their loudspeakers."""

import re
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from needle.automation.curve import Point
from needle.automation.parameters import PARAMETERS
from needle.automation.thinning import breakpoints
from needle.errors import NeedleError
from needle.io.adm.model import AdmObject, AdmProgramme, Channel, Moves, Values
from needle.io.adm.read import read_programme
from needle.io.adm.steps import crossfade_moves
from needle.io.audio import MAX_SECONDS, AudioInfo, AudioWriter, check_samples
from needle.io.bundle import ASSETS, write_session
from needle.io.bw64 import opened
from needle.io.containers import check_promise
from needle.layouts import LAYOUTS, Layout
from needle.room_coordinates import polar_to_room, wrapped
from needle.session.document import GROUP_DEFAULTS, SOURCE_DEFAULTS, empty_document
from needle.session.owners import lane_key, lane_value
from needle.session.validation import SOURCE_COLOURS, Document
from needle.units import OFF_DB, RATES, db_to_gain

STEP_SECONDS, STEP_DEGREES = 0.01, 0.1
_MOST_STEPS = 10_000
_GRAIN = 1e-4
"""How far a place in the room may be off once its points are thinned: less than a hundredth of a degree."""

_GRAIN_DB = 0.02
_NEAREST = 0.05
_STRETCH = 1 << 15
_MOST_SOURCES = 512
_LARGEST = "4+7+0"


def import_adm(path: Path, folder: Path, name: str = "") -> Iterator[float]:
    """Write an ADM file into a bundle's ``folder`` as a session; the share that is done, again and again.

    ``name``: what the session is called, the programme's own name otherwise. NeedleError if it cannot be read; what
    is left out is told by ``read_programme``.
    """
    check_promise(path)
    with opened(path) as file:
        info = AudioInfo(file.samplerate, file.channels, file.frames)
        if not 0.0 < info.seconds <= MAX_SECONDS:
            raise NeedleError("adm.no_sound_or_too_long", file=path.name, most=round(MAX_SECONDS / 3600))
        programme = read_programme(path, info)
        document, tracks = session_of(programme, info, name)
        assets = folder / ASSETS
        assets.mkdir(parents=True, exist_ok=True)
        writers = [AudioWriter(assets / asset, info.rate, len(rows)) for asset, rows in tracks.items()]
        try:
            done = 0
            while len(block := file.read(_STRETCH, dtype="float32", always_2d=True)):
                check_samples(path, block)
                for writer, rows in zip(writers, tracks.values(), strict=True):
                    writer.write(np.ascontiguousarray(block.T[rows]))
                done += len(block)
                yield done / info.frames
        finally:
            for writer in writers:
                writer.__exit__()
    write_session(folder, document)


def session_of(programme: AdmProgramme, info: AudioInfo, name: str = "") -> tuple[Document, dict[str, list[int]]]:
    """The session of a programme, and which tracks each of its assets takes."""
    rate = info.rate if info.rate in RATES else 48000
    document = empty_document((name or programme.name)[:120] or "Objects", rate, 0.0)
    layout = _layout_of(programme)
    document["session"]["layout"] = layout.name
    tracks: dict[str, list[int]] = {}
    for item in programme.objects:
        _add(document, tracks, item, layout, info.seconds)
    if len(document["sources"]) > _MOST_SOURCES:
        raise NeedleError("adm.too_many_sources", count=len(document["sources"]), most=_MOST_SOURCES)
    return document, tracks


def _layout_of(programme: AdmProgramme) -> Layout:
    """The layout that its beds are in; without one the largest, or stereo if nothing leaves the front."""
    for item in programme.objects:
        labels = {channel.speaker.label for channel in item.channels if channel.speaker}
        for layout in LAYOUTS.values():
            if len(labels) > 1 and labels == {channel.name for channel in layout.channels}:
                return layout
    moving = [channel.moves for item in programme.objects for channel in item.channels if channel.moves]
    front = all(_in_front(moves) for moves in moving)
    beds = any(len(item.channels) > 2 for item in programme.objects if item.bed)
    return LAYOUTS["0+2+0" if front and not beds else _LARGEST]


def _in_front(moves: Moves) -> bool:
    azimuth = np.abs(wrapped(moves.azimuth))
    flat = (np.abs(moves.elevation) < 0.05).all() and (moves.distance > 0.999).all()
    return bool((azimuth <= 30.05).all() and flat and not moves.extent.any())


def _add(document: Document, tracks: dict[str, list[int]], one: AdmObject, layout: Layout, seconds: float) -> None:
    groups = _grouped(one)
    group = ""
    if len(groups) > 1:
        group = _key(document["groups"], one.name)
        order = len(document["groups"])
        document["groups"][group] = {**GROUP_DEFAULTS, "id": group, "name": one.name, "order": order}
    for channels in groups:
        name = one.name if len(groups) == 1 else channels[0].name
        source = _source(document, name, channels, seconds, group)
        wanted = [channel.track for channel in channels]
        # What plays the same tracks, as two that crossfade do, shares them.
        source["asset"] = next((asset for asset, rows in tracks.items() if rows == wanted), source["asset"])
        tracks[source["asset"]] = wanted
        if channels[0].speaker is not None:
            _stand(document, source, channels)
        else:
            _move(document, source, channels, layout)


def _grouped(one: AdmObject) -> list[tuple[Channel, ...]]:
    """The channels of every source that an object or a bed becomes."""
    pair = len(one.channels) == 2
    if one.bed:
        stereo = pair and not any(channel.speaker and channel.speaker.lfe for channel in one.channels)
        return [one.channels] if stereo else [(channel,) for channel in one.channels]
    turns = [crossfade_moves(channel.moves) if channel.moves else () for channel in one.channels]
    if pair and all(len(moves) == 1 for moves in turns):
        return [tuple(replace(c, moves=moves[0]) for c, moves in zip(one.channels, turns, strict=True))]
    return [
        (replace(channel, moves=moves, name=f"{channel.name}{' (crossfade)' if number else ''}"),)
        for channel, parts in zip(one.channels, turns, strict=True)
        for number, moves in enumerate(parts)
    ]


def _source(
    document: Document, name: str, channels: tuple[Channel, ...], seconds: float, group: str
) -> dict[str, Any]:
    key = _key(document["sources"], name)
    order = len(document["sources"])
    source = {
        **SOURCE_DEFAULTS,
        "id": key,
        "name": name[:120],
        "colour": order % SOURCE_COLOURS,
        "order": order,
        "asset": f"{key}.wav",
        "channels": len(channels),
        "seconds": seconds,
        "group": group,
        "mode": "pan" if len(channels) == 1 else "sides",
    }
    document["sources"][key] = source
    return source


def _key(things: dict[str, Any], name: str) -> str:
    """An id after a name that no other has."""
    stem = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:48] or "object"
    return next(key for key in (stem, *(f"{stem}-{n}" for n in range(2, len(things) + 3))) if key not in things)


def _stand(document: Document, source: dict[str, Any], channels: tuple[Channel, ...]) -> None:
    """A bed's channels at their loudspeakers."""
    suffixes = ("",) if len(channels) == 1 else ("_left", "_right")
    source["gain"] = _before_levels(_db(np.array([channel.speaker.gain for channel in channels if channel.speaker])))
    by = float(db_to_gain(-source["gain"]))
    for channel, suffix in zip(channels, suffixes, strict=True):
        place = channel.speaker and replace(channel.speaker, gain=channel.speaker.gain * by)
        if place is None:
            continue
        if place.lfe:
            # It sounds from the low-frequency channel alone.
            levels = dict.fromkeys(("centre", "front", "sides", "back", "above"), OFF_DB)
            route = {"off": [], "levels": levels, "direct": 0.0, "ambient": 0.0}
            document["speaker_routing"][source["id"]] = {"id": source["id"], "routes": {"": route}}
            source["lfe"] = _level(place.gain)
            continue
        x, y, z = (float(np.clip(v, -1.0, 1.0)) for v in polar_to_room(place.azimuth, place.elevation, 1.0))
        source |= {f"pan{suffix}": x, f"front{suffix}": y, f"height{suffix}": z, f"level{suffix}": _level(place.gain)}
    document["sources"][source["id"]] = source


def _move(document: Document, source: dict[str, Any], channels: tuple[Channel, ...], layout: Layout) -> None:
    suffixes = ("",) if len(channels) == 1 else ("_left", "_right")
    source["gain"] = _before_levels(
        np.concatenate([_db(one.moves.gain) for one in channels if one.moves is not None])
    )
    for channel, suffix in zip(channels, suffixes, strict=True):
        moves = channel.moves
        if moves is None:
            continue
        times = _looked_at(moves)
        at = {
            name: np.interp(times, moves.times, getattr(moves, name)) for name in ("azimuth", "elevation", "distance")
        }
        if any(moves.lock):
            # The nearest loudspeaker is told by the direction alone, which the very middle has none of.
            at["distance"] = np.maximum(at["distance"], _NEAREST)
        place = np.clip(polar_to_room(at["azimuth"], at["elevation"], at["distance"]), -1.0, 1.0)
        # Near the middle a small way is a large angle.
        grain = _GRAIN * float(np.clip(at["distance"].min(), _NEAREST, 1.0))
        for name, values in zip(("pan", "front", "height"), place, strict=True):
            _set(document, source, f"{name}{suffix}", times, values, grain)
        level = _db(np.interp(times, moves.times, moves.gain)) - source["gain"]
        _set(document, source, f"level{suffix}", times, np.maximum(level, OFF_DB), _GRAIN_DB)
    first = channels[0].moves
    if first is None:
        return
    times = _looked_at(first)
    _set(document, source, "spread", times, np.interp(times, first.times, first.extent), 0.2)
    divergence = np.interp(times, first.times, first.divergence)
    _set(document, source, "centre_level", times, (1.0 - divergence) / (1.0 + divergence), 0.002)
    source["snap"] = any(first.lock)
    off = sorted(s.name for s in layout.speakers if any(z.holds(s.azimuth, s.elevation) for z in first.zones[0]))
    if off and len(off) < len(layout.speakers):
        route = {"off": off, "levels": {}, "direct": 0.0, "ambient": 0.0}
        document["speaker_routing"][source["id"]] = {"id": source["id"], "routes": {"": route}}


def _looked_at(moves: Moves) -> Values:
    """Times (s) at which moves are looked at: so closely that a line between them cuts no corner of the room."""
    if moves.still:
        return np.zeros(1)
    lasts = np.diff(moves.times)
    turns = np.maximum(np.abs(np.diff(moves.azimuth)), np.abs(np.diff(moves.elevation)))
    steps = np.clip(np.ceil(np.maximum(lasts / STEP_SECONDS, turns / STEP_DEGREES)), 1, _MOST_STEPS).astype(int)
    between = [np.linspace(t, t + d, n, endpoint=False) for t, d, n in zip(moves.times, lasts, steps, strict=False)]
    return np.concatenate([*between, moves.times[-1:]])


def _set(document: Document, source: dict[str, Any], name: str, times: Values, values: Values, grain: float) -> None:
    """A value that stands still, or a lane of it."""
    if np.ptp(values) <= grain / 10.0:
        source[name] = float(values[0])
        return
    indices = breakpoints(times, values, grain)
    points = [Point(float(times[i]), float(values[i])) for i in indices]
    key = lane_key(source["id"], name)
    document["lanes"][key] = lane_value(
        key, [{"t": p.t, "value": p.value, "shape": p.shape, "tension": p.tension} for p in points]
    )


def _before_levels(levels: Values) -> float:
    """The gain (dB) before everything else that makes up for what is louder than a level can be."""
    louder = max(float(levels.max(initial=OFF_DB)) - PARAMETERS["level"].high, 0.0)
    return round(float(np.ceil(louder * 10.0)) / 10.0, 1)


def _db(gain: Values) -> Values:
    return np.where(gain > 0.0, 20.0 * np.log10(np.maximum(gain, 1e-12)), OFF_DB)


def _level(gain: float) -> float:
    return float(np.clip(_db(np.array(gain)), OFF_DB, PARAMETERS["level"].high))
