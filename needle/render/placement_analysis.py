"""Readings of a placement: what it loses, what a change would do to the level, and what one loudspeaker makes of it.

All are measured on the source itself: its spectrum through the same gains and delays that are rendered.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.automation.parameters import GAIN_LIMIT_DB, TRIM_DB, check_value, defaults_of
from needle.dsp.band_split import BANDS, band_shares
from needle.dsp.fractional_delay import LONGEST_MS, SHORTEST_MS, timing_of
from needle.dsp.k_weighting import KWeighting
from needle.dsp.pan_modes import MODES, modes_for
from needle.errors import NeedleError
from needle.layouts import STEREO
from needle.metering.spectra import THIRD_OCTAVES, Complex, Spectrum, in_bands, powers
from needle.mix.model import Mix, MixSource
from needle.mix.speaker_routing import PLAIN_ROUTING
from needle.render.engine import render_audio
from needle.render.source_gains import doubler_gains, input_matrix, placement, values_at

_FLOOR = 1e-24
LOWEST_DB = -60.0
_MONO = np.array([[1.0, 1.0]]) / np.sqrt(2.0)

TREATMENTS = {
    "place": "its place",
    "width": "width, swap and polarity",
    "delay_panning": "delay panning",
    "double": "the double",
    "sends": "its sends",
    "pulse": "its pulse",
    "deal": "its deal",
    "layers": "its layers",
    "all": "everything",
}
"""What can be heard with and without, by name."""


def response(mix: Mix, source: MixSource, at: float, frequencies: NDArray[np.float64]) -> Complex:
    """From the source's channels to left and right at a time (s), per frequency (Hz): (bins, 2, channels).

    Its level, gain and group are left out. In a room this is its stereo picture: what left and right would get.
    """
    if source.has_side_width:
        # Each frequency as far as it belongs to each band.
        result = response(mix, source.in_bands(mix.rate), at, frequencies)
        by_band = result.reshape(len(frequencies), 2, 2, BANDS)
        return np.einsum("fosb,bf->fos", by_band, band_shares(frequencies))
    values = values_at(source.still, np.array([at]))
    timing = timing_of(source.delay_panning, source.delay_panning_ms, source.level_share)
    gains = _in_stereo(mix, source, values, timing.share if timing else 1.0)
    turn = np.ones((len(frequencies), 1, 1), dtype=np.complex128)
    if timing:
        delays = timing.delays(source.panning.positions(values, source.channels)[:, 0])
        turn = np.exp(-2j * np.pi * frequencies[:, np.newaxis, np.newaxis] * delays)
    direct, copy = doubler_gains(source)
    result = direct * gains * turn
    if copy:
        late = np.exp(-2j * np.pi * frequencies * source.double_ms / 1000.0)[:, np.newaxis, np.newaxis]
        result = result + copy * late * (gains * turn)[:, ::-1]
    first = input_matrix(source, values)
    return result if first is None else result @ first[:, :, 0]


def _in_stereo(
    mix: Mix, source: MixSource, values: dict[str, NDArray[np.float64]], share: float = 1.0
) -> NDArray[np.float64]:
    """The gains of its place on left and right, (2, channels)."""
    return placement(replace(mix, layout=STEREO.name), source, values, np.zeros(1), share)[:, :, 0]


def level_db(mix: Mix, source: MixSource, spectrum: Spectrum, at: float) -> float:
    """How strong the placed source is, both sides together (dB, K-weighted); its level and gain left out."""
    return _db(powers(spectrum, response(mix, source, at, spectrum.frequencies)).sum())


def _db(power: float) -> float:
    return float(10.0 * np.log10(max(power, _FLOOR)))


def _change(before: float, after: float) -> float:
    """A change of level (dB), finite even where one of both is silent."""
    lowest = _db(0.0) + 1.0
    if before <= lowest or after <= lowest:
        return 0.0 if before <= lowest and after <= lowest else float(np.clip(after - before, LOWEST_DB, -LOWEST_DB))
    return round(after - before, 3)


def lost(mix: Mix, source: MixSource, spectrum: Spectrum, at: float) -> float:
    """The share of the source's power that its way of panning throws away now (0…1, K-weighted)."""
    values = values_at(source.still, np.array([at]))
    first = input_matrix(source, values)
    straight = np.eye(source.channels)[np.newaxis].astype(np.complex128)
    arriving = straight if first is None else first[np.newaxis, :, :, 0].astype(np.complex128)
    there = powers(spectrum, arriving).sum()
    if there <= _FLOOR:
        return 0.0
    if source.mode == "balance":
        gains = _in_stereo(mix, source, values)
        remaining = powers(spectrum, gains[np.newaxis] @ arriving).sum()
    elif source.mode == "mono":
        together = np.ones((1, 1, source.channels)) / np.sqrt(source.channels)
        remaining = powers(spectrum, together @ arriving).sum()
    else:
        return 0.0
    return float(np.clip(1.0 - remaining / there, 0.0, 1.0))


def share_db(share: float) -> float:
    """A share of a power (0…1) in dB, not below ``LOWEST_DB``."""
    return float(np.clip(10.0 * np.log10(max(share, _FLOOR)), LOWEST_DB, 0.0))


def mono_loss(spectrum: Spectrum, through: Complex) -> float:
    """How much weaker one loudspeaker is than two (dB, K-weighted): (L + R)/√2 against both sides' power."""
    both = powers(spectrum, through).sum()
    if both <= _FLOOR:
        return 0.0
    return float(np.clip(_db(powers(spectrum, _MONO[np.newaxis] @ through).sum()) - _db(both), LOWEST_DB, 0.0))


@dataclass(frozen=True)
class MonoReading:
    """What a timing placement costs in mono.

    ``difference`` (s) is how much later the left side is than the right; ``notches`` (Hz) are predicted at
    (2k+1)/(2τ); ``bands`` (dB) is the loss of this source in each third octave of ``THIRD_OCTAVES``, None where it
    has nothing; ``loss`` (dB) its K-weighted loss; ``better`` the nearby ``delay_panning_ms`` that loses least, and
    ``better_loss`` what it loses.
    """

    difference: float
    notches: list[float]
    bands: list[float | None]
    loss: float
    better: float
    better_loss: float


_NEAR_SECONDS = 2e-4
_NEAR_STEPS = 81
_HIGHEST_NOTCH = 20_000.0
_NOTHING_DB = 90.0


def mono_reading(mix: Mix, source: MixSource, spectrum: Spectrum, at: float) -> MonoReading:
    """The mono reading of the source's placement at a time (s)."""
    through = response(mix, source, at, spectrum.frequencies)
    both = in_bands(spectrum, through)
    folded = in_bands(spectrum, _MONO[np.newaxis] @ through)
    audible = both > both.max(initial=0.0) * 10.0 ** (-_NOTHING_DB / 10.0) + _FLOOR
    loss = np.clip(10.0 * np.log10(np.maximum(folded, _FLOOR) / np.maximum(both, _FLOOR)), LOWEST_DB, 3.0)
    position, difference = _farthest(source, at)
    better, better_loss = source.delay_panning_ms, mono_loss(spectrum, through)
    if abs(position) > 1e-6 and source.delay_panning != "off":
        for step in np.linspace(-_NEAR_SECONDS, _NEAR_SECONDS, _NEAR_STEPS):
            ms = round(source.delay_panning_ms + 1000.0 * step / abs(position), 4)
            if SHORTEST_MS <= ms <= LONGEST_MS:
                other = replace(source, delay_panning_ms=ms)
                results = mono_loss(spectrum, response(mix, other, at, spectrum.frequencies))
                if results > better_loss + 1e-6:
                    better, better_loss = float(ms), results
    return MonoReading(
        difference=difference,
        notches=notches(difference),
        bands=[round(float(value), 2) if there else None for value, there in zip(loss, audible, strict=True)],
        loss=round(mono_loss(spectrum, through), 3),
        better=better,
        better_loss=round(better_loss, 3),
    )


def notches(difference: float) -> list[float]:
    """Where the mono sum of two sides cancels, a ``difference`` (s) apart: (2k+1)/(2τ) up to 20 kHz (Hz)."""
    if abs(difference) < 1.0 / (2.0 * _HIGHEST_NOTCH):
        return []
    count = int(_HIGHEST_NOTCH * 2.0 * abs(difference) + 1.0) // 2
    return [(2 * k + 1) / (2.0 * abs(difference)) for k in range(count)]


def _farthest(source: MixSource, at: float) -> tuple[float, float]:
    """The position of the channel that is most out of time, and its difference of arrival (s, + if left is late)."""
    timing = timing_of(source.delay_panning, source.delay_panning_ms, source.level_share)
    if timing is None:
        return 0.0, 0.0
    places = MODES[source.mode].positions(values_at(source.still, np.array([at])), source.channels)[:, 0]
    place = float(places[np.argmax(np.abs(places))])
    left, right = timing.delays(place)
    return place, float(left - right)


def as_mode(mix: Mix, source: MixSource, name: str, at: float) -> dict[str, float | str]:
    """The values with which another way of panning stands where this one stands now, as nearly as it can."""
    values = {key: float(value[0]) for key, value in values_at(source.still, np.array([at])).items()}
    positions = MODES[source.mode].positions({key: np.array(value) for key, value in values.items()}, source.channels)
    gains = _in_stereo(mix, source, {key: np.array([value]) for key, value in values.items()})
    # What its group's shift pushes against the edge of the field stands at most at the other edge by itself.
    own = np.clip(positions - source.shift, -1.0, 1.0)
    if name == source.mode:
        return {"mode": name}
    centre = float(np.clip(own.mean(), -1.0, 1.0))
    if name == "sides":
        narrow = {"width_left": 0.0, "width_right": 0.0}
        if source.mode == "balance":
            left, right = (float(np.clip(20.0 * np.log10(max(g, 1e-5)), -96.0, 0.0)) for g in gains.diagonal())
            values_there = {"pan_left": -1.0, "pan_right": 1.0, "level_left": left, "level_right": right, **narrow}
        else:
            even = {"level_left": 0.0, "level_right": 0.0}
            values_there = {"pan_left": float(own[0]), "pan_right": float(own[-1]), **even, **narrow}
    elif name == "span":
        if source.mode == "balance":
            # Turned down on one side, it stood between the centre and the other.
            values_there = {"pan": round(values["pan"] / 2.0, 4), "span": round(1.0 - abs(values["pan"]) / 2.0, 4)}
        else:
            values_there = {"pan": centre, "span": float(np.clip((own[-1] - own[0]) / 2.0, -1.0, 1.0))}
    elif name == "balance" and source.mode == "sides":
        left, right = (np.sqrt((gains[side] ** 2).sum()) for side in (0, 1))
        louder = max(left, right, 1e-9)
        values_there = {"pan": float((right - left) / louder)}
    else:
        values_there = {"pan": centre}
    return {"mode": name, **{key: check_value(key, value) for key, value in values_there.items()}}


def mode_choices(mix: Mix, source: MixSource, spectrum: Spectrum, at: float) -> list[dict[str, Any]]:
    """Every way in which the source may be panned: its ``values``, the ``change`` of level it brings (dB), what is
    ``lost``, and the source's ``gain`` (dB) with which it is as loud as now."""
    now = level_db(mix, source, spectrum, at)
    choices = []
    offered = modes_for(source.channels, mix.room.surround)
    # What it is now stays in the list, even where it would not be offered.
    for mode in dict.fromkeys([*offered, MODES[source.mode]]):
        values: dict[str, Any] = dict(as_mode(mix, source, mode.name, at))
        # What moves is compared where it stands at this moment.
        there = replace(source, **values, lanes={k: v for k, v in source.lanes.items() if k == "width"})
        after = level_db(mix, there, spectrum, at) if mode.name != source.mode else now
        choices.append(
            {
                "name": mode.name,
                "values": values,
                "change": (change := _change(now, after)),
                "gain": _evened(source.gain, change, -GAIN_LIMIT_DB, GAIN_LIMIT_DB),
                "lost": lost(mix, there if mode.name != source.mode else source, spectrum, at),
            }
        )
    return choices


def double_change(mix: Mix, source: MixSource, spectrum: Spectrum, at: float) -> float:
    """What the double does to the level, its trim left out (dB, K-weighted)."""
    alone = level_db(mix, replace(source, double=False), spectrum, at)
    return _change(alone, level_db(mix, replace(source, double=True, double_trim=0.0), spectrum, at))


def double_evened(change: float) -> float:
    """The trim (dB) that takes back what a double does to the level."""
    return _evened(0.0, change, *TRIM_DB)


def _evened(now: float, change: float, low: float, high: float) -> float:
    """A level that makes up for a change, to a tenth of a dB, as far as it may go."""
    return round(float(np.clip(now - change, low, high)), 1)


def law_change(mix: Mix, other: Mix, source: MixSource, spectrum: Spectrum, at: float) -> float:
    """What the pan law of ``other`` does to the source's level where it stands (dB, K-weighted)."""
    return _change(level_db(mix, source, spectrum, at), level_db(other, source, spectrum, at))


def without(mix: Mix, source_id: str, treatment: str, spectrum: Spectrum, at: float) -> Mix:
    """The mix in which one source lacks a treatment, at the same loudness as with it.

    NeedleError for a source or treatment that is not there.
    """
    if treatment not in TREATMENTS:
        raise NeedleError("bypass.unknown", treatment=treatment, choices=TREATMENTS)
    source = next((s for s in mix.sources if s.id == source_id), None)
    if source is None:
        raise NeedleError("bypass.source_removed")
    plain = _plain(source, treatment)
    if treatment in _IN_TIME:
        louder = _change(_heard_db(mix, plain, at), _heard_db(mix, source, at))
    else:
        louder = _change(level_db(mix, plain, spectrum, at), level_db(mix, source, spectrum, at))
    matched = replace(plain, gain=source.gain + louder)
    return replace(mix, sources=tuple(matched if s is source else s for s in mix.sources))


_IN_TIME = ("pulse", "deal", "layers")
"""Treatments whose loudness is not that of a moment."""

_AROUND_SECONDS = 4.0


def _heard_db(mix: Mix, source: MixSource, at: float) -> float:
    """How strong a source is by itself in the seconds around a time (dB, K-weighted)."""
    alone = replace(mix, sources=(replace(source, muted=False),), returns=())
    low, high = (round(max(at + side * _AROUND_SECONDS, 0.0) * mix.rate) for side in (-1.0, 1.0))
    weighted = KWeighting(mix.rate, mix.outputs)(render_audio(alone, low, high))
    return _db(float((weighted.astype(np.float64) ** 2).mean(axis=1).sum()))


_PLAIN_WIDTH: Mapping[str, Any] = {"width": 1.0, "swap_channels": False, "invert_left": False, "invert_right": False}


_NOT_ITS_PLACE = ("level", "trim", "lfe", "width")
_PLAIN_PLACE: Mapping[str, Any] = {
    **{name: value for name, value in defaults_of("source").items() if name not in _NOT_ITS_PLACE},
    "snap": False,
    "speaker_routing": PLAIN_ROUTING,
}


def _plain(source: MixSource, treatment: str) -> MixSource:
    everything = treatment == "all"
    plain = replace(source, frozen=None, frozen_fingerprint="")
    if treatment == "place" or everything:
        lanes = {name: lane for name, lane in source.lanes.items() if name in ("level", "width")}
        plain = replace(plain, **_PLAIN_PLACE, shift=0.0, lanes=lanes)
    if treatment == "width" or everything:
        lanes = {name: lane for name, lane in plain.lanes.items() if name != "width"}
        plain = replace(plain, **_PLAIN_WIDTH, lanes=lanes)
    if treatment == "delay_panning" or everything:
        plain = replace(plain, delay_panning="off")
    if treatment == "double" or everything:
        plain = replace(plain, double=False)
    if treatment == "pulse" or everything:
        plain = replace(plain, pulse=None)
    if treatment == "deal" or everything:
        plain = replace(plain, deal=None)
    if treatment == "sends" or everything:
        plain = replace(plain, sends={})
    if treatment == "layers" or everything:
        plain = replace(plain, layers=(), direct_muted=False)
    return plain


BAND_NAMES = [round(float(centre), 1) for centre in THIRD_OCTAVES]
"""The third-octave centres (Hz) that ``MonoReading.bands`` goes by."""
