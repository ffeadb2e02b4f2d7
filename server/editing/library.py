"""What there is to choose from: ways of panning, effects, seatings and laws."""

from typing import Annotated, Any

import numpy as np
from django.http import HttpRequest
from ninja import File, Router, Schema, UploadedFile
from pydantic import Field

from needle.automation.parameters import GAIN_LIMIT_DB, PARAMETERS
from needle.autopan.presets import PRESETS
from needle.autopan.pulse import FORMS, LIMITS
from needle.autopan.waveforms import FEWEST_STEPS, MOST_STEPS, WAVES
from needle.balance.counterweight import MOST_GIVERS
from needle.balance.lean_model import MOST_LEVEL_DB, MOST_PLACE
from needle.dealing.deal import FEWEST_PLACES, MOST_PLACES, ORDERS, PLACE_LIMITS, SOUNDS
from needle.dealing.voice import TIMBRES
from needle.dsp.fractional_delay import LONGEST_MS, SHORTEST_MS, WAYS
from needle.dsp.onsets import HIGHEST_THRESHOLD, LOWEST_THRESHOLD, THRESHOLD
from needle.dsp.pan_laws import LAWS
from needle.dsp.pan_modes import MODES
from needle.effects.chain import EFFECTS
from needle.io.midi import midi_tempo
from needle.layouts import LAYOUTS, SPEAKER_GROUPS, Layout, fold
from needle.metering.bands import CENTRES
from needle.metering.targets import TARGETS
from needle.mix.model import SEND_PLACES
from needle.mix.monitors import DOWNMIXES, HEADPHONES, LOUDSPEAKERS, MONITORS, fold_gain_db
from needle.render.placement_analysis import TREATMENTS
from needle.session.rhythm import DEAL_DEFAULTS, PULSE_DEFAULTS
from needle.session.seatings import SEATINGS, matched, seating_of
from needle.session.validation import SOURCE_COLOURS
from needle.tempo import tempo_of_taps
from needle.units import RATES
from server.common.messages import MessageOut
from server.common.midi_files import read_midi

router = Router(tags=["library"])


class SettingOut(Schema):
    """A setting of an effect: its limits, or its ``choices``."""

    name: str
    title: str
    low: float
    high: float
    default: float | str
    unit: str
    step: float
    choices: list[str]


class EffectOut(Schema):
    name: str
    title: str
    sentence: str
    settings: list[SettingOut]


class ModeOut(Schema):
    """A way of panning; which of them a source is offered is part of a session's frame."""

    name: str
    title: str
    sentence: str
    parameters: list[str]


class ParameterOut(Schema):
    """What can be automated, and between which limits; ``place`` ones are shifted with a group."""

    name: str
    title: str
    low: float
    high: float
    unit: str
    default: float
    place: bool


class SeatOut(Schema):
    """A place with a name, as a listener sees it."""

    name: str
    pan: float
    span: float


class SeatingOut(Schema):
    name: str
    title: str
    seats: list[SeatOut]


class TargetOut(Schema):
    """A delivery target (``needle.metering.targets``)."""

    name: str
    title: str
    lufs: float
    dbtp: float
    within: float


class MonitorOut(Schema):
    """A way of listening (``needle.mix.monitors``)."""

    name: str
    title: str
    sentence: str


class SpeakerOut(Schema):
    """A channel of a layout: where it stands in the room, and how it is folded to left and right.

    ``output``: which output of a device with as many (from 0) usually plays it, as WAV files order their channels.
    """

    name: str
    label: str
    group: str
    lfe: bool
    azimuth: float
    elevation: float
    place: tuple[float, float, float]
    fold: tuple[float, float]
    mirrored: int
    output: int


class LayoutOut(Schema):
    """A layout of loudspeakers (``needle.layouts``), its channels in their order.

    ``fold_gains``: how much louder (dB) a stereo session is in it, by the monitor that folds it down.
    """

    name: str
    title: str
    surround: bool
    channels: list[SpeakerOut]
    fold_gains: dict[str, float]


def _layout(layout: Layout) -> LayoutOut:
    places, folded = {}, fold(layout)
    for index, place in zip(layout.standing, layout.places.T, strict=True):
        places[int(index)] = tuple(round(float(v), 6) for v in place)
    channels = [
        SpeakerOut(
            place=places.get(index, (0.0, 0.0, 0.0)),
            fold=tuple(folded[:, index].tolist()),
            mirrored=int(layout.mirrored[index]),
            output=int(np.flatnonzero(layout.file_order == index)[0]),
            **{name: getattr(channel, name) for name in ("name", "label", "group", "lfe", "azimuth", "elevation")},
        )
        for index, channel in enumerate(layout.channels)
    ]
    return LayoutOut(
        name=layout.name,
        title=layout.title,
        surround=layout.surround,
        channels=channels,
        fold_gains={name: round(fold_gain_db(layout, name), 2) for name in DOWNMIXES},
    )


class GivingOut(Schema):
    """How far a source gives way at first, and how many may (``needle.balance.lean_model``)."""

    level: float
    place: float
    most: int


class NamedOut(Schema):
    """Something to choose from by its name."""

    name: str
    title: str
    sentence: str


class LimitOut(Schema):
    """Between which limits a number lies, and its unit."""

    low: float
    high: float
    unit: str


class PulsePresetOut(NamedOut):
    """A pulse to begin with: the values that differ from a fresh one's."""

    values: dict[str, Any]


class RhythmOut(Schema):
    """What pulses and deals are made of (``needle.autopan``, ``needle.dealing``)."""

    waves: list[NamedOut]
    forms: dict[str, str]
    limits: dict[str, LimitOut]
    steps: tuple[int, int]
    at_first: dict[str, Any]
    presets: list[PulsePresetOut]
    orders: list[NamedOut]
    sounds: dict[str, str]
    timbres: dict[str, str]
    deal_at_first: dict[str, Any]
    place_limits: dict[str, LimitOut]
    places: tuple[int, int]
    threshold: tuple[float, float, float]


def _limits(body: dict[str, tuple[float, float, str]]) -> dict[str, dict[str, Any]]:
    return {name: {"low": low, "high": high, "unit": unit} for name, (low, high, unit) in body.items()}


def _rhythm() -> dict[str, Any]:
    return {
        "waves": [vars(wave) for wave in WAVES.values()],
        "forms": FORMS,
        "limits": _limits(LIMITS),
        "steps": (FEWEST_STEPS, MOST_STEPS),
        "at_first": PULSE_DEFAULTS,
        "presets": [vars(preset) for preset in PRESETS.values()],
        "orders": [vars(order) for order in ORDERS.values()],
        "sounds": SOUNDS,
        "timbres": {timbre.name: timbre.title for timbre in TIMBRES.values()},
        "deal_at_first": DEAL_DEFAULTS,
        "place_limits": _limits(PLACE_LIMITS),
        "places": (FEWEST_PLACES, MOST_PLACES),
        "threshold": (LOWEST_THRESHOLD, THRESHOLD, HIGHEST_THRESHOLD),
    }


class Library(Schema):
    """Everything that the core offers by name; ``bands`` are the centres that spectra go by (Hz)."""

    modes: list[ModeOut]
    parameters: list[ParameterOut]
    effects: list[EffectOut]
    seatings: list[SeatingOut]
    laws: dict[str, str]
    timings: list[str]
    delay_panning_ms: tuple[float, float]
    send_places: list[str]
    treatments: dict[str, str]
    rates: list[int]
    layouts: list[LayoutOut]
    speaker_groups: list[str]
    gain_limit: float
    source_colours: int
    targets: list[TargetOut]
    monitors: list[MonitorOut]
    bands: list[float]
    giving: GivingOut
    rhythm: RhythmOut


@router.get("/library", response=Library)
def get_library(request: HttpRequest) -> dict[str, Any]:
    """What there is to choose from."""
    return library_content()


def library_content() -> dict[str, Any]:
    """All that the core offers by name, as ``Library`` has it."""
    return {
        "modes": [vars(mode) for mode in MODES.values()],
        "parameters": [{**vars(parameter), "default": parameter.default} for parameter in PARAMETERS.values()],
        "effects": [{**vars(e), "settings": [vars(s) for s in e.settings]} for e in EFFECTS.values()],
        "seatings": [{**vars(s), "seats": [vars(seat) for seat in s.seats]} for s in SEATINGS.values()],
        "laws": {law.name: law.title for law in LAWS.values()},
        "timings": WAYS,
        "delay_panning_ms": (SHORTEST_MS, LONGEST_MS),
        "send_places": SEND_PLACES,
        "treatments": TREATMENTS,
        "rates": RATES,
        "layouts": [_layout(layout) for layout in LAYOUTS.values()],
        "speaker_groups": SPEAKER_GROUPS,
        "gain_limit": GAIN_LIMIT_DB,
        "source_colours": SOURCE_COLOURS,
        "targets": [vars(target) for target in TARGETS.values()],
        "monitors": [vars(monitor) for monitor in (*MONITORS.values(), HEADPHONES, LOUDSPEAKERS)],
        "bands": [round(float(centre), 1) for centre in CENTRES],
        "giving": {"level": MOST_LEVEL_DB, "place": MOST_PLACE, "most": MOST_GIVERS},
        "rhythm": _rhythm(),
    }


class SeatIn(Schema):
    name: Annotated[str, Field(min_length=1, max_length=120)]
    pan: Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]
    span: Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)] = 0.0


class MatchIn(Schema):
    """A seating that comes with the application (by name) or one's own ``seats``, and the sources' names."""

    seating: str = ""
    seats: Annotated[list[SeatIn], Field(max_length=200)] = []
    names: Annotated[list[Annotated[str, Field(max_length=255)]], Field(max_length=1000)]


@router.post("/seatings/match", response=dict[str, str])
def match_seats(request: HttpRequest, body: MatchIn) -> dict[str, str]:
    """A seat for each name that speaks for one: name → seat."""
    result = SEATINGS.get(body.seating) or seating_of("", [seat.model_dump() for seat in body.seats])
    return matched(result, body.names)


class Taps(Schema):
    """When somebody tapped (s, rising)."""

    times: Annotated[list[Annotated[float, Field(allow_inf_nan=False)]], Field(min_length=2, max_length=64)]


class TapTempo(Schema):
    bpm: float


@router.post("/tempo/taps", response=TapTempo)
def tap_tempo(request: HttpRequest, body: Taps) -> TapTempo:
    """The tempo of a few taps."""
    return TapTempo(bpm=tempo_of_taps(body.times))


class TempoOut(Schema):
    """A tempo map, and what could not be taken as it stands."""

    tempos: list[tuple[float, float]]
    metres: list[tuple[int, int, int]]
    notes: list[MessageOut]


@router.post("/tempo/midi", response=TempoOut)
def read_tempo(request: HttpRequest, file: File[UploadedFile]) -> TempoOut:
    """The tempo map of a Standard MIDI File."""
    result = read_midi(request.user.pk, file, midi_tempo)
    return TempoOut(tempos=result.tempo.tempos, metres=result.tempo.metres, notes=result.notes)
