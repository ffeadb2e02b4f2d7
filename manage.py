#!/usr/bin/env python
"""Django's command line for this project."""

import os
import sys

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
    # Work is shared out among processes: matrix products that start threads of their own only get in their way.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    from django.core.management import execute_from_command_line

    execute_from_command_line(sys.argv)
