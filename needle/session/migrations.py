"""Documents of earlier versions brought to today's names, and everything else that names their parts and fields.

A version that renames something has a step here, which turns what the version before wrote into what it writes.
Steps are never changed: what they read was written by programs that are out there.
"""

from collections.abc import Callable, Mapping
from typing import Any

Row = dict[str, Any]
Rows = dict[str, Row]

VERSION = 9
"""What is written. Version 1 had no groups, returns and sends, version 2 no pulses and deals, version 3 no room and
no layers, version 4 no list of its assets, version 5 no ``envelop`` of returns and no ``spread`` of sends, version 6
no width of a source's sides and no ``spread`` of returns; version 7 had other names for much of it, version 8 no
release, front and height of a deal's places."""

RENAMED = 8
"""The version in which parts, fields and parameters took the names that the trade has for them."""

PARAMETERS_7 = {"centre": "centre_level", "envelop": "envelopment"}
"""Automatable parameters that version 7 called by other names."""

PARTS_7 = {"rooms": "speaker_routing", "turns": "room"}
"""Parts of a document that version 7 called by other names."""

_POINT_7 = {"begins": "shape_start", "ends": "shape_end"}
_PLACE_7 = {"tone": "low_pass", "times": "repeats", "repeat": "repeat_interval"}

FIELDS_7: Mapping[str, Mapping[str, str]] = {
    "sources": {
        "ink": "colour",
        "first": "first_channel",
        "exchange": "swap_channels",
        "timing": "delay_panning",
        "timing_ms": "delay_panning_ms",
        "timing_share": "level_share",
        "frozen": "frozen_asset",
        "frozen_key": "frozen_fingerprint",
        "centre": "centre_level",
    },
    "returns": {"ink": "colour", "envelop": "envelopment"},
    "sends": {"before": "pre"},
    "layers": {"takes": "input", "before_level": "pre"},
    "pulses": {"start": "start_phase", "even_power": "constant_power", "written": "before_conversion"},
    "lanes": {"source": "owner"},
    "rooms": {"ways": "routes"},
}
"""Fields that version 7 called by other names, by the part of the document that had them."""


def renamed(row: Row, names: Mapping[str, str]) -> Row:
    """The row with some of its fields under other names, in the same order."""
    return {names.get(name, name): value for name, value in row.items()}


def parameter_from_7(parameter: str) -> str:
    """What an automatable parameter of version 7 is called today."""
    return PARAMETERS_7.get(parameter, parameter)


def lane_key_from_7(key: str) -> str:
    """The key of a lane of version 7 as it is today: ``return:hall/envelop`` is ``return:hall/envelopment``."""
    owner, _, parameter = key.rpartition("/")
    return f"{owner}/{parameter_from_7(parameter)}"


def point_from_7(point: Row) -> Row:
    """A lane's point of version 7."""
    return renamed(point, _POINT_7)


def row_from_7(part: str, row: Row) -> Row:
    """A row of a part of a document of version 7, by that version's name of the part. It need not be complete."""
    result = renamed(row, FIELDS_7.get(part, {}))
    if part == "lanes":
        result |= {"id": lane_key_from_7(row["id"]), "parameter": parameter_from_7(row["parameter"])}
        result["points"] = [point_from_7(point) for point in row["points"]]
    if part == "layers" and result.get("input") == "before":
        result["input"] = "previous"
    if part == "deals" and isinstance(row.get("places"), list):
        result["places"] = [renamed(place, _PLACE_7) for place in row["places"]]
    if part == "pulses" and isinstance(row.get("written"), dict):
        result["before_conversion"] = _before_conversion_from_7(row["written"])
    return result


def deal_values_from_7(values: Row) -> Row:
    """Some values of a place of a deal of version 7."""
    return renamed(values, _PLACE_7)


def _before_conversion_from_7(row: Row) -> Row:
    """What a pulse of version 7 kept of the time before it was converted to points."""
    return {
        **row,
        "lanes": lanes_from_7(row.get("lanes", {})),
        "off": [lane_key_from_7(key) for key in row.get("off", [])],
        "values": renamed(row.get("values", {}), FIELDS_7["sources"]),
    }


def lanes_from_7(lanes: Mapping[str, list[Row]]) -> dict[str, list[Row]]:
    """Points by the keys of lanes, of version 7."""
    return {lane_key_from_7(key): [point_from_7(point) for point in points] for key, points in lanes.items()}


def _from_7(document: Row) -> Row:
    result: Row = {}
    for part, rows in document.items():
        if part == "session" or not isinstance(rows, dict):
            result[PARTS_7.get(part, part)] = rows
            continue
        key_of: Callable[[str], str] = lane_key_from_7 if part == "lanes" else str
        result[PARTS_7.get(part, part)] = {
            key_of(key): row_from_7(part, row) if isinstance(row, dict) else row for key, row in rows.items()
        }
    return result


def with_todays_names(document: Row, version: int) -> Row:
    """A document of any earlier version under today's names; what is not of the right kind is left to be refused."""
    return _from_7(document) if version < RENAMED else document
