"""Inner loops that NumPy has no words for, compiled by Numba when they are first called.

Numba is imported only then: whoever renders nothing of the kind never waits for it.
"""

from collections.abc import Callable
from typing import Any, Generic, ParamSpec, TypeVar

_Given = ParamSpec("_Given")
_Result = TypeVar("_Result")


class Compiled(Generic[_Given, _Result]):
    """A function of arrays and numbers, compiled at its first call and kept on disk where that may be written."""

    def __init__(self, function: Callable[_Given, _Result]) -> None:
        self._function = function
        self._ready: Callable[_Given, _Result] | None = None
        self.__doc__ = function.__doc__

    def __call__(self, *given: _Given.args, **named: _Given.kwargs) -> _Result:
        if self._ready is None:
            self._ready = self._compiled()
        return self._ready(*given, **named)

    def _compiled(self) -> Callable[_Given, _Result]:
        from numba import njit

        how: dict[str, Any] = {"fastmath": True, "nogil": True}
        try:
            return njit(**how, cache=True)(self._function)
        except RuntimeError:
            # Neither beside the code nor in a home folder may anything be written.
            return njit(**how)(self._function)
