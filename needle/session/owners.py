"""What lanes belong to: a source by its id, or a send, a return or a group by its kind and id.

An owner is written ``oars``, ``send:oars/hull``, ``return:hull``, ``group:band``, ``layer:wide`` or ``room:mix``;
with a parameter it names a lane.
"""

from collections.abc import Mapping
from typing import Any

from needle.automation.curve import Lane
from needle.automation.parameters import PARAMETERS, PULSE_PARAMETERS, Parameter, defaults_of, parameters_of
from needle.dsp.pan_modes import MODES, SIDES
from needle.errors import NeedleError
from needle.layouts import layout_named

Document = dict[str, Any]

PART_OF = {
    "source": "sources", "send": "sends", "return": "returns", "group": "groups", "layer": "layers", "room": "room",
}  # fmt: skip
"""Where in a document things of a kind are."""


ROOM_KEY = "mix"
ROOM = f"room:{ROOM_KEY}"
"""The room as a whole, which turns everything in it."""

ROOM_DEFAULTS: dict[str, Any] = {"id": ROOM_KEY, "name": "The room", **defaults_of("room")}


def room_in(document: Document) -> Mapping[str, Any]:
    """The room's own values, whether anybody has set them or not."""
    return document["room"].get(ROOM_KEY, ROOM_DEFAULTS)


def lane_key(owner: str, parameter: str) -> str:
    """The key of a lane in ``document["lanes"]``."""
    return f"{owner}/{parameter}"


def lane_value(key: str, points: list[dict[str, Any]], off: bool = False) -> dict[str, Any]:
    """A lane as it is stored; ``off`` is told only where it is so."""
    owner, _, parameter = key.rpartition("/")
    return {"id": key, "owner": owner, "parameter": parameter, "points": points, **({"off": True} if off else {})}


def kind_and_id(owner: str) -> tuple[str, str]:
    """What kind of thing an owner is, and its id among them."""
    kind, colon, key = owner.partition(":")
    if not colon:
        return "source", owner
    if kind not in PART_OF or kind == "source":
        raise NeedleError("automation.unknown_owner", owner=owner)
    return kind, key


def owned_parameter(owner: str, parameter: str) -> Parameter:
    """The parameter of that name; NeedleError if the owner's kind has none."""
    kind, _ = kind_and_id(owner)
    if parameter not in parameters_of(kind):
        choices = parameters_of(kind)
        raise NeedleError("automation.unknown_parameter", parameter=parameter, kind=kind, choices=choices)
    return PARAMETERS[parameter]


def owner_in(document: Document, owner: str) -> Mapping[str, Any]:
    """The thing that a lane belongs to; NeedleError if it is not there."""
    kind, key = kind_and_id(owner)
    result = room_in(document) if owner == ROOM else document[PART_OF[kind]].get(key)
    if result is None:
        raise NeedleError("automation.owner_removed", kind=kind, key=key)
    return result


def lane_in(document: Document, owner: str, parameter: str) -> Lane:
    """The lane of a thing's parameter, whether it is switched on or off; without points if there is none."""
    stored = document["lanes"].get(lane_key(owner, parameter))
    return Lane.of(stored["points"]) if stored else Lane()


def static_in(document: Document, owner: str, parameter: str) -> float:
    """The value that a thing's parameter has without automation."""
    owned_parameter(owner, parameter)
    row = owner_in(document, owner)
    if parameter in PULSE_PARAMETERS:
        limits = PARAMETERS[parameter]
        return float(document["pulses"].get(owner, {}).get(PULSE_PARAMETERS[parameter], limits.default))
    return float(row[parameter])


def check_moves(document: Document, owner: str, parameter: str) -> None:
    """NeedleError if a lane of that name would move nothing, for the way in which its source is panned."""
    owned_parameter(owner, parameter)
    row = owner_in(document, owner)
    if parameter in PULSE_PARAMETERS and owner not in document["pulses"]:
        raise NeedleError("automation.no_pulse", name=named(document, owner))
    placed = {name for mode in MODES.values() for name in placement_parameters(mode.name)} - {"width"}
    if kind_and_id(owner)[0] == "source" and parameter in placed - set(placement_parameters(row["mode"])):
        raise NeedleError(
            "automation.wrong_pan_mode", name=row["name"], mode=row["mode"], parameter=parameter.replace("_", " ")
        )


def accepts(document: Document, owner: str, parameter: str) -> bool:
    """Whether a lane of that name would move something."""
    try:
        check_moves(document, owner, parameter)
    except NeedleError:
        return False
    return True


def owners_in(document: Document) -> list[str]:
    """Everything in a session that lanes can belong to: sources, returns, groups, sends, layers, the room."""
    kinds = ("return", "group", "send", "layer")
    others = [f"{kind}:{key}" for kind in kinds for key in document[PART_OF[kind]]]
    return [*document["sources"], *others, ROOM]


def audible_parameters(document: Document, owner: str) -> tuple[str, ...]:
    """What of an owner a lane can move so that it is heard in the session's layout."""
    kind, row = kind_and_id(owner)[0], owner_in(document, owner)
    layout = layout_named(document["session"]["layout"])
    silent = set() if layout.surround else {name for name, parameter in PARAMETERS.items() if parameter.in_room}
    if layout.lfe is None:
        silent.add("lfe")
    if kind == "source" and row["channels"] == 1:
        silent.add("width")
    if kind == "send" and row["place"] != "own":
        silent |= {"pan", "front", "height", "spread"}
    return tuple(one for one in parameters_of(kind) if one not in silent and accepts(document, owner, one))


def placement_parameters(mode: str) -> tuple[str, ...]:
    """What tells the place of a source that is panned in a way, in stereo and in a room."""
    by_side = [name for name, parameter in PARAMETERS.items() if parameter.in_room and parameter.by_side]
    whole = list(dict.fromkeys(name.rpartition("_")[0] for name in by_side))
    return (*MODES[mode].parameters, *(by_side if mode == SIDES else whole))


def named(document: Document, owner: str) -> str:
    """A lane's owner in the engineer's words: Oars, Oars in Hull, Hull."""
    kind, key = kind_and_id(owner)
    row = owner_in(document, owner)
    if kind == "layer":
        return f"{document['sources'].get(row['source'], {}).get('name', key)} · {row['name']}"
    if kind != "send":
        return str(row["name"])
    source, to = document["sources"].get(row["source"], {}), document["returns"].get(row["return"], {})
    return f"{source.get('name', key)} in {to.get('name', key)}"
