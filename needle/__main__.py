"""``python -m needle COMMAND``: see ``needle.cli.main``."""

import sys

from needle.cli.main import main

if __name__ == "__main__":
    sys.exit(main())
