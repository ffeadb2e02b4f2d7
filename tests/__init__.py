"""Tests: the core's laws, the server through its API, the interface mounted and in real browsers.

How long something takes is no matter of theirs: that is what ``benchmarks/`` are for. What is rare and long has a
short form, and a full one in ``./test --thorough``.
"""

import os
import sys

from django.test import tag
from hypothesis import settings

THOROUGH = os.environ.get("NEEDLE_THOROUGH") == "1"

_ALWAYS_THE_SAME = not any(argument.startswith("--shuffle") for argument in sys.argv)
"""``./test`` draws the same examples each time: what turns red is one's own change. ``--shuffle`` draws others."""

settings.register_profile("short", deadline=None, print_blob=True, max_examples=30, derandomize=_ALWAYS_THE_SAME)
settings.register_profile("thorough", deadline=None, print_blob=True, max_examples=1000)
settings.load_profile("thorough" if THOROUGH else "short")


def often(short: int, full: int) -> int:
    """How often something is done: so many times in ``./test``, so many in ``./test --thorough``."""
    return full if THOROUGH else short


def examples(usual: int) -> settings:
    """So many examples of a property that takes its time: a third in ``./test``, ten times in its full form."""
    return settings(max_examples=often(max(5, usual // 3), 10 * usual))


full = tag("full")
"""Marks a test that belongs to the full form alone: its matter has a shorter test in ``./test``."""
