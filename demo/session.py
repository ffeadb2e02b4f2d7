"""Night Ferry's session: where everything stands, how the boat crosses, and the passages."""

from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path

from demo.clock import BEAT, BPM, LENGTH, RATE, seconds
from demo.score import SCORE, mallet_notes
from needle.effects.chain import checked_effects
from needle.io.audio import write_audio
from needle.io.bundle import ASSETS, write_session
from needle.session.document import (
    GROUP_DEFAULTS,
    RETURN_DEFAULTS,
    SEND_DEFAULTS,
    SOURCE_DEFAULTS,
    empty_document,
    lane_key,
    send_key,
)
from needle.session.validation import Document

NAME = "Night Ferry"

# id, name, level dB, pan, RMS of what sounds (dBFS).
_SOURCES = (
    ("ferry-engine", "Ferry engine", -9.0, -0.02, -16.0),
    ("foghorn", "Foghorn", -8.0, -0.55, -15.0),
    ("bell-buoy", "Bell buoy", -12.5, 0.72, -18.0),
    ("gulls", "Gulls", -18.0, 0.0, -18.0),
    ("oars", "Oars", -8.0, -0.9, -19.0),
    ("deck-voices", "Deck voices", -10.0, 0.0, -17.0),
    ("concertina-1", "Concertina I", -7.0, -0.8, -18.0),
    ("concertina-2", "Concertina II", -5.5, 0.8, -18.0),
    ("plucked-bass", "Plucked bass", -6.0, 0.0, -17.0),
    ("hand-drum", "Hand drum", -8.0, 0.18, -17.0),
    ("shaker", "Shaker", -14.0, -0.4, -20.0),
    ("glass-mallets", "Glass mallets", -12.0, 0.1, -18.0),
    ("wind-pad", "Wind pad", -16.0, 0.0, -16.0),
)

# What placing a stereo source means, and its values.
_STEREO: dict[str, dict[str, float | str]] = {
    "gulls": {"mode": "span", "span": 0.5},
    "deck-voices": {"mode": "sides", "pan_left": -0.5, "pan_right": 0.5},
    "wind-pad": {"mode": "span", "span": 0.8},
}

# Spaces: a short, dark one, and a long, bright one.
_RETURNS = (
    ("hull", "Hull", 7, -4.0, (("room", {"length": 0.9, "pre_delay": 6.0, "damping": 0.85, "size": 0.3}),)),
    (
        "quay",
        "Quay",
        0,
        -5.0,
        (
            ("high-pass", {"frequency": 220.0}),
            ("room", {"length": 3.2, "pre_delay": 38.0, "damping": 0.25, "size": 0.85, "crossing": 0.35}),
        ),
    ),
)

# source, return, level dB, place, pan of a place of its own.
_SENDS = (
    ("hand-drum", "hull", -12.0, "same", 0.0),
    ("plucked-bass", "hull", -20.0, "same", 0.0),
    ("oars", "hull", -14.0, "same", 0.0),
    ("foghorn", "quay", -9.0, "opposite", 0.0),
    ("bell-buoy", "quay", -10.0, "own", -0.5),
    ("gulls", "quay", -12.0, "same", 0.0),
    ("concertina-1", "quay", -16.0, "opposite", 0.0),
    ("concertina-2", "quay", -17.5, "opposite", 0.0),
    ("glass-mallets", "quay", -12.0, "own", 0.6),
)

_GROUPS = (
    ("concertinas", "Concertinas", ("concertina-1", "concertina-2")),
    ("rhythm", "Rhythm", ("hand-drum", "shaker")),
)

_PASSAGES = (
    ("dusk", "Dusk", 1, 9),
    ("cast-off", "Cast off", 9, 17),
    ("open-water", "Open water", 17, 29),
    ("lights-ahead", "Lights ahead", 29, 41),
    ("landing", "Landing", 41, 49),
)

# The boat: (bar, beat, pan, shape).
_OARS = (
    (12, 1, -0.9, "hold"),
    (15, 1, -0.9, "ease"),
    (17, 1, -0.2, "ease"),
    (17, 3, 0.31, "ease"),
    (19, 2, 0.95, "ease"),
    (21, 1, 0.6, "straight"),
    (23, 1, -0.3, "ease"),
    (24, 1, -0.95, "ease"),
    (27, 4, -1.0, "straight"),
)
_BELL = tuple((bar, 1, 0.84 if i % 2 else 0.62, "ease") for i, bar in enumerate(range(1, 49, 4)))
_GULLS = (
    (1, 1, -0.3, "ease"),
    (3, 1, -0.1, "ease"),
    (5, 1, -0.5, "ease"),
    (7, 1, -0.4, "ease"),
    (11, 1, -0.3, "hold"),
    (28, 1, -0.5, "ease"),
    (41, 1, 0.3, "ease"),
    (48, 1, -0.1, "ease"),
)
_SHAKER = tuple((bar, 1, -0.4 if (bar // 2) % 2 else -0.25, "hold") for bar in range(17, 45, 2))
_LANES = {"oars": _OARS, "bell-buoy": _BELL, "gulls": _GULLS, "shaker": _SHAKER}


def document() -> Document:
    """The demo session's document; assets are named as ``make_bundle`` writes them."""
    document = empty_document(NAME, RATE, LENGTH)
    document["session"]["tempos"] = [[0.0, BPM]]
    for order, (key, name, level, pan, _) in enumerate(_SOURCES):
        document["sources"][key] = {
            **SOURCE_DEFAULTS,
            "id": key,
            "name": name,
            "colour": order % 10,
            "order": order,
            "asset": f"{key}.flac",
            "channels": 2 if key in _STEREO else 1,
            "seconds": LENGTH,
            "level": level,
            "mode": "pan",
            "pan": pan,
            **_STEREO.get(key, {}),
        }
    for key, points in _LANES.items():
        document["lanes"][lane_key(key, "pan")] = {
            "id": lane_key(key, "pan"),
            "owner": key,
            "parameter": "pan",
            "points": [
                {"t": seconds(bar, beat), "value": value, "shape": shape, "tension": 0.0}
                for bar, beat, value, shape in points
            ],
        }
    document["events"]["glass-mallets"] = {
        "id": "glass-mallets",
        "kind": "notes",
        "name": "Glass mallets",
        "items": [[round(at / BEAT, 6), 0.5, float(midi), weight * 0.9] for at, midi, weight in mallet_notes()],
    }
    for order, (key, name, members) in enumerate(_GROUPS):
        document["groups"][key] = {**GROUP_DEFAULTS, "id": key, "name": name, "order": order}
        for member in members:
            document["sources"][member]["group"] = key
    for order, (key, name, colour, level, effects) in enumerate(_RETURNS):
        effects = [
            {"id": f"{kind}-{i}", "kind": kind, "on": True, "settings": settings}
            for i, (kind, settings) in enumerate(effects)
        ]
        values = {"id": key, "name": name, "colour": colour, "order": order, "level": level}
        document["returns"][key] = {**RETURN_DEFAULTS, **values, "effects": checked_effects(effects)}
    for source, to, level, place, pan in _SENDS:
        values = {"id": send_key(source, to), "source": source, "return": to}
        document["sends"][values["id"]] = {**SEND_DEFAULTS, **values, "level": level, "place": place, "pan": pan}
    for key, name, first, last in _PASSAGES:
        document["passages"][key] = {
            "id": key,
            "name": name,
            "start": (first - 1) * 4.0,
            "end": (last - 1) * 4.0,
        }
    return document


def make_bundle(folder: Path, said: Callable[[str], None] = lambda _: None) -> None:
    """Synthesise every source and write the demo as a bundle folder; ``said`` is told each name."""
    (folder / ASSETS).mkdir(parents=True, exist_ok=True)

    work = partial(_make_stem, folder)
    with ProcessPoolExecutor(2) as pool:
        for name in pool.map(work, _SOURCES):
            said(name)
    write_session(folder, document())


def _make_stem(folder: Path, row: tuple[str, str, float, float, float]) -> str:
    key, name, _, _, rms = row
    write_audio(folder / ASSETS / f"{key}.flac", SCORE[key]().at_rms(rms), RATE, "flac-24")
    return name
