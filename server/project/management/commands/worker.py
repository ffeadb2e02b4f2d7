"""Makes what has been ordered: exports, from the queue in the database or in Redis."""

import os
import sys
import threading
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser

_NICENESS = 12
"""What somebody listens to goes first."""


class Command(BaseCommand):
    help = (
        "Make what has been ordered, one after the other, until stopped. Start as many as there are cores to spare."
    )

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--with-parent", action="store_true", help="end when standard input ends")

    def handle(self, *args: Any, **options: Any) -> None:
        os.nice(_NICENESS)
        if options["with_parent"]:
            threading.Thread(target=_end_with_parent, daemon=True).start()
        if settings.TASKS_IN_REDIS:
            call_command("rqworker", "default", job_class="django_tasks_rq.Job", verbosity=0)
        else:
            call_command("db_worker", interval=0.25, startup_delay=False, verbosity=0)


def _end_with_parent() -> None:
    sys.stdin.read()
    os._exit(0)
