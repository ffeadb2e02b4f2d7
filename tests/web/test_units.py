"""Runs the interface's unit tests (the .test.ts files beside this one) and reports each of them."""

import json
import os
import subprocess

from django.conf import settings
from django.test import SimpleTestCase


class Units(SimpleTestCase):
    def test_every_unit(self) -> None:
        command = ["npx", "--no-install", "vitest", "run", "--reporter=json"]
        environment = {**os.environ, "CI": "1"}
        ran = subprocess.run(
            command, cwd=settings.BASE_DIR / "web", env=environment, capture_output=True, text=True, check=False
        )
        start = ran.stdout.find("{")
        self.assertGreaterEqual(start, 0, ran.stdout + ran.stderr)
        report = json.loads(ran.stdout[start:])
        found = [one for file in report["testResults"] for one in file["assertionResults"]]
        self.assertGreater(len(found), 25, ran.stderr)
        for one in found:
            with self.subTest(one["fullName"]):
                self.assertEqual(one["status"], "passed", "\n".join(one.get("failureMessages") or []))
        self.assertTrue(report["success"], ran.stderr)
