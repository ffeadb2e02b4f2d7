"""Serving: a half-second segment of the demo over HTTP, cold and warm, and an edit until it is answered and rendered.

Run against a server with the demo: python -m benchmarks.serving http://127.0.0.1:8000
"""

import http.cookiejar
import json
import statistics
import sys
import time
import urllib.request
from typing import Any
from uuid import uuid4


class Client:
    """Somebody signed in to the demo."""

    def __init__(self, address: str) -> None:
        self.address = address
        self.jar = http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))
        self.call("GET", "/")
        self.call("POST", "/api/demo/sign-in", {"username": "rowan"})
        sessions = json.loads(self.call("GET", "/api/sessions"))
        self.base = f"/api/sessions/{next(one['id'] for one in sessions if one['name'] == 'Night Ferry')}"

    def call(self, method: str, path: str, body: Any = None) -> bytes:
        token = next((cookie.value for cookie in self.jar if cookie.name == "csrftoken"), "")
        headers = {"X-CSRFToken": token, "Content-Type": "application/json"}
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(self.address + path, data, headers, method=method)
        with self.opener.open(request) as answer:
            return answer.read()

    def revision(self) -> int:
        return json.loads(self.call("GET", self.base))["revision"]

    def timed(self, method: str, path: str, body: Any = None) -> float:
        start = time.perf_counter()
        self.call(method, path, body)
        return (time.perf_counter() - start) * 1000


def print_times(name: str, times: list[float]) -> None:
    ordered = sorted(times)
    late = ordered[int(len(ordered) * 0.95)]
    print(f"{name}: median {statistics.median(ordered):.0f} ms, 95th percentile {late:.0f} ms")


def place(client: Client, pan: float) -> tuple[str, str, dict[str, Any]]:
    operation = {"kind": "place-source", "source": "ferry-engine", "pan": pan}
    return (
        "POST",
        f"{client.base}/operations",
        {"client_id": str(uuid4()), "base_revision": 0, "operation": operation},
    )


def main() -> None:
    client = Client(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000")
    client.call(*place(client, -0.021))
    revision = client.revision()
    segments = [f"{client.base}/segments/{index}?revision={revision}" for index in range(40, 200)]
    client.call("GET", f"{client.base}/segments/39?revision={revision}")
    print_times("segment, cold (rendered)", [client.timed("GET", path) for path in segments])
    print_times("segment, warm (cached)", [client.timed("GET", path) for path in segments])
    edits, until_heard = [], []
    for step in range(40):
        start = time.perf_counter()
        edits.append(client.timed(*place(client, step / 100)))
        client.call("GET", f"{client.base}/segments/100?revision={client.revision()}")
        until_heard.append((time.perf_counter() - start) * 1000)
    print_times("edit answered", edits)
    print_times("edit answered, and its segment rendered and sent", until_heard)
    client.call(*place(client, -0.02))


if __name__ == "__main__":
    main()
