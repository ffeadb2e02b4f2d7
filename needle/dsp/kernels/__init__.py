"""Inner loops that NumPy has no words for: compiled by Numba, each beside a twin in plain NumPy.

Both have the same signature and give the same numbers (within 1e-6; tests hold them together). The environment's
``NEEDLE_KERNELS=numpy`` runs everything on the twins, where Numba is missing or a doubt is to be settled; so does
``numpy_twins`` for a stretch of code. Numba is imported when a kernel is first called. What it compiles is kept on
disk: ``python -m needle.dsp.kernels`` compiles all of them at once, as the set-up does.
"""

import os
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, Generic, ParamSpec

_Given = ParamSpec("_Given")

_use_twins = os.environ.get("NEEDLE_KERNELS", "") == "numpy"

REGISTERED: "list[Kernel[...]]" = []
"""Every kernel, in the order of their definition."""


class Kernel(Generic[_Given]):
    """A loop over arrays that fills its last array, and its twin in NumPy.

    Parameters
    ----------
    loop
        What Numba compiles, without the GIL.
    twin
        The same in NumPy.
    strict
        Whether sums are added up in the order in which they are written, whatever that costs.
    signature
        The types of the arguments: arrays as ``"r8[2]"``, which is read (``w``: written), of float64 (``4`` float32,
        ``c`` complex64, ``i`` int64, ``j`` int32, ``o`` uint8, ``u`` uint64, ``b`` boolean), two-dimensional and
        contiguous (``"r8[2,A]"``: in any order); all others as Numba names them.
    """

    def __init__(
        self, loop: Callable[_Given, None], twin: Callable[_Given, None], signature: tuple[str, ...], strict: bool
    ) -> None:
        self.name, self.loop, self.twin, self.signature = loop.__name__, loop, twin, signature
        self.__doc__ = loop.__doc__
        self.strict = strict
        self._compiled: Callable[_Given, None] | None = None
        REGISTERED.append(self)

    def __call__(self, *given: _Given.args, **named: _Given.kwargs) -> None:
        if _use_twins:
            self.twin(*given, **named)
            return
        self.ready()(*given, **named)

    def ready(self) -> Callable[_Given, None]:
        """The compiled loop, compiled or read from disk at most once."""
        if self._compiled is None:
            self._compiled = self.compile()
        return self._compiled

    def compile(self) -> Callable[_Given, None]:
        """The compiled loop; from disk where it has been compiled before."""
        from numba import njit

        types = [tuple(_numba_type(argument) for argument in self.signature)]
        how: dict[str, Any] = {"fastmath": not self.strict, "nogil": True, "error_model": "numpy"}
        try:
            return njit(types, **how, cache=True)(self.loop)
        except RuntimeError:
            # Neither beside the code nor in a home folder may anything be written.
            return njit(types, **how)(self.loop)


def kernel(
    twin: Callable[_Given, None], *signature: str, strict: bool = False
) -> Callable[[Callable[_Given, None]], Kernel[_Given]]:
    """Make a kernel of the loop that follows, beside its ``twin``."""
    return lambda loop: Kernel(loop, twin, signature, strict)


def prepare() -> None:
    """Make every kernel ready in the background, while something else is waited for."""

    def work() -> None:
        for registered in REGISTERED if not _use_twins else ():
            registered.ready()

    threading.Thread(target=work, daemon=True).start()


@contextmanager
def numpy_twins() -> Iterator[None]:
    """Run every kernel as its twin for a while, in the whole process."""
    global _use_twins
    before, _use_twins = _use_twins, True
    try:
        yield
    finally:
        _use_twins = before


_ELEMENTS = {
    "4": "float32",
    "8": "float64",
    "c": "complex64",
    "i": "int64",
    "j": "int32",
    "o": "uint8",
    "u": "uint64",
    "b": "boolean",
}


def _numba_type(name: str) -> Any:
    """A Numba type by its short name."""
    from numba import types

    if "[" not in name:
        return getattr(types, name)
    kind, rest = name.removesuffix("]").split("[")
    dimensions, _, order = rest.partition(",")
    layout: Any = order or "C"
    return types.Array(getattr(types, _ELEMENTS[kind[1]]), int(dimensions), layout, readonly=kind[0] == "r")
