"""Threads for work that may wait: what somebody listens to goes first."""

import contextlib
import os
import threading


def lower_priority(nicer: int = 8) -> None:
    """Let the calling thread step back behind those that answer people, where the system can."""
    with contextlib.suppress(AttributeError, OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), nicer)
