"""Tests: the core's laws, the server through its API, the interface in a real browser.

How long something takes is no matter of theirs: that is what ``benchmarks/`` are for.
"""

from hypothesis import settings

settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")
