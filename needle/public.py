"""The public face of the core: open a session, make a mix of it, compile it, render it, measure what comes out.

Everything here is to be had from ``needle`` itself. What lies deeper is documented where it stands, and may change.
"""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from needle.errors import NeedleError
from needle.io.bundle import Bundle
from needle.layouts import layout_named
from needle.metering.measure import measure as measure_stretches
from needle.mix.listening import EVERYTHING, Listening
from needle.mix.model import Mix
from needle.mix.monitors import PAST, checked_monitor, to_ears
from needle.render.blocks import run_in_stretches
from needle.render.cache import RenderCache
from needle.render.compile import MIX, compile_mix
from needle.render.plan import Plan

__all__ = ["build_mix", "compile", "measure", "open_session", "render_mix"]


def open_session(path: str | Path) -> Bundle:
    """Open a session bundle.

    Parameters
    ----------
    path
        A bundle's folder, or its zip.

    Returns
    -------
    Bundle
        The session: its ``document`` and, by ``audio(asset)``, its sounds. Use it as a context manager, so that what
        was unpacked is removed.

    Raises
    ------
    NeedleError
        If it is no bundle, or not whole.
    """
    return Bundle(Path(path))


def build_mix(session: Bundle) -> Mix:
    """Make the mix of a session: its sources with their places, moves and sends, and its returns.

    Parameters
    ----------
    session
        An open bundle.

    Returns
    -------
    Mix
        What can be compiled and rendered as long as the session is open.

    Raises
    ------
    NeedleError
        If a sound is not what the session needs.
    """
    return session.mix()


def compile(mix: Mix, *, listening: Listening = EVERYTHING, cache: RenderCache | None = None) -> Plan:
    """Compile a mix to a plan, which can be run any number of times (``needle.render.engine.run``).

    Parameters
    ----------
    mix
        What sounds.
    listening
        Who hears what of it: solo, what a hand holds, the monitor.
    cache
        What is kept for other plans: give the same one wherever a session is compiled again after an edit.

    Returns
    -------
    Plan
        Its stages in the order in which sound passes them.

    Examples
    --------
    >>> import numpy as np, needle
    >>> from needle.mix.model import Mix, MixSource
    >>> mix = Mix(rate=48000, length=1.0, sources=(MixSource("oars", np.ones((1, 48000), np.float32), pan=-1.0),))
    >>> [type(stage).__name__ for stage in needle.compile(mix).stages]
    ['Bus']
    """
    return compile_mix(mix, listening, cache=cache)


def render_mix(
    mix: Mix, *, start: float = 0.0, stop: float | None = None, monitor: str = "", threads: int = 1
) -> NDArray[np.float32]:
    """Render a mix.

    Parameters
    ----------
    mix
        What sounds.
    start, stop
        From when to when (s); to the end of the piece if it is not said.
    monitor
        A way of listening, such as ``mono`` or ``headphones``, as two ears have it; the channels of the mix's layout
        if none is named.
    threads
        How many stretches are rendered at a time. The samples are the same however many.

    Returns
    -------
    float32, shape (channels, frames)

    Raises
    ------
    NeedleError
        For a monitor that there is not, or if it is to stop before it starts.

    Examples
    --------
    >>> import numpy as np, needle
    >>> from needle.mix.model import Mix, MixSource
    >>> mix = Mix(rate=48000, length=1.0, sources=(MixSource("oars", np.ones((1, 48000), np.float32), pan=0.0),))
    >>> needle.render_mix(mix, stop=0.5)[:, ::12000].shape
    (2, 2)
    >>> needle.render_mix(mix, monitor="mono").shape
    (2, 48000)
    """
    first, last = round(start * mix.rate), mix.frames if stop is None else round(stop * mix.rate)
    if not 0 <= first < last:
        raise NeedleError("mix.empty_range", start=start, stop=stop)
    past = PAST if monitor and checked_monitor(monitor) else 0
    parts = []
    for _, outputs in run_in_stretches(compile_mix(mix), first, last, past=past, threads=threads):
        audio = outputs[MIX]
        parts.append(to_ears(mix.room, monitor, mix.rate, audio, past) if monitor else audio)
    return np.concatenate(parts, axis=1)


def measure(audio: ArrayLike, *, rate: int, layout: str | None = None) -> dict[str, Any]:
    """Measure a finished programme: loudness, peaks, lean, correlation, what mono loses.

    Parameters
    ----------
    audio : array_like, shape (channels, frames)
        Samples, full scale 1.
    rate
        In Hz.
    layout
        Where the channels stand (ITU-R BS.2051), as ``4+7+0``; the usual layout of so many if it is not said.

    Returns
    -------
    dict
        By name, in the unit that the name ends with; None where there is nothing to say.

    Raises
    ------
    NeedleError
        For a layout that there is not.

    References
    ----------
    ITU-R BS.1770-5; EBU Tech 3341, 3342.

    Examples
    --------
    >>> import numpy as np, needle
    >>> tone = 0.1 * np.sin(2 * np.pi * 997 * np.arange(5 * 48000) / 48000)
    >>> measured = needle.measure([tone, tone], rate=48000)
    >>> round(measured["integrated_lufs"], 1), round(measured["lean_db"], 1)
    (-20.0, 0.0)
    """
    samples = np.atleast_2d(np.asarray(audio, dtype=np.float32))
    return measure_stretches([samples], rate, len(samples), layout_named(layout) if layout else None)
