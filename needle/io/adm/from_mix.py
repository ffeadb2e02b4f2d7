"""A mix told as objects and beds: what can be said by positions over time is an object, all else sounds in a bed.

An object's sound is the source before its place and level; both are told block by block. What positions cannot say
(placing by timing, a pulse that turns a side down behind the place, a double, a side with a width, layers, a stem
over the room, levels of groups of loudspeakers) is a bed in the mix's layout, exactly as it sounds there. So is every
return.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from needle.automation.thinning import breakpoints
from needle.dsp.pan_laws import law_named
from needle.dsp.pan_modes import MODES, STEM, mode_for
from needle.io.adm.gains import rendered_gains
from needle.io.adm.model import NUMBERS, AdmObject, AdmProgramme, Channel, Moves, SpeakerPlace, Values, Zone
from needle.layouts import Layout, Speaker
from needle.messages import Message
from needle.mix.model import Mix, MixSource
from needle.mix.partition import Part, return_part, without_returns
from needle.render.cache import RenderCache
from needle.render.engine import render_audio, render_before_placement
from needle.render.freezing import bare
from needle.render.source_gains import level_gain, output_sides, values_at
from needle.room_coordinates import room_to_polar
from needle.units import db_to_gain

Audio = NDArray[np.float32]

STEP_SECONDS = 0.005
"""The step at which moves are sampled; corners of lanes come on top, and finer steps where gains change fast."""

_FINE_STEP_SECONDS = 0.0001
_FINE_ABOVE = 0.03
"""Where a gain changes by more than this within a step, the step is divided."""

_MAX_GAIN_ERROR = 0.007
"""The largest error of a gain where a renderer interpolates gains linearly between blocks (BS.2127-0, 7.3).

It keeps well within 0.02 in any gain and a residual of -35 dB.
"""

_MOST_DEGREES = 150.0
"""By how much a block turns at the most, however little of it is heard."""

_ZONE = 1.0
"""How far a zone that silences a loudspeaker reaches beyond it (degrees)."""


@dataclass(frozen=True)
class TrackSound:
    """What one track sounds like: a part of the mix and the row of it that is the track's, times ``gain``."""

    part: Part
    row: int
    gain: float = 1.0
    before_place: bool = False


@dataclass(frozen=True)
class AdmExport:
    """A programme, and what each of its tracks sounds like."""

    programme: AdmProgramme
    tracks: tuple[TrackSound, ...]


def mix_to_adm(mix: Mix, name: str, names: Mapping[str, str]) -> AdmExport:
    """A mix as objects and beds; ``names`` are what sources and returns are called, by id."""
    objects: list[AdmObject] = []
    tracks: list[TrackSound] = []
    notes: list[Message] = []
    low: list[MixSource] = []
    for source in (source for source in mix.sources if not source.muted):
        why = _not_an_object(mix, source)
        title = names[source.id]
        if why:
            notes.append(Message("adm.written_as_bed", name=title, reason=Message(f"adm.{why}")))
            _add_bed(objects, tracks, title, Part("source", source.id, without_returns(mix, [source])))
            continue
        if not source.direct_muted:
            for part in source.parts:
                named = f"{title} · {part.place}" if part.place else title
                _add_object(objects, tracks, mix, part, named)
            notes += [Message(f"adm.{rule}", name=title) for rule in _by_other_rules(mix, source)]
            low += [source] if source.to_lfe and mix.room.lfe is not None else []
        if source.layers:
            alone = without_returns(mix, [replace(source, direct_muted=True)])
            _add_bed(objects, tracks, f"{title} · layers", Part("source", source.id, alone))
            notes.append(Message("adm.layers_as_bed", name=title))
    if low:
        _add_lfe(objects, tracks, mix, low)
    fed = {to for source in mix.sources if not source.muted for to in source.sends}
    for mix_return in mix.returns:
        if mix_return.id in fed and not mix_return.muted:
            _add_bed(objects, tracks, names[mix_return.id], return_part(mix, mix_return.id))
    return AdmExport(AdmProgramme(name, mix.length, tuple(objects), tuple(notes)), tuple(tracks))


def _not_an_object(mix: Mix, source: MixSource) -> str:
    """Which message says why a source cannot be written as positions; empty if it can."""
    parts = source.parts or (source,)
    some = np.array([0.0])
    if source.delay_panning != "off":
        return "delay_panned"
    if source.double:
        return "doubled"
    if any(output_sides(part, some) is not None for part in parts):
        return "pulsed_sides"
    if source.has_side_width:
        return "side_width"
    if not mix.room.surround:
        return ""
    if source.mode == STEM:
        return "stem_over_room"
    if source.speaker_routing.group_gains(mix.room, some) is not None:
        return "group_levels"
    return ""


def _by_other_rules(mix: Mix, source: MixSource) -> list[str]:
    """Which messages say what of an object renderers play by rules of their own."""
    if not mix.room.surround:
        return []
    notes = []
    if source.spread or "spread" in source.lanes:
        notes.append("spread_as_extent")
    if any(route.off for route in source.speaker_routing.all):
        notes.append("excluded_zones")
    return notes


def _add_object(objects: list[AdmObject], tracks: list[TrackSound], mix: Mix, source: MixSource, title: str) -> None:
    moves = moves_of(mix, source)
    # Its level is told by the blocks; what its gain would make too loud for the file is told there as well.
    quiet = replace(bare(source), gain=0.0, layers=(), direct_muted=False)
    gain = _headroom(quiet)
    part = Part("source", source.id, replace(mix, sources=(quiet,), returns=()))
    sides = ("L", "R") if len(moves) == 2 else [str(i + 1) for i in range(len(moves))]
    channels = []
    for row, channel in enumerate(moves):
        called = title if len(moves) == 1 else f"{title} {sides[row]}"
        louder = replace(channel, gain=channel.gain / gain)
        channels.append(Channel(len(tracks), called, moves=louder))
        tracks.append(TrackSound(part, row, gain, before_place=True))
    objects.append(AdmObject(title, tuple(channels)))


def _headroom(source: MixSource) -> float:
    """What brings the loudest sample that a source can have before its place within full scale; 1 if it is."""
    width = source.lanes.get("width")
    widest = max((p.value for p in width.points), default=1.0) if width else source.width
    step = 1 << 20
    peak = max(
        (
            float(np.abs(source.audio[:, low : low + step]).max(initial=0.0))
            for low in range(0, source.audio.shape[1], step)
        ),
        default=0.0,
    )
    loudest = peak * (max(widest, 1.0) if source.channels == 2 else 1.0)
    return 1.0 if loudest < 1.0 else 0.999 / loudest


def _add_bed(objects: list[AdmObject], tracks: list[TrackSound], title: str, part: Part) -> None:
    channels = []
    for row, speaker in enumerate(part.mix.room.channels):
        place = SpeakerPlace(speaker.name, speaker.azimuth, speaker.elevation)
        channels.append(Channel(len(tracks), f"{title} {speaker.label}", speaker=place))
        tracks.append(TrackSound(part, row))
    objects.append(AdmObject(title, tuple(channels)))


def _add_lfe(objects: list[AdmObject], tracks: list[TrackSound], mix: Mix, sources: list[MixSource]) -> None:
    plain = [replace(source, layers=()) for source in sources]
    channel = Channel(len(tracks), "Low frequencies", speaker=SpeakerPlace("LFE1"))
    tracks.append(TrackSound(Part("source", "", without_returns(mix, plain)), mix.room.lfe or 0))
    objects.append(AdmObject("Low frequencies", (channel,)))


def moves_of(mix: Mix, source: MixSource) -> list[Moves]:
    """How a source moves, channel by channel of what comes out of it; one that is added up has one channel."""
    times = _looked_at(mix, source)
    channels = _block_values(mix, source, times)
    zones = _zones(mix.room, source, times)
    if len(times) > 1:
        fast = np.zeros(len(times) - 1, bool)
        for values in channels:
            steps = np.abs(np.diff(rendered_gains(values, zones, source.snap), axis=1))
            fast |= (steps > _FINE_ABOVE).any(axis=0)
        if fast.any():
            # A fast change may begin or end within the steps beside.
            beside = np.pad(fast, 1)
            times = _refined_times(times, beside[:-2] | beside[1:-1] | beside[2:])
            channels, zones = _block_values(mix, source, times), _zones(mix.room, source, times)
    return [_blocks(times, values, zones, source) for values in channels]


def _block_values(mix: Mix, source: MixSource, times: Values) -> list[dict[str, Values]]:
    """The numbers of a block, by name, of every channel at each time."""
    values = values_at(source, times)
    azimuth, elevation, distance, gain = _places(mix, source, values, times)
    # Two loudspeakers play no turning, no depth and no spread.
    turned = values["rotation"] + values["room_rotation"] if mix.room.surround else np.zeros(1)
    shape = (len(gain), len(times))
    centre = np.broadcast_to(values["centre_level"], shape)
    rows = {
        "azimuth": np.unwrap(np.broadcast_to(azimuth + turned, shape), period=360.0),
        "elevation": elevation,
        "distance": distance,
        "gain": gain,
        "extent": np.broadcast_to(values["spread"], shape) if mix.room.surround else np.zeros(shape),
        "divergence": (1.0 - centre) / (1.0 + centre) if mix.room.surround else np.zeros(shape),
    }
    return [
        {name: np.ascontiguousarray(np.broadcast_to(row, shape)[channel]) for name, row in rows.items()}
        for channel in range(len(gain))
    ]


def _refined_times(times: Values, fast: NDArray[np.bool_]) -> Values:
    """Times with more between each two where something changes fast."""
    parts = [times]
    for low, high in zip(times[:-1][fast], times[1:][fast], strict=True):
        parts.append(np.arange(low, high, _FINE_STEP_SECONDS)[1:])
    return np.unique(np.round(np.concatenate(parts), 5))


def _places(
    mix: Mix, source: MixSource, values: dict[str, Values], times: Values
) -> tuple[Values, Values, Values, Values]:
    """Azimuth, elevation, distance and linear gain of every channel before it is turned: (channels, times) each."""
    mode, law = mode_for(source.mode, source.channels), law_named(mix.law)
    level = level_gain(source, values)
    if mode.on_its_side:
        sides = mode.gains(law, values, source.channels, mix.centre_zero)
        x, weights = np.array([[-1.0], [1.0]]), np.array([sides[0, 0], sides[1, 1]])
    else:
        x = MODES[source.mode].positions(values, source.channels)
        weights = mode.strengths(law, values, source.channels, mix.centre_zero)
    if source.mode == "sides" and mix.room.surround:
        y, z = (np.array(np.broadcast_arrays(values[f"{n}_left"], values[f"{n}_right"])) for n in ("front", "height"))
    else:
        y, z = values["front"], values["height"]
    if not mix.room.surround:
        y, z = np.ones(1), np.zeros(1)
    # What is added up to one sound is one track, the mean of its channels.
    channels = 1 if source.mode == "mono" else source.channels
    shape = (channels, len(times))
    x, y, z = (np.broadcast_to(value[:channels] if np.ndim(value) == 2 else value, shape) for value in (x, y, z))
    gain = np.broadcast_to(weights * level, (source.channels, len(times)))[:channels]
    return *room_to_polar(x, y, z), gain * (source.channels if source.mode == "mono" else 1.0)


def _looked_at(mix: Mix, source: MixSource) -> Values:
    """Times (s) at which a source's moves are looked at: one if it stands still, else closely, with every corner."""
    lanes = [*source.lanes.values(), *source.speaker_routing.lanes]
    if not lanes and not source.pulses:
        return np.zeros(1)
    even = np.arange(0.0, mix.length, STEP_SECONDS)
    corners = [corner for lane in lanes for corner in lane.corners if corner < mix.length]
    return np.unique(np.round(np.concatenate([even, corners, [mix.length]]), 5))


def _zones(room: Layout, source: MixSource, times: Values) -> tuple[tuple[Zone, ...], ...]:
    """Where it may not sound from each time on: round every loudspeaker that is switched off for it."""
    if not room.surround or not any(route.off for route in source.speaker_routing.all):
        return ((),) * len(times)
    by_way = {
        route: tuple(_zone(s) for s in room.speakers if s.name in route.off) for route in source.speaker_routing.all
    }
    return tuple(by_way[source.speaker_routing.at(float(t))] for t in times)


def _zone(speaker: Speaker) -> Zone:
    azimuth, elevation = speaker.azimuth, speaker.elevation
    return Zone(azimuth - _ZONE, azimuth + _ZONE, elevation - _ZONE, elevation + _ZONE)


def _blocks(
    times: Values, values: dict[str, Values], zones: tuple[tuple[Zone, ...], ...], source: MixSource
) -> Moves:
    """As few blocks as sound the same to a renderer that interpolates gains between them."""
    gains = rendered_gains(values, zones, source.snap)
    edges = [i for i in range(1, len(times)) if zones[i] != zones[i - 1]]
    bounds = sorted({0, len(times) - 1, *edges, *(i - 1 for i in edges)})
    # The error is relative to the loudest gain, so that a soft source is as exact as a loud one.
    tolerance = _MAX_GAIN_ERROR * float(np.clip(gains.max(initial=0.0), 1e-6, 1.0))
    still = not np.ptp(gains, axis=1).any() and not edges
    at = [0] if still else _turning_by_less(values["azimuth"], breakpoints(times, gains, tolerance, bounds=bounds))
    return Moves(
        times=times[at],
        **{name: values[name][at] for name in NUMBERS},
        zones=tuple(zones[i] for i in at),
        lock=tuple(source.snap for _ in at),
    )


def _turning_by_less(azimuth: Values, at: Sequence[int]) -> list[int]:
    """Indices, with more where a block would turn by half a circle: a reader would take the shorter way round."""
    result = list(at[:1])
    for end in at[1:]:
        count = int(np.ceil(abs(azimuth[end] - azimuth[result[-1]]) / _MOST_DEGREES))
        between = np.linspace(result[-1], end, count + 1).round().astype(int)[1:] if count > 1 else [end]
        result += [int(index) for index in dict.fromkeys(between) if index > result[-1]]
    return result


def louder(export: AdmExport, gain: float) -> AdmExport:
    """The same, all of it ``gain`` dB louder: objects by their blocks, beds by their samples."""
    if not gain:
        return export
    factor = float(db_to_gain(gain))
    objects = tuple(
        item if item.bed else _with_moves(item, lambda moves: replace(moves, gain=moves.gain * factor))
        for item in export.programme.objects
    )
    tracks = tuple(
        track if track.before_place else replace(track, gain=track.gain * factor) for track in export.tracks
    )
    return AdmExport(replace(export.programme, objects=objects), tracks)


def passage(export: AdmExport, start: float, end: float) -> AdmExport:
    """The same from ``start`` to ``end`` (s), as a programme that begins there; its tracks are read from there on."""
    objects = tuple(_with_moves(item, lambda moves: _cut(moves, start, end)) for item in export.programme.objects)
    return AdmExport(replace(export.programme, objects=objects, seconds=end - start), export.tracks)


def _with_moves(item: AdmObject, change: Callable[[Moves], Moves]) -> AdmObject:
    """An object with the moves of its channels changed."""
    channels = (replace(channel, moves=channel.moves and change(channel.moves)) for channel in item.channels)
    return replace(item, channels=tuple(channels))


def _cut(moves: Moves, start: float, end: float) -> Moves:
    """Moves from ``start`` to ``end`` (s), timed from there on; a block begins at both edges."""
    if moves.still:
        return moves
    inside = (moves.times > start) & (moves.times < end)
    times = np.concatenate([[start], moves.times[inside], [end]])
    at = np.maximum(np.searchsorted(moves.times, times, side="right") - 1, 0)
    values = {name: np.interp(times, moves.times, getattr(moves, name)) for name in NUMBERS}
    zones, lock = tuple(moves.zones[i] for i in at), tuple(moves.lock[i] for i in at)
    return Moves(times - start, **values, zones=zones, lock=lock)


def beds_within(export: AdmExport, peaks: Audio) -> AdmExport:
    """The same with every bed that is louder than a file can hold made softer there, and louder again by its gain.

    ``peaks``: the largest sample of every track, (tracks,).
    """
    objects, tracks = [], list(export.tracks)
    for item in export.programme.objects:
        loudest = max(float(peaks[channel.track]) for channel in item.channels) if item.bed else 0.0
        if loudest < 1.0:
            objects.append(item)
            continue
        gain = 0.999 / loudest
        channels = []
        for channel in item.channels:
            track = tracks[channel.track]
            tracks[channel.track] = replace(track, gain=track.gain * gain)
            place = channel.speaker and replace(channel.speaker, gain=1.0 / gain)
            channels.append(replace(channel, speaker=place))
        objects.append(replace(item, channels=tuple(channels)))
    return AdmExport(replace(export.programme, objects=tuple(objects)), tuple(tracks))


def track_audio(
    export: AdmExport, low: int, high: int, beds_only: bool = False, *, cache: RenderCache | None = None
) -> Audio:
    """The tracks from frame ``low`` to ``high``: float32 (tracks, frames). What shares a sound renders it once.

    ``cache`` keeps what comes of returns for the next stretch.
    """
    out = np.zeros((len(export.tracks), high - low), np.float32)
    part, sound = None, np.zeros((0, 0), np.float32)
    for row, track in enumerate(export.tracks):
        if beds_only and track.before_place:
            continue
        if track.part is not part:
            part = track.part
            if track.before_place:
                sound = _before(part, low, high)
            else:
                sound = render_audio(part.mix, low, high, part.listening, cache=cache)
        out[row] = sound[track.row] * np.float32(track.gain)
    return out


def _before(part: Part, low: int, high: int) -> Audio:
    source = part.mix.sources[0]
    sound = render_before_placement(part.mix, source.id, low, high)
    return sound.mean(axis=0, keepdims=True) if source.mode == "mono" else sound
