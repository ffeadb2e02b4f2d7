"""A session that several people work on, through the API."""

from typing import Any

from tests.server.sessions import SessionCase


class SharedCase(SessionCase):
    def make(self, who: str, kind: str, base_revision: int | None = None, **fields: Any) -> dict[str, Any]:
        answer = self.operate(self.as_(who), {"kind": kind, **fields}, base_revision=base_revision)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()["revision"]

    def asked(self, who: str, path: str, status: int = 200, **body: Any) -> Any:
        return self._answered(self.post(self.as_(who), path, body), status)

    def changed(self, who: str, path: str, status: int = 200, **body: Any) -> Any:
        return self._answered(self.as_(who).patch(self.url(path), body, content_type="application/json"), status)

    def deleted(self, who: str, path: str, status: int = 204) -> Any:
        return self._answered(self.as_(who).delete(self.url(path)), status)

    def _answered(self, answer: Any, status: int) -> Any:
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json() if answer.content else None

    def got(self, who: str, path: str, **query: Any) -> Any:
        answer = self.as_(who).get(self.url(path), query)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def write(
        self,
        who: str,
        values: dict[float, float],
        base_revision: int | None = None,
        owner: str = "low",
        parameter: str = "pan",
    ) -> dict[str, Any]:
        points = [{"t": t, "value": value, "shape": "straight", "tension": 0.0} for t, value in values.items()]
        return self.make(
            who,
            "write-points",
            base_revision,
            owner=owner,
            parameter=parameter,
            start=min(values),
            end=max(values),
            points=points,
        )

    def lane(self) -> list[tuple[float, float]]:
        lane = self.state()["lanes"].get("low/pan", {"points": []})
        return [(p["t"], p["value"]) for p in lane["points"]]
