"""Bringing in: 16 stereo stems of 4 minutes over HTTP, until every one has been read, against real time; and memory.

Run against a server with the demo: python -m benchmarks.bringing_in http://127.0.0.1:8000 [the server's process id]
"""

import json
import sys
import tempfile
import time
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from benchmarks.serving import Client

STEMS, SECONDS, RATE = 16, 240, 44100
AT_ONCE = 2


def write_stems(folder: Path) -> list[Path]:
    """24-bit files at another rate than the session's, so that each is resampled."""
    rng = np.random.default_rng(2)
    found = []
    for number in range(STEMS):
        path = folder / f"stem {number}.wav"
        with soundfile.SoundFile(path, "w", RATE, 2, subtype="PCM_24") as file:
            for _ in range(SECONDS):
                file.write(0.1 * rng.standard_normal((RATE, 2)))
        found.append(path)
    return found


def part(client: Client, path: str, content: bytes) -> dict[str, Any]:
    token = next(cookie.value for cookie in client.jar if cookie.name == "csrftoken")
    headers = {"X-CSRFToken": token, "Content-Type": "application/octet-stream"}
    with client.opener.open(urllib.request.Request(client.address + path, content, headers)) as answer:
        return json.loads(answer.read())


def send(client: Client, path: Path) -> str:
    """Send a file part by part; its upload's address."""
    size = path.stat().st_size
    begun = json.loads(client.call("POST", f"{client.base}/uploads", {"name": path.name, "size": size}))
    address = f"{client.base}/uploads/{begun['id']}"
    with path.open("rb") as file:
        for offset in range(0, size, begun["part_bytes"]):
            part(client, f"{address}/parts?offset={offset}", file.read(begun["part_bytes"]))
    return address


def memory(process: str) -> float:
    """A process's own memory, mapped files left out (MB)."""
    lines = Path(f"/proc/{process}/status").read_text().splitlines()
    return int(dict(line.split(":") for line in lines if ":" in line)["RssAnon"].split()[0]) / 1024


def main() -> None:
    client = Client(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000")
    process = sys.argv[2] if len(sys.argv) > 2 else ""
    with tempfile.TemporaryDirectory() as folder:
        stems = write_stems(Path(folder))
        megabytes = sum(path.stat().st_size for path in stems) / 1e6
        before = memory(process) if process else 0.0
        most = before
        start = time.perf_counter()
        with ThreadPoolExecutor(AT_ONCE) as pool:
            addresses = list(pool.map(lambda path: send(client, path), stems))
        sent = time.perf_counter() - start
        waiting = set(addresses)
        while waiting:
            most = max(most, memory(process)) if process else 0.0
            for address in list(waiting):
                state = json.loads(client.call("GET", address))
                if state["status"] != "reading":
                    assert state["status"] == "ready", state
                    waiting.remove(address)
            time.sleep(0.2)
        whole = time.perf_counter() - start
    print(f"{STEMS} stems, {megabytes:.0f} MB: sent in {sent:.1f} s, all read after {whole:.1f} s")
    print(f"that is {STEMS * SECONDS / whole:.0f} times real time, stem by stem")
    if process:
        print(f"the server's own memory: {before:.0f} MB before, {most:.0f} MB at the most")


if __name__ == "__main__":
    main()
