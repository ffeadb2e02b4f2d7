"""Making the demo: the synthesis and its thirteen files.

Run: python -m benchmarks.making_demo
"""

import hashlib
import tempfile
import time
from pathlib import Path

from demo.session import make_bundle


def main() -> None:
    sums = []
    for _ in range(2):
        with tempfile.TemporaryDirectory() as folder:
            start = time.perf_counter()
            make_bundle(Path(folder))
            seconds = time.perf_counter() - start
            files = sorted(Path(folder).rglob("*.*"))
            size = sum(file.stat().st_size for file in files) / 2**20
            sums.append(hashlib.sha256(b"".join(file.read_bytes() for file in files)).hexdigest())
            print(f"{seconds:.1f} s, {size:.0f} MB")
    print("the same bytes each time" if len(set(sums)) == 1 else "NOT the same bytes")


if __name__ == "__main__":
    main()
