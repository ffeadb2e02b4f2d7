"""Packages that only some formats need: imported when they are first used, and missed with a clear sentence."""

from importlib import import_module
from typing import Any

from needle.errors import NeedleError


class Extra:
    """A package in place of its import; ``extra`` is what it is installed with, as ``wandering-needle[midi]``."""

    def __init__(self, package: str, extra: str) -> None:
        self._package, self._extra = package, extra

    def __getattr__(self, name: str) -> Any:
        try:
            return getattr(import_module(self._package), name)
        except ImportError as error:
            raise NeedleError("cli.package_missing", package=self._package, extra=self._extra) from error
