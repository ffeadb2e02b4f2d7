"""Wandering Needle's computation core: placing, moving, metering and rendering, with no interface in it.

>>> import needle
>>> with needle.open_session("night-ferry.zip") as session:  # doctest: +SKIP
...     mix = needle.build_mix(session)
...     audio = needle.render_mix(mix, start=12.0, stop=24.0)
...     print(needle.measure(audio, rate=mix.rate)["integrated_lufs"])
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from needle.errors import NeedleError
    from needle.public import build_mix, compile, measure, open_session, render_mix

__all__ = ["NeedleError", "build_mix", "compile", "measure", "open_session", "render_mix"]


def __getattr__(name: str) -> Any:
    # What is not asked for is not imported: a script that converts coordinates waits for nothing else.
    if name not in __all__:
        raise AttributeError(f"module “needle” has no “{name}”. It has {', '.join(__all__)}.")
    return getattr(import_module("needle.errors" if name == "NeedleError" else "needle.public"), name)


def __dir__() -> list[str]:
    return __all__
