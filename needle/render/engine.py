"""The engine: runs a plan between two frames, the same samples whoever asks and however the piece is cut."""

import numpy as np
from numpy.typing import NDArray

from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import Mix
from needle.render.cache import RenderCache
from needle.render.compile import MIX, compile_before_placement, compile_mix
from needle.render.plan import Plan, Run

Audio = NDArray[np.float32]

_SMALL = 128 << 20


def run(plan: Plan, start: int, stop: int, *, cache: RenderCache | None = None) -> dict[str, Audio]:
    """Render every output of a plan from frame ``start`` to ``stop``.

    Frames before 0 and after the end of the sounds and their tails are silent. Any division of a stretch into calls
    gives the same samples.

    Parameters
    ----------
    plan
        What is rendered.
    start, stop
        Frames of the session.
    cache
        What is kept of returns and layers for later runs; without one nothing is.

    Returns
    -------
    dict
        By the name of the output: float32, shape (channels, stop - start).
    """
    work = Run(plan, cache if cache is not None else RenderCache(_SMALL))
    stages: dict[int, Audio] = {}
    outputs = {}
    for output in plan.outputs:
        total: Audio | None = None
        for stage in output.stages:
            if stage not in stages:
                stages[stage] = work.output(stage, start, stop)
            total = stages[stage] if total is None else total + stages[stage]
        if total is None:
            total = np.zeros((output.channels, max(stop - start, 0)), np.float32)
        outputs[output.name] = total if output.matrix is None else output.matrix @ total
    return outputs


def render_audio(
    mix: Mix, start: int, stop: int, listening: Listening = EVERYTHING, *, cache: RenderCache | None = None
) -> Audio:
    """The mix as somebody hears it from frame ``start`` to ``stop``: float32 (channels of its layout, stop - start).

    For more than one stretch of a mix, compile it once (``compile_mix``) and ``run`` the plan.
    """
    return run(compile_mix(mix, listening, cache=cache), start, stop, cache=cache)[MIX]


def render_before_placement(
    mix: Mix, source_id: str, start: int, stop: int, with_level: bool = True, for_hand: bool = False
) -> Audio:
    """One source before its place (``compile_before_placement``): float32 (its channels, stop - start)."""
    return run(compile_before_placement(mix, source_id, with_level, for_hand), start, stop)[MIX]
