"""Lanes as CSV: a point a line, ``time,value`` in seconds and the parameter's unit, then shape and tension."""

import csv
from collections.abc import Iterable
from pathlib import Path

from needle.errors import NeedleError
from needle.moving.lane import Lane, Point

_FIELDS = ("time", "value", "shape", "tension")


def read_lane(path: Path) -> Lane:
    """The lane in a CSV file; a first line of names is passed over. NeedleError names the line that is wrong."""
    points = []
    try:
        with path.open(newline="", encoding="utf-8-sig") as file:
            rows = [(number, row) for number, row in enumerate(csv.reader(file), start=1) if any(row)]
    except (UnicodeDecodeError, csv.Error) as error:
        raise NeedleError(f"{path.name} is not a CSV file of points.") from error
    for number, row in rows:
        if number == rows[0][0] and not _is_number(row[0]):
            continue
        try:
            time, value = float(row[0]), float(row[1])
            shape = row[2].strip() if len(row) > 2 and row[2].strip() else "straight"
            tension = float(row[3]) if len(row) > 3 and row[3].strip() else 0.0
            points.append(Point(time, value, shape, tension))
        except (IndexError, ValueError) as error:
            told = str(error) if isinstance(error, NeedleError) else "Write time,value[,shape[,tension]]."
            raise NeedleError(f"{path.name}, line {number}: {told}") from error
    if not points:
        raise NeedleError(f"{path.name} holds no points. Write one in each line: time,value.")
    return Lane(tuple(points))


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


def lane_rows(points: Iterable[Point]) -> list[str]:
    """Points as lines of CSV, with a line of names first."""
    return [",".join(_FIELDS), *(f"{p.t:.6f},{p.value:.6f},{p.shape},{p.tension:g}" for p in points)]
