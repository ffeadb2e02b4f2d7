"""Page weight: what a browser loads, compressed, to show the session for the first time.

Run after the interface has been built: python -m benchmarks.page_weight
"""

import gzip
import re
from pathlib import Path

DIST = Path(__file__).resolve().parent.parent / "web" / "dist"


def main() -> None:
    for ending in ("js", "css", "woff2"):
        files = [f for f in DIST.rglob(f"*.{ending}") if not re.search(r"SignIn|SessionList", f.name)]
        raw = sum(f.stat().st_size for f in files)
        packed = raw if ending == "woff2" else sum(len(gzip.compress(f.read_bytes())) for f in files)
        print(f"{ending}: {packed / 1000:.0f} kB compressed ({raw / 1000:.0f} kB)")


if __name__ == "__main__":
    main()
