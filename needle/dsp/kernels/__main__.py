"""Compiles every kernel and says so: ``python -m needle.dsp.kernels``."""

import importlib
import pkgutil
import time

from needle.dsp import kernels


def main() -> None:
    """Compile what has not been compiled before."""
    for module in pkgutil.iter_modules(kernels.__path__):
        if module.name != "__main__":
            importlib.import_module(f"{kernels.__name__}.{module.name}")
    for kernel in kernels.REGISTERED:
        start = time.perf_counter()
        kernel.compile()
        print(f"compiled {kernel.name} ({time.perf_counter() - start:.1f} s)", flush=True)


if __name__ == "__main__":
    main()
