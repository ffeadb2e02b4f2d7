"""Every operation of the API with whatever its schema allows and does not, by everybody: answered, and in words.

Cases are made by schemathesis from the schema; ids are often those of a session that whoever asks is in, or is not.
"""

import json
from collections import Counter
from typing import Any, ClassVar
from urllib.parse import urlencode

import schemathesis
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client
from hypothesis import HealthCheck, Phase, given, settings, strategies
from schemathesis import GenerationMode
from schemathesis.core import NOT_SET

from needle.session.document import empty_document
from server.mixsessions.services import create_session
from server.project.api import api
from tests import THOROUGH, often
from tests.server.sessions import LENGTH, RATE, SessionCase, forget

EVERYBODY = ("olga", "emil", "lisa", "uwe", None)
EXAMPLES = often(3, 150)
MARK = "Quay-side-7c1"
"""In the name of what only Uwe may see."""


class WholeSchema(SessionCase):
    tried: ClassVar[Counter[int]] = Counter()

    def setUp(self) -> None:
        super().setUp()
        self.hidden = create_session(empty_document(f"{MARK} session", RATE, LENGTH), self.users["uwe"])
        self.ids = [str(self.session.id), str(self.session.id), str(self.hidden.id)]

    def filled(self, draw: Any, name: str, value: Any) -> Any:
        """What stands for a part of the address: what was made up, or what there is."""
        existing = {
            "session_id": self.ids,
            "user_id": [user.pk for user in self.users.values()],
            "source": ["low", "wide", "../low", "low\0", "\u202elow"],
            "index": [0, 1],
        }.get(name)
        return draw(strategies.sampled_from([*existing, value])) if existing else value

    def send(self, client: Client, case: Any, parts: dict[str, Any]) -> Any:
        path = case.path
        for name, value in parts.items():
            path = path.replace(f"{{{name}}}", str(value).replace("/", "%2F") or "-")
        query = urlencode(case.query or {}, doseq=True)
        address = f"{path}?{query}" if query else path
        send = getattr(client, case.method.lower())
        if case.body is NOT_SET or case.method == "GET":
            return send(address)
        if case.media_type and "multipart" in case.media_type:
            fields = case.body if isinstance(case.body, dict) else {}
            file = SimpleUploadedFile("moves.csv", str(fields.get("file", "")).encode(errors="replace"))
            texts = {str(name): str(value) for name, value in fields.items() if name != "file"}
            return send(address, {**texts, "file": file})
        if isinstance(case.body, bytes):
            return send(address, case.body, content_type="application/octet-stream")
        return send(address, json.dumps(case.body), content_type="application/json")

    def test_whatever_is_sent_is_answered_and_tells_nobody_what_is_not_theirs(self) -> None:
        schema = schemathesis.openapi.from_dict(api.get_openapi_schema())
        for result in schema.get_all_operations():
            operation = result.ok()
            with self.subTest(f"{operation.method} {operation.path}"):
                self.try_out(operation)
        if THOROUGH:
            print(f"{self.tried.total()} requests: {dict(sorted(self.tried.items()))}")

    def try_out(self, operation: Any) -> None:
        cases = strategies.one_of(
            operation.as_strategy(generation_mode=GenerationMode.POSITIVE),
            operation.as_strategy(generation_mode=GenerationMode.NEGATIVE),
        )

        @settings(
            max_examples=EXAMPLES,
            deadline=None,
            database=None,
            derandomize=True,
            suppress_health_check=list(HealthCheck),
            phases=[Phase.generate],
        )
        @given(case=cases, who=strategies.sampled_from(EVERYBODY), data=strategies.data())
        def answered(case: Any, who: str | None, data: Any) -> None:
            made_up = case.path_parameters
            given_parts = made_up if isinstance(made_up, dict) else {}
            parts = {name: self.filled(data.draw, name, value) for name, value in given_parts.items()}
            with transaction.atomic():
                answer = self.send(self.as_(who), case, parts)
                content = b"".join(answer.streaming_content) if answer.streaming else answer.content
                transaction.set_rollback(True)
            forget()
            self.tried[answer.status_code] += 1
            self.assertLess(answer.status_code, 500, content[:500])
            if who != "uwe":
                self.assertNotIn(MARK.encode(), content)
            if answer.status_code in (403, 404, 409, 422) and answer["Content-Type"].startswith("application/json"):
                self.assertTrue(json.loads(content)["detail"])

        answered()
