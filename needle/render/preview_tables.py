"""Tables for hands: what a page may look up while something is held, made by the rules that render it."""

from dataclasses import replace
from typing import Any

import numpy as np

from needle.automation.curve import SHAPES, Values
from needle.automation.parameters import PARAMETERS
from needle.dsp.fractional_delay import timing_of
from needle.dsp.pan_laws import LAWS, law_named
from needle.dsp.pan_modes import mode_for
from needle.layouts import STEREO
from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import Mix, MixSource
from needle.mix.monitors import Responses, broadband
from needle.render.source_gains import doubler_gains, in_room, two_sided, values_at
from needle.units import db_to_gain

PAN_STEPS = 401
LEVEL_STEP_DB = 0.1
CURVE_STEPS = 81
SHAPE_STEPS = 65
PLAN_STEPS = 33
TENSION_STEPS = 41


def gain_table(law: str, centre_zero: bool = False) -> dict[str, Any]:
    """Left and right gains at ``PAN_STEPS`` even positions from left to right, rows (left, right).

    ``law``: the session's; ``balance``: what a source follows whose sides stay on their sides. ``levels``: the gains
    of all levels from off to the highest, in steps of ``LEVEL_STEP_DB``.
    """
    positions = np.linspace(-1.0, 1.0, PAN_STEPS)
    levels = PARAMETERS["level"]
    count = round((levels.high - levels.low) / LEVEL_STEP_DB) + 1
    return {
        "positions": PAN_STEPS,
        "levels": db_to_gain(np.linspace(levels.low, levels.high, count)).tolist(),
        "law": law_named(law).gains(positions, centre_zero).T.tolist(),
        "balance": LAWS["balance"].gains(positions).T.tolist(),
    }


def law_curves(centre_zero: bool = False) -> dict[str, list[float]]:
    """The right side's gain of every law (dB, at least -60) at ``CURVE_STEPS`` even positions from left to right."""
    positions = np.linspace(-1.0, 1.0, CURVE_STEPS)
    curves = {}
    for name, law in LAWS.items():
        right = law.gains(positions, centre_zero)[1]
        curves[name] = np.round(20.0 * np.log10(np.maximum(right, 1e-3)), 2).tolist()
    return curves


def hand_reading(
    mix: Mix, source: MixSource, at: float, listening: Listening = EVERYTHING, heads: Responses | None = None
) -> dict[str, Any]:
    """How a held source's channels become left and right at a time (s), whatever the hand does with their places.

    What comes is told by ``rows``: of which ``channel``, and the ``taps`` with which it sounds: a ``gain`` and an
    ``offset`` from the channel's place, which is limited to ± ``most`` before. There it sounds with ``weights`` of
    the channel times the ``table``'s row at ``share`` × place; ``on_its_side``: only on its own side. ``here`` and
    ``opposite`` are the gains of that and of its mirror image. ``most`` (s) is the difference of arrival at either
    end, ``far`` whether only the far side is late. ``monitor`` (2, 2) is what reaches either ear of left and right in
    that way of listening. ``two_sided``: every row comes twice, for the left and for the right. In a room ``room``
    holds instead what reaches the ears from everywhere (``room_table``).
    """
    mode = mode_for(source.mode, source.channels)
    values = values_at(source, np.array([at]))
    direct, opposite = doubler_gains(source)
    timing = timing_of(source.delay_panning, source.delay_panning_ms, source.level_share)
    return {
        "two_sided": two_sided(source),
        "rows": _hand_rows(source, values),
        "weights": mode.weights(values, source.channels)[:, 0].tolist(),
        "table": "balance" if mode.on_its_side else "law",
        "on_its_side": mode.on_its_side,
        "share": timing.share if timing else 1.0,
        "here": direct,
        "opposite": opposite,
        "most": timing.most if timing else 0.0,
        "far": timing.far if timing else False,
        "monitor": (broadband(STEREO, listening.monitor, mix.rate, heads) * db_to_gain(listening.trim)).tolist(),
        "room": room_table(mix, source, at, listening, heads) if mix.room.surround else None,
    }


def _hand_rows(source: MixSource, values: dict[str, Values]) -> list[dict[str, Any]]:
    """What each channel that a hand gets is of: see ``side_rows`` for the two of a side that has a width."""
    middle = {"offset": 0.0, "gain": 1.0}
    if not source.has_side_width:
        return [{"channel": channel, "most": 1.0, "taps": [middle]} for channel in range(source.channels)]
    rows = []
    for channel, name in enumerate(("width_left", "width_right")):
        width = float(values[name][0])
        # By the constant-power law the difference of both ends is what lies a right angle beside the middle.
        gain = 0.5 / np.sin(width * np.pi / 4.0) if width else 0.0
        beside = [{"offset": side * width, "gain": side * gain} for side in (1.0, -1.0)]
        rows += [{"channel": channel, "most": 1.0 - width, "taps": taps} for taps in ([middle], beside)]
    return rows


def room_table(
    mix: Mix, source: MixSource, at: float, listening: Listening = EVERYTHING, heads: Responses | None = None
) -> dict[str, Any]:
    """What reaches the ears from places all over the plan, at the height at which the source stands at a time (s).

    ``tables`` has one for all of the source's channels, or for sources panned as *sides* one for each: flat, by y
    from back to front, x from left to right, ear, and whether it is turned down as the left or as the right side is.
    Both of the latter are one where nothing pulses there. ``weights`` are the channels' gains, ``steps`` the places
    in a row.
    """
    mode = mode_for(source.mode, source.channels)
    values = values_at(source, np.array([at]))
    along = np.linspace(-1.0, 1.0, PLAN_STEPS)
    x, y = np.meshgrid(along, along)
    strength = law_named(mix.law).strength(x.ravel(), mix.centre_zero)
    ears = broadband(mix.room, listening.monitor, mix.rate, heads) * db_to_gain(listening.trim)
    halves = [mix.room.right * 0.0 + 1.0]
    if two_sided(source):
        halves = [1.0 - mix.room.right, mix.room.right]
    tables = []
    for height in ("height_left", "height_right") if source.mode == "sides" else ("height",):
        across = {**values, "front": y.ravel(), "height": values[height]}
        placed = replace(source, mode="span") if source.mode == "sides" else source
        gains = in_room(mix, placed, x.ravel(), across, np.array([at]))
        gains = gains if mode.on_its_side else gains * strength
        at_ears = np.stack([(ears * half) @ gains for half in halves])
        tables.append(np.round(at_ears.transpose(2, 1, 0), 5).ravel().tolist())
    weights = mode.weights(values, source.channels)[:, 0].tolist()
    return {"steps": PLAN_STEPS, "versions": len(halves), "tables": tables, "weights": weights}


def shape_tables() -> dict[str, Any]:
    """Progress 0…1 at ``SHAPE_STEPS`` even shares of the way, per shape and tension.

    ``shapes``: by name, rows for ``TENSION_STEPS`` tensions from -1 to 1 (one row where it has no say).
    """
    x = np.linspace(0.0, 1.0, SHAPE_STEPS)
    shapes = {}
    for name, progress in SHAPES.items():
        tensions = np.linspace(-1.0, 1.0, TENSION_STEPS) if name == "curve" else [0.0]
        shapes[name] = [progress(x, np.full_like(x, tension)).tolist() for tension in tensions]
    return {"steps": SHAPE_STEPS, "shapes": shapes}
