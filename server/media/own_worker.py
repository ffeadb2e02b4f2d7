"""The worker that a server on one machine starts for itself: when it is first wanted, and it ends with the server."""

import subprocess
import sys
import threading

from django.conf import settings

_lock = threading.Lock()
_process: subprocess.Popen | None = None


def ensure() -> None:
    """Start the worker if it does not run."""
    global _process
    with _lock:
        if _process is None or _process.poll() is not None:
            # It ends when its standard input does: with this process, however that ends.
            command = [sys.executable, "manage.py", "worker", "--with-parent"]
            _process = subprocess.Popen(command, cwd=settings.BASE_DIR, stdin=subprocess.PIPE)
