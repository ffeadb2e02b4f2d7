"""A session as plain values: sources, lanes and passages, with the limits each number must keep.

The *document* is the session's whole state as JSON-ready dictionaries: what a bundle holds, what the
server's operations change, and what ``mix_of`` turns into something that can be rendered.
"""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from needle.conventions import TempoMap, check_rate
from needle.errors import NeedleError
from needle.moving.lane import Lane
from needle.moving.parameters import GAIN_LIMIT_DB, PARAMETERS, parameter_named
from needle.placing.laws import law_named
from needle.placing.modes import mode_for
from needle.rendering.mix import Mix, MixSource

Document = dict[str, Any]
Audio = NDArray[np.float32]

INKS = 10
"""How many inks there are to draw sources with; ``ink`` is 0 to ``INKS`` - 1."""


def empty_document(name: str, rate: int = 48000, length: float = 60.0) -> Document:
    """A session without sources: ``rate`` in Hz, ``length`` in seconds, 120 bpm in 4/4, constant power."""
    return {
        "session": {
            "name": name,
            "rate": check_rate(rate),
            "length": length,
            "layout": "0+2+0",
            "tempos": [[0.0, 120.0]],
            "metres": [[1, 4, 4]],
            "law": "constant-power",
            "centre_zero": False,
        },
        "sources": {},
        "lanes": {},
        "passages": {},
    }


def lane_key(source: str, parameter: str) -> str:
    """The key of a lane in ``document["lanes"]``."""
    return f"{source}/{parameter}"


def tempo_map(document: Document) -> TempoMap:
    """The session's tempo map."""
    session = document["session"]
    return TempoMap(tuple(map(tuple, session["tempos"])), tuple(map(tuple, session["metres"])))


def check_value(parameter: str, value: float) -> float:
    """``value`` if the parameter may have it; NeedleError names the limits otherwise."""
    limits = parameter_named(parameter)
    if not (np.isfinite(value) and limits.low <= value <= limits.high):
        raise NeedleError(
            f"{parameter} cannot be {value}. It runs from {limits.low:g} to {limits.high:g} ({limits.unit})."
        )
    return float(value)


def check_lane(parameter: str, lane: Lane) -> Lane:
    """``lane`` if every value lies within the parameter's limits; NeedleError otherwise."""
    for point in lane.points:
        check_value(parameter, point.value)
    return lane


def check_gain(gain: float) -> float:
    """A source's gain (dB) if it is allowed; NeedleError otherwise."""
    if not (np.isfinite(gain) and abs(gain) <= GAIN_LIMIT_DB):
        raise NeedleError(f"A gain of {gain} dB is out of reach. Choose -{GAIN_LIMIT_DB:g} to {GAIN_LIMIT_DB:g} dB.")
    return float(gain)


def check_document(document: Document) -> Document:
    """``document`` if every rule holds; NeedleError says which does not, and where."""
    for part in ("session", "sources", "lanes", "passages"):
        if not isinstance(document.get(part), dict):
            raise NeedleError(f"The session has no “{part}”. It is not a session of this application.")
    try:
        session = document["session"]
        check_rate(session["rate"])
        law_named(session["law"])
        tempo_map(document)
        if not 0.0 < float(session["length"]) <= 24 * 3600.0:
            raise NeedleError("A session is between 0 seconds and 24 hours long.")
        for source in document["sources"].values():
            mode_for(source["mode"], source["channels"])
            check_gain(source["gain"])
            for parameter in PARAMETERS:
                check_value(parameter, source[parameter])
        for lane in document["lanes"].values():
            if lane["source"] not in document["sources"]:
                raise NeedleError(f"A lane belongs to “{lane['source']}”, which is not a source here.")
            check_lane(lane["parameter"], Lane.of(lane["points"]))
        for passage in document["passages"].values():
            if not 0.0 <= passage["start"] < passage["end"]:
                raise NeedleError(f"The passage “{passage['name']}” must end after it starts.")
    except KeyError as missing:
        raise NeedleError(f"The session lacks {missing}.") from missing
    except (TypeError, AttributeError) as error:
        raise NeedleError("The session's parts are not of the right kind.") from error
    return document


def mix_of(
    document: Document,
    audio: Callable[[str], Audio],
    lane_of: Callable[[Mapping[str, Any]], Lane] = lambda stored: Lane.of(stored["points"]),
) -> Mix:
    """The document as a ``Mix``.

    ``audio(asset)`` gives an asset's samples, float32 of shape (channels, frames) at the session's rate;
    ``lane_of(stored)`` a lane, for callers who keep lanes they have already read.
    """
    session = document["session"]
    rows = sorted(document["sources"].values(), key=lambda s: (s["order"], s["id"]))
    sources = []
    for row in rows:
        lanes = {}
        for parameter in PARAMETERS:
            stored = document["lanes"].get(lane_key(row["id"], parameter))
            if stored and stored["points"]:
                lanes[parameter] = lane_of(stored)
        sources.append(
            MixSource(
                id=row["id"],
                asset=row["asset"],
                audio=audio(row["asset"]),
                offset=round(row["start"] * session["rate"]),
                gain=row["gain"],
                level=row["level"],
                muted=row["muted"],
                mode=row["mode"],
                pan=row["pan"],
                lanes=lanes,
            )
        )
    return Mix(
        rate=session["rate"],
        length=session["length"],
        law=session["law"],
        centre_zero=session["centre_zero"],
        sources=tuple(sources),
    )
