"""Random sessions with their audio, for what is written and read back."""

import numpy as np
from hypothesis import strategies as st

from needle.automation.curve import SHAPES
from needle.automation.parameters import PARAMETERS, parameters_of
from needle.effects.chain import checked_effects
from needle.session.document import (
    GROUP_DEFAULTS,
    LAYER_DEFAULTS,
    RETURN_DEFAULTS,
    SEND_DEFAULTS,
    SOURCE_DEFAULTS,
    empty_document,
    send_key,
)
from needle.session.owners import kind_and_id, lane_key, lane_value
from needle.session.validation import Document
from tests.core.strategies import RATE, pans

SECONDS = 1.0
levels = st.floats(-30.0, 6.0)
shares = st.floats(0.0, 1.0)
names = st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=20)


def _number(name: str) -> st.SearchStrategy[float]:
    limits = PARAMETERS[name]
    return st.floats(max(limits.low, -720.0), min(limits.high, 720.0))


@st.composite
def lane_points(draw, parameter: str, most: int = 5) -> list[dict]:
    """Points of a lane as they are stored."""
    times = sorted(draw(st.lists(st.floats(0.0, SECONDS), min_size=1, max_size=most)))
    return [
        {
            "t": t,
            "value": draw(_number(parameter)),
            "shape": draw(st.sampled_from(sorted(SHAPES))),
            "tension": draw(st.floats(-1.0, 1.0)),
        }
        for t in times
    ]


@st.composite
def documents(draw, layouts: tuple[str, ...] = ("0+2+0", "0+5+0", "4+7+0"), plain: bool = False) -> Document:
    """Sessions of a few sources that move. ``plain``: every source can be told as an object."""
    document = empty_document(draw(names), RATE, SECONDS)
    session = document["session"]
    session["layout"] = draw(st.sampled_from(layouts))
    session["law"] = draw(st.sampled_from(["constant-power", "compromise", "constant-gain"]))
    session["tempos"] = [
        [0.0, draw(st.floats(60.0, 200.0))],
        [draw(st.floats(0.5, 2.0)), draw(st.floats(60.0, 200.0))],
    ]
    document["groups"]["both"] = {**GROUP_DEFAULTS, "id": "both", "name": "Both", "level": draw(levels)}
    document["passages"]["one"] = {"id": "one", "name": draw(names), "start": 0.0, "end": 1.0}
    for number in range(draw(st.integers(1, 3))):
        channels = draw(st.sampled_from([1, 2]))
        modes = ["pan"] if channels == 1 else ["balance", "sides", "span", "mono"]
        key = f"s{number}"
        document["sources"][key] = {
            **SOURCE_DEFAULTS, "id": key, "name": draw(names), "colour": number, "order": number,
            "asset": f"a{channels}.wav", "channels": channels, "seconds": SECONDS,
            "mode": draw(st.sampled_from(modes)), "group": draw(st.sampled_from(["", "both"])),
            "gain": draw(st.floats(-12.0, 12.0)),
            **{name: draw(_number(name)) for name in ("pan", "pan_left", "pan_right", "front", "height", "rotation")},
            "level": draw(levels), "span": draw(pans), "spread": draw(st.sampled_from([0.0, 40.0, 200.0])),
            "centre_level": draw(st.sampled_from([1.0, 0.3])), "snap": draw(st.booleans()),
        }  # fmt: skip
        if not plain and draw(st.booleans()):
            document["sources"][key] |= {"delay_panning": "symmetric", "width_left": draw(shares)}
    _returns(draw, document)
    owners = [*document["sources"], *(f"return:{key}" for key in document["returns"]), "room:mix"]
    for _ in range(draw(st.integers(0, 4))):
        owner = draw(st.sampled_from(owners))
        no_object = ("pulse", "width_left", "width_right") if plain else ("pulse",)
        parameters = [p for p in parameters_of(kind_and_id(owner)[0]) if not p.startswith(no_object)]
        parameter = draw(st.sampled_from(parameters))
        key = lane_key(owner, parameter)
        document["lanes"][key] = lane_value(key, draw(lane_points(parameter)))
    return document


def _returns(draw, document: Document) -> None:
    if draw(st.booleans()):
        return
    effects = checked_effects([{"id": "e", "kind": "echo", "on": True, "settings": {}}])
    document["returns"]["hall"] = {**RETURN_DEFAULTS, "id": "hall", "name": "Hall", "effects": effects}
    key = send_key("s0", "hall")
    document["sends"][key] = {**SEND_DEFAULTS, "id": key, "source": "s0", "return": "hall", "level": draw(levels)}
    if draw(st.booleans()):
        document["layers"]["wide"] = {**LAYER_DEFAULTS, "id": "wide", "source": "s0", "name": "Wide", "level": -6.0}


def _noise(channels: int) -> np.ndarray:
    rng = np.random.default_rng(channels)
    return (0.2 * rng.standard_normal((channels, round(RATE * SECONDS)))).astype(np.float32)


AUDIO = {f"a{channels}.wav": _noise(channels) for channels in (1, 2)}
"""The audio of all these sessions."""


def audio(asset: str) -> np.ndarray:
    """An asset's samples."""
    return AUDIO[asset]
