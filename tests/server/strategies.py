"""Random operations for property tests of the log."""

from hypothesis import strategies as st

from tests.server.sessions import source

KEYS = ("low", "high", "wide")
keys = st.sampled_from(KEYS)
numbers = st.floats(-1, 1)
points = st.builds(
    lambda t, value, shape, tension: {"t": t, "value": value, "shape": shape, "tension": tension},
    st.floats(0, 4),
    numbers,
    st.sampled_from(["hold", "straight", "ease", "curve"]),
    numbers,
)


owners = st.one_of(
    keys,
    st.sampled_from(
        ["group:all", "return:hall", "return:alley", "send:low/hall", "send:wide/alley", "layer:thick", "room:mix"]
    ),
)


@st.composite
def writes(draw) -> dict:
    start, end = sorted((draw(st.floats(0, 4)), draw(st.floats(0, 4))))
    inside = [p for p in draw(st.lists(points, max_size=6)) if start <= p["t"] <= end]
    parameter = draw(st.sampled_from(["pan", "level", "front", "rotation"]))
    return {
        "kind": "write-points", "owner": draw(owners), "parameter": parameter, "start": start, "end": end,
        "points": sorted(inside, key=lambda p: p["t"]),
    }  # fmt: skip


few_points = st.builds(
    lambda t, value, shape: {"t": t, "value": value, "shape": shape},
    st.sampled_from([0.5, 1.0, 2.0]),
    st.sampled_from([-0.5, 0.5]),
    st.sampled_from(["hold", "ease"]),
)
"""Points that often meet."""

levels = st.floats(-96, 12)
flags = st.booleans()
places = st.fixed_dictionaries(
    {},
    optional={
        "pan": numbers, "pan_left": numbers, "pan_right": numbers, "span": numbers, "level_left": levels,
        "level_right": levels, "width": st.floats(0, 2),
        "swap_channels": flags, "invert_left": flags, "invert_right": flags,
        "delay_panning": st.sampled_from(["off", "symmetric", "far-side"]), "delay_panning_ms": st.floats(0.1, 30),
        "level_share": st.floats(0, 1), "double": flags,
        "double_ms": st.floats(0, 50), "double_trim": st.floats(-24, 12),
        "mode": st.sampled_from(["pan", "balance", "sides", "span", "mono", "stem"]),
        "front": numbers, "height": numbers, "spread": st.floats(0, 360), "rotation": st.floats(-900, 900),
        "centre_level": st.floats(0, 1), "snap": flags,
    },
)  # fmt: skip
several = st.lists(keys, min_size=1, max_size=3, unique=True)
returns = st.sampled_from(["hall", "alley"])
groups = st.sampled_from(["all", "some"])
effects = st.lists(
    st.builds(
        lambda kind, on: {"kind": kind, "on": on},
        st.sampled_from(["room", "echo", "chorus", "drive", "high-pass", "low-pass"]),
        flags,
    ),
    max_size=3,
).map(lambda found: [{**one, "id": f"e{i}"} for i, one in enumerate(found)])

pulse_values = st.fixed_dictionaries(
    {},
    optional={
        "on": flags, "wave": st.sampled_from(["sine", "square", "steps", "chance", "saw"]),
        "period": st.floats(1 / 16, 64), "depth": st.floats(0, 1), "offset": st.floats(0, 360), "flip": flags,
        "steps": st.lists(numbers, min_size=1, max_size=4), "unit": st.sampled_from(["beats", "hertz"]),
        "seed": st.integers(0, 9), "form": st.sampled_from(["level", "place", "turn"]),
    },
)  # fmt: skip
dealt_places = st.lists(numbers, min_size=1, max_size=4).map(
    lambda pans: [{"id": f"p{i}", "pan": pan} for i, pan in enumerate(pans)]
)
items = st.lists(st.tuples(st.floats(0, 8), st.just(0.5), st.integers(0, 127), st.floats(0, 1)), max_size=4).map(
    lambda found: sorted(map(list, found))
)

rhythms = st.one_of(
    st.builds(lambda s, v: {"kind": "set-pulse", "owner": s, **v}, owners, pulse_values),
    st.builds(lambda s: {"kind": "remove-pulse", "owner": s}, owners),
    st.builds(
        lambda s, p, o, on: {"kind": "set-deal", "source": s, "places": p, "order": o, "on": on},
        keys,
        dealt_places,
        st.sampled_from(["in-turn", "shuffled", "by-pitch"]),
        flags,
    ),
    st.builds(lambda s, d: {"kind": "set-deal", "source": s, "dry": d}, keys, levels),
    st.builds(
        lambda s, p, v: {"kind": "set-place", "source": s, "place": p, "values": {"pan": v, "repeats": 3.0}},
        keys,
        st.sampled_from(["p0", "p1"]),
        numbers,
    ),
    st.builds(
        lambda s, k, i: {"kind": "set-events", "source": s, "from": k, "name": "Part", "items": i},
        keys,
        st.sampled_from(["notes", "onsets"]),
        items,
    ),
    st.builds(
        lambda s, f: {"kind": "freeze-source", "source": s, "frozen_asset": f, "frozen_fingerprint": f[:8]},
        keys,
        st.sampled_from(["", "a" * 64]),
    ),
)

layers = st.sampled_from(["thick", "echoed"])
passages = st.sampled_from(["", "one"])
inputs = st.sampled_from(["source", "previous"])
speakers = st.lists(st.sampled_from(["M+030", "M+000", "M-110", "U+045"]), max_size=4, unique=True)
in_room = st.one_of(
    st.builds(lambda v: {"kind": "set-session", "layout": v}, st.sampled_from(["0+2+0", "0+5+0", "4+7+0", "9+9+9"])),
    st.builds(
        lambda s, p, off, v: {"kind": "set-route", "source": s, "passage": p, "off": off, "levels": {"front": v}},
        keys,
        passages,
        speakers,
        levels,
    ),
    st.builds(lambda s, p, v: {"kind": "set-route", "source": s, "passage": p, "direct": v}, keys, passages, levels),
    st.builds(lambda s, p: {"kind": "restore-route", "source": s, "passage": p}, keys, passages),
    st.builds(lambda v: {"kind": "set-room", "rotation": v}, st.floats(-900, 900)),
    st.builds(
        lambda i, s, e: {"kind": "add-layer", "layer": {"id": i, "source": s, "name": i, "effects": e}},
        layers,
        keys,
        effects,
    ),
    st.builds(lambda i, v, e: {"kind": "set-layer", "layer": i, "front": v, "effects": e}, layers, numbers, effects),
    st.builds(
        lambda i, t: {"kind": "set-layer", "layer": i, "input": t}, layers, st.sampled_from(["source", "previous"])
    ),
    st.builds(lambda s, i: {"kind": "remove-layer", "source": s, "layer": i}, keys, layers),
    st.builds(lambda s, v: {"kind": "set-level", "source": s, "lfe": v}, keys, levels),
    st.builds(lambda s, v: {"kind": "mute-source", "source": s, "direct_muted": v}, keys, flags),
    st.builds(lambda r, v: {"kind": "set-return", "to": r, "front": v, "rotation": 90 * v}, returns, numbers),
    st.builds(lambda s, r, v: {"kind": "set-send", "source": s, "to": r, "front": v}, keys, returns, numbers),
)

alone = st.one_of(
    rhythms,
    in_room,
    writes(),
    st.builds(
        lambda s, p, on: {"kind": "switch-lane", "owner": s, "parameter": p, "on": on},
        owners,
        st.sampled_from(["pan", "level"]),
        flags,
    ),
    st.builds(
        lambda s, p, at: {"kind": "set-fixed-value", "owner": s, "parameter": p, "at": at},
        owners,
        st.sampled_from(["pan", "level"]),
        st.floats(0, 4),
    ),
    st.builds(lambda s, v: {"kind": "place-source", "source": s, **v}, keys, places),
    st.builds(
        lambda s, v: {"kind": "arrange-source", "source": s, "order": v, "colour": abs(v) % 10},
        keys,
        st.integers(-9, 9),
    ),
    st.builds(lambda g, m: {"kind": "add-group", "group": {"id": g, "name": g}, "members": m}, groups, several),
    st.builds(lambda g, v, m: {"kind": "set-group", "group": g, "shift": v, "muted": m}, groups, numbers, flags),
    st.builds(lambda g: {"kind": "remove-group", "group": g}, groups),
    st.builds(lambda s, g: {"kind": "join-group", "source": s, "group": g}, keys, st.one_of(groups, st.just(""))),
    st.builds(lambda r, e: {"kind": "add-return", "to": {"id": r, "name": r, "effects": e}}, returns, effects),
    st.builds(lambda r, v: {"kind": "set-return", "to": r, "level": v, "width": 0.5}, returns, levels),
    st.builds(lambda r, e: {"kind": "arrange-effects", "to": r, "effects": e}, returns, effects),
    st.builds(lambda r, on: {"kind": "set-effect", "to": r, "effect": "e0", "on": on}, returns, flags),
    st.builds(
        lambda r, v: {"kind": "set-effect", "to": r, "effect": "e0", "settings": {"length": v}},
        returns,
        st.floats(0.1, 8),
    ),
    st.builds(lambda r: {"kind": "remove-return", "to": r}, returns),
    st.builds(
        lambda s, r, v, p: {"kind": "set-send", "source": s, "to": r, "level": v, "place": p},
        keys,
        returns,
        levels,
        st.sampled_from(["same", "opposite", "own"]),
    ),
    st.builds(lambda s, r: {"kind": "remove-send", "source": s, "to": r}, keys, returns),
    st.builds(
        lambda v: {"kind": "set-session", "tempos": [[0.0, v], [8.0, 90.0]], "name": "Other"}, st.floats(10, 400)
    ),
    st.builds(
        lambda v: {"kind": "set-session", "law": v, "centre_zero": True}, st.sampled_from(["compromise", "balance"])
    ),
    st.builds(lambda v: {"kind": "set-passage", "id": "one", "name": "Two", "end": 2.0 + abs(v)}, numbers),
    st.builds(lambda s, v: {"kind": "shift-values", "sources": s, "parameter": "pan", "by": v}, several, numbers),
    st.builds(lambda s, v: {"kind": "shift-values", "sources": s, "parameter": "level", "by": v}, several, levels),
    st.builds(lambda s: {"kind": "flip-sources", "sources": s}, several),
    st.builds(
        lambda s, v, back: {
            "kind": "seat-sources",
            "seating": "Kit",
            "from_players": back,
            "seats": {key: {"name": key, "pan": v, "span": 0.3} for key in s},
        },
        several,
        numbers,
        flags,
    ),
    st.builds(lambda s, v: {"kind": "place-source", "source": s, "pan": v}, keys, numbers),
    st.builds(lambda s, v: {"kind": "set-level", "source": s, "level": v}, keys, st.floats(-96, 12)),
    st.builds(lambda s, v: {"kind": "set-gain", "source": s, "gain": v}, keys, st.floats(-36, 36)),
    st.builds(lambda s, v: {"kind": "mute-source", "source": s, "muted": v}, keys, st.booleans()),
    st.builds(lambda s, v: {"kind": "rename-source", "source": s, "name": v}, keys, st.text(min_size=1, max_size=20)),
    st.builds(lambda s: {"kind": "remove-source", "source": s}, keys),
    st.builds(
        lambda s, v: {"kind": "add-source", "source": source(s, "0" * 64, 1, 2 if s == "wide" else 1, pan=v)},
        keys,
        numbers,
    ),
    st.builds(
        lambda v: {"kind": "add-passage", "id": "one", "name": "One", "start": 1.0, "end": 1.0 + abs(v)}, numbers
    ),
    st.just({"kind": "remove-passage", "id": "one"}),
    st.builds(
        lambda s, ends: {"kind": "move-point", "owner": s, "parameter": "pan", "before": ends[0], "after": ends[1]},
        owners,
        st.tuples(st.one_of(st.none(), few_points), st.one_of(st.none(), few_points)).filter(any),
    ),
)

operations = st.one_of(
    alone,
    st.builds(
        lambda found: {"kind": "batch", "summary": "several", "operations": found},
        st.lists(alone, min_size=1, max_size=4),
    ),
)
"""Any operation on a session with three sources, whether it can be applied or not."""
