"""Moves as tables and as JSON: every lane of a session out, and lanes in again (``docs/moves.md`` describes both).

A table is CSV with a line of names; ``time`` (s) and ``value`` must be there, all else may be. A lane alone is also
read without names, as ``time,value[,shape[,tension]]``. Cells may be parted by semicolons or tabs as well, as tables
are where a comma is the decimal mark; numbers may have that mark then.
"""

import csv
import io
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from needle.automation.curve import Lane, Point, stored
from needle.automation.parameters import PARAMETERS
from needle.errors import NeedleError
from needle.messages import Message
from needle.session.migrations import parameter_from_7, point_from_7, renamed
from needle.session.owners import named
from needle.session.validation import Document
from needle.tempo import TempoMap

FORMAT = "wandering-needle-moves"
VERSION = 2
COLUMNS = (
    "owner", "name", "parameter", "time", "bar", "beat", "value", "unit", "shape", "tension",
    "shape_start", "shape_end",
)  # fmt: skip
"""What a row of a table tells: a point. ``bar`` and ``beat`` are told for the reader and not read."""

_COLUMNS_1 = {"source": "owner", "belongs_to": "owner", "begins": "shape_start", "ends": "shape_end"}
"""Columns that tables had under other names before version 2."""

_NUMBERS = {"time", "value", "tension", "shape_start", "shape_end"}
_FIELDS = ("time", "value", "shape", "tension")
_MOST_BYTES = 64 << 20
_MOST_LANES = 4096
_MOST_POINTS = 1_000_000


@dataclass(frozen=True)
class FoundLane:
    """A lane that was found in a file: whose it says it is (an owner, a name; empty if it does not say), of which
    parameter, and what could not be taken as it stood (a sentence each)."""

    owner: str
    name: str
    parameter: str
    lane: Lane
    notes: tuple[Message, ...] = ()


def lanes_table(document: Document, tempo: TempoMap, owners: Iterable[str] | None = None) -> str:
    """The session's lanes as a table, a point a row; those of some owners only, if they are named."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(COLUMNS)
    for lane in _lanes(document, owners):
        limits = PARAMETERS[lane["parameter"]]
        begins = [lane["owner"], named(document, lane["owner"]), lane["parameter"]]
        for point in Lane.of(lane["points"]).points:
            bar, beat = tempo.bar_at(tempo.beat_at(point.t) + 1e-9)
            part = (
                ["", ""]
                if (point.shape_start, point.shape_end) == (0.0, 1.0)
                else [repr(point.shape_start), repr(point.shape_end)]
            )
            place = [repr(point.t), bar, f"{beat:.3f}", repr(point.value), limits.unit]
            table.writerow([*begins, *place, point.shape, f"{point.tension:g}", *part])
    return out.getvalue()


def lanes_json(document: Document, owners: Iterable[str] | None = None) -> str:
    """The session's lanes as JSON; those of some owners only, if they are named."""
    session = document["session"]
    lanes = [
        {
            "owner": lane["owner"],
            "name": named(document, lane["owner"]),
            "parameter": lane["parameter"],
            "unit": PARAMETERS[lane["parameter"]].unit,
            "points": stored(Lane.of(lane["points"]).points),
        }
        for lane in _lanes(document, owners)
    ]
    about = {"session": session["name"], "tempos": session["tempos"], "metres": session["metres"]}
    return json.dumps({"format": FORMAT, "version": VERSION, **about, "lanes": lanes}, indent=1, allow_nan=False)


def _lanes(document: Document, owners: Iterable[str] | None) -> list[dict[str, Any]]:
    selected = None if owners is None else set(owners)
    result = [lane for lane in document["lanes"].values() if lane["points"]]
    return sorted(
        (item for item in result if selected is None or item["owner"] in selected), key=lambda item: item["id"]
    )


def read_moves(path: Path) -> list[FoundLane]:
    """The lanes in a CSV or JSON file. NeedleError says what is wrong, and in which line."""
    if path.stat().st_size > _MOST_BYTES:
        raise NeedleError("moves.file_too_large", file=path.name, most=_MOST_BYTES >> 20)
    try:
        text = path.read_text("utf-8-sig")
    except UnicodeDecodeError as error:
        raise NeedleError("moves.not_text", file=path.name) from error
    return _from_json(path, text) if text.lstrip().startswith("{") else _from_table(path, text)


def read_lane(path: Path) -> Lane:
    """The one lane in a CSV file; a first line of names is passed over. NeedleError names the line that is wrong."""
    result = read_moves(path)
    if len(result) != 1:
        raise NeedleError("moves.several_lanes", file=path.name, count=len(result))
    return result[0].lane


def _from_table(path: Path, text: str) -> list[FoundLane]:
    parted_by = _separator(text)
    try:
        table = csv.reader(io.StringIO(text), delimiter=parted_by)
        rows = [(number, row) for number, row in enumerate(table, start=1) if any(row)]
    except csv.Error as error:
        raise NeedleError("moves.not_csv", file=path.name) from error
    names, earlier = list(_FIELDS), set[str]()
    has_comma = parted_by != ","
    if rows and not _is_number(_with_point(rows[0][1][0]) if has_comma else rows[0][1][0]):
        names = [name.strip().lower() for name in rows.pop(0)[1]]
        earlier = _COLUMNS_1.keys() & set(names)
        names = [_COLUMNS_1.get(name, name) for name in names]
        missing = [name for name in ("time", "value") if name not in names]
        if names == list(_FIELDS[: len(names)]):
            # A lane alone: its rows may tell more than its names do.
            names = list(_FIELDS)
        if missing:
            raise NeedleError("moves.column_missing", file=path.name, missing=missing[0])
    lanes: dict[tuple[str, str, str], list[Point]] = {}
    if len(rows) > _MOST_POINTS:
        raise NeedleError("moves.too_many_points_in_file", file=path.name, most=_MOST_POINTS)
    for number, row in rows:
        cells = {name: cell.strip() for name, cell in zip(names, row, strict=False)}
        if has_comma:
            cells |= {name: _with_point(cells[name]) for name in _NUMBERS & cells.keys()}
        parameter = cells.get("parameter", "")
        key = cells.get("owner", ""), cells.get("name", ""), parameter_from_7(parameter) if earlier else parameter
        try:
            lanes.setdefault(key, []).append(_point(cells))
        except (KeyError, ValueError) as error:
            reason = error if isinstance(error, NeedleError) else Message("moves.line_format")
            raise NeedleError("moves.line", file=path.name, number=number, reason=reason) from error
    if not lanes:
        raise NeedleError("moves.no_csv_points", file=path.name)
    return _found(path, lanes.items())


def _separator(text: str) -> str:
    """What parts the cells of a table, by its first line."""
    first = next((line for line in text.splitlines() if line.strip()), "")
    return next((mark for mark in (";", "\t") if mark in first), ",")


def _with_point(cell: str) -> str:
    """A cell with its decimal comma as a point; any other cell as it is."""
    number = cell.strip().replace(",", ".", 1)
    return number if _is_number(number) else cell


def _point(cells: Mapping[str, str]) -> Point:
    return Point(
        float(cells["time"]),
        float(cells["value"]),
        cells.get("shape") or "straight",
        float(cells.get("tension") or 0.0),
        float(cells.get("shape_start") or 0.0),
        float(cells.get("shape_end") or 1.0),
    )


def _from_json(path: Path, text: str) -> list[FoundLane]:
    try:
        stored_moves = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise NeedleError("moves.not_json", file=path.name, reason=str(error)[:120]) from error
    if stored_moves.get("format") != FORMAT:
        raise NeedleError("moves.not_moves", file=path.name, format=FORMAT)
    version = stored_moves.get("version")
    if not isinstance(version, int) or not 1 <= version <= VERSION:
        raise NeedleError("moves.unknown_version", file=path.name, version=str(version)[:20], newest=VERSION)
    try:
        stored_lanes = (
            stored_moves["lanes"] if version > 1 else [_lane_from_1(lane) for lane in stored_moves["lanes"]]
        )
        lanes = [
            ((str(lane.get("owner", "")), str(lane.get("name", "")), str(lane["parameter"])), points)
            for lane in stored_lanes
            if (points := [_json_point(point) for point in lane["points"]])
        ]
    except NeedleError as error:
        raise NeedleError("moves.file", file=path.name, reason=error) from error
    except (KeyError, TypeError, AttributeError, ValueError, OverflowError) as error:
        raise NeedleError("moves.lane_of_wrong_kind", file=path.name) from error
    if not lanes:
        raise NeedleError("moves.no_points", file=path.name)
    return _found(path, lanes)


def _lane_from_1(lane: dict[str, Any]) -> dict[str, Any]:
    """A lane of a file of version 1."""
    points = [point_from_7(point) for point in lane["points"]]
    return {**renamed(lane, _COLUMNS_1), "parameter": parameter_from_7(lane["parameter"]), "points": points}


def _json_point(given: Mapping[str, Any]) -> Point:
    numbers = {name: float(given[name]) for name in ("tension", "shape_start", "shape_end") if name in given}
    return Point(float(given["t"]), float(given["value"]), str(given.get("shape", "straight")), **numbers)


def _found(path: Path, lanes: Iterable[tuple[tuple[str, str, str], list[Point]]]) -> list[FoundLane]:
    result = []
    for (owner, name, parameter), points in lanes:
        try:
            result.append(FoundLane(owner[:140], name[:120], parameter[:40], Lane(tuple(points))))
        except NeedleError as error:
            lane_name = " ".join(filter(None, (name or owner, parameter))) or "?"
            raise NeedleError("moves.lane", file=path.name, lane=lane_name, reason=error) from error
    if len(result) > _MOST_LANES:
        raise NeedleError("moves.too_many_lanes", file=path.name, most=_MOST_LANES)
    return result


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


def lane_rows(points: Iterable[Point]) -> list[str]:
    """Points as lines of CSV, with a line of names first."""
    return [",".join(_FIELDS), *(f"{p.t:.6f},{p.value:.6f},{p.shape},{p.tension:g}" for p in points)]
