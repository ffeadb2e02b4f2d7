"""Page weight: what a browser loads, compressed, to show the session for the first time.

Run after the interface has been built: python -m benchmarks.page_weight
"""

import gzip
import re
from pathlib import Path

DIST = Path(__file__).resolve().parent.parent / "web" / "dist"


def first_load() -> set[str]:
    """The scripts that a browser needs before it shows a session; what is loaded when it is first opened is not."""
    scripts: set[str] = set()
    waiting = re.findall(r"assets/([\w.-]+\.js)", (DIST / "index.html").read_text("utf-8"))
    waiting += [path.name for path in DIST.glob("assets/SessionPage-*.js")]
    while waiting:
        name = waiting.pop()
        if name not in scripts:
            scripts.add(name)
            text = (DIST / "assets" / name).read_text("utf-8")
            waiting += re.findall(r'(?:from|import)\s*"\./([\w.-]+\.js)"', text)
    return scripts


def main() -> None:
    for ending in ("js", "css", "woff2"):
        files = [DIST / "assets" / name for name in first_load()] if ending == "js" else [*DIST.rglob(f"*.{ending}")]
        raw = sum(f.stat().st_size for f in files)
        packed = raw if ending == "woff2" else sum(len(gzip.compress(f.read_bytes())) for f in files)
        print(f"{ending}: {packed / 1000:.0f} kB compressed ({raw / 1000:.0f} kB)")


if __name__ == "__main__":
    main()
