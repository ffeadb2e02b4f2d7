"""Logged and queued operations of earlier versions brought to today's names.

A session's log, drafts, presets and the changes that browsers still hold name parts and fields of the document. What
the document calls otherwise from some version on (``needle.session.migrations``) changes its name here as well.
"""

from collections.abc import Callable
from typing import Any

from needle.session.migrations import (
    PARTS_7,
    RENAMED,
    deal_values_from_7,
    lane_key_from_7,
    lanes_from_7,
    parameter_from_7,
    point_from_7,
    renamed,
    row_from_7,
)

Body = dict[str, Any]

EARLIEST_QUEUED = 7
"""Changes that an earlier page has left in a browser are at least of this version: it did not say so itself."""

_KINDS_7 = {
    "together": "batch",
    "make-static": "set-fixed-value",
    "set-way": "set-route",
    "restore-way": "restore-route",
}
"""Kinds of operations that version 7 called by other names."""

_PART_OF_7 = {
    "place-source": "sources",
    "arrange-source": "sources",
    "freeze-source": "sources",
    "set-return": "returns",
    "set-send": "sends",
    "set-layer": "layers",
    "set-deal": "deals",
}
"""Operations whose fields are those of a row of a part of the document."""


def _with_points(body: Body) -> Body:
    return {**body, "points": [point_from_7(point) for point in body["points"]]}


def _lane_from_7(body: Body) -> Body:
    body = {**renamed(body, {"source": "owner"}), "parameter": parameter_from_7(body["parameter"])}
    return _with_points(body) if "points" in body else body


def _point_from_7(body: Body) -> Body:
    names = {"was": "before", "stood": "before_rank", "to": "after", "after": "after_rank"}
    body = renamed(_lane_from_7(body), names)
    points = {name: point_from_7(body[name]) for name in ("before", "after") if body.get(name)}
    return body | points


def _restored_lanes_from_7(body: Body) -> Body:
    result = {**body, "lanes": lanes_from_7(body.get("lanes", {}))}
    return {**result, "off": [lane_key_from_7(key) for key in body["off"]]} if "off" in body else result


def _pulse_from_7(body: Body) -> Body:
    return row_from_7("pulses", renamed(body, {"source": "owner"}))


def _rhythm_from_7(body: Body) -> Body:
    def rows(part: str) -> Body:
        return {key: row and row_from_7(part, row) for key, row in body[part].items()}

    return {**body, **{part: rows(part) for part in ("pulses", "deals") if part in body}}


def _added_source_from_7(body: Body) -> Body:
    body = renamed(body, {"ways": "routes"})
    body = {**body, "source": row_from_7("sources", body["source"])}
    for name in ("sends", "layers"):
        if name in body:
            body[name] = [row_from_7(name, row) for row in body[name]]
    # Lanes of the source itself may go by their parameters alone.
    if "lanes" in body:
        lanes = body["lanes"].items()
        body["lanes"] = {_lane_name_from_7(key): [point_from_7(point) for point in points] for key, points in lanes}
    if "off" in body:
        body["off"] = [_lane_name_from_7(name) for name in body["off"]]
    if body.get("rhythm"):
        body["rhythm"] = _rhythm_from_7(body["rhythm"])
    return body


def _lane_name_from_7(name: str) -> str:
    return lane_key_from_7(name) if "/" in name else parameter_from_7(name)


def _added_return_from_7(body: Body) -> Body:
    sends = [row_from_7("sends", send) for send in body.get("sends", [])]
    return {**body, "to": row_from_7("returns", body["to"])} | ({"sends": sends} if "sends" in body else {})


def _added_layer_from_7(body: Body) -> Body:
    body = {**body, "layer": row_from_7("layers", body["layer"])}
    return _restored_lanes_from_7(body) if "lanes" in body else body


def _put_things_from_7(body: Body) -> Body:
    entities = [change_from_7(entity) for entity in body["things"]]
    return {
        **renamed(body, {"what": "summary"}),
        "things": entities,
        "touched": [touch_from_7(touch) for touch in body["touched"]],
    }


_BODIES_7: dict[str, Callable[[Body], Body]] = {
    "together": lambda body: {
        **renamed(body, {"what": "summary"}),
        "operations": [_body_from_7(part) for part in body["operations"]],
    },
    "write-points": _lane_from_7,
    "switch-lane": _lane_from_7,
    "make-static": _lane_from_7,
    "move-point": _point_from_7,
    "restore-lanes": _restored_lanes_from_7,
    "set-pulse": _pulse_from_7,
    "remove-pulse": _pulse_from_7,
    "restore-rhythm": _rhythm_from_7,
    "restore-way": lambda body: renamed(body, {"way": "route"}),
    "set-place": lambda body: {**body, "values": deal_values_from_7(body["values"])},
    "shift-values": lambda body: {**body, "parameter": parameter_from_7(body["parameter"])},
    "add-source": _added_source_from_7,
    "add-return": _added_return_from_7,
    "add-layer": _added_layer_from_7,
    "put-things": _put_things_from_7,
}


def _body_from_7(body: Body) -> Body:
    kind = body["kind"]
    if kind in _BODIES_7:
        body = _BODIES_7[kind](body)
    elif kind in _PART_OF_7:
        body = row_from_7(_PART_OF_7[kind], body)
    return {**body, "kind": _KINDS_7.get(kind, kind)}


def body_with_todays_names(body: Body, version: int) -> Body:
    """An operation's body as an application wrote it whose documents are of ``version``."""
    return _body_from_7(body) if version < RENAMED else body


def change_from_7(change: Body) -> Body:
    """A change of a thing, as the log and messages of version 7 tell it."""
    part, key, value = change["part"], change["key"], change.get("value")
    key = lane_key_from_7(key) if part == "lanes" else key
    result = {**change, "part": PARTS_7.get(part, part), "key": key}
    return result if value is None or part == "session" else {**result, "value": row_from_7(part, value)}


def touch_from_7(touch: list[Any]) -> list[Any]:
    """What an operation of version 7 said that it touched: a name, and for lanes a range of time (s)."""
    name, *span = touch
    return [_touched_from_7(name), *span]


_PARTS_OF_PREFIX = {
    "": "sources", "return": "returns", "send": "sends", "layer": "layers", "pulse": "pulses",
}  # fmt: skip


def _touched_from_7(name: str) -> str:
    if name.startswith("way:"):
        return f"route:{name.removeprefix('way:')}"
    head, dot, field = name.rpartition(".")
    if not dot:
        return lane_key_from_7(name) if "/" in name else name
    kind, colon, _ = head.partition(":")
    if field == "on" and "/" in head and kind != "pulse":
        return f"{lane_key_from_7(head)}.on"
    if kind == "deal" and "." in head:
        (field,) = deal_values_from_7({field: None})
    elif (part := _PARTS_OF_PREFIX.get(kind if colon else "")) is not None:
        (field,) = row_from_7(part, {field: None})
    return f"{head}.{field}"


def write_from_7(write: Body) -> Body:
    """What a draft of version 7 writes: a stretch of a lane, or a whole pulse."""
    if "pulse" in write:
        return {**write, "values": row_from_7("pulses", write["values"])}
    return _lane_from_7(write)


def preset_from_7(kind: str, content: Body) -> Body:
    """What a preset of version 7 holds: values of a source, a return or a pulse, or a seating."""
    part = {"placement": "sources", "return": "returns", "pulse": "pulses"}.get(kind)
    return row_from_7(part, content) if part else content
