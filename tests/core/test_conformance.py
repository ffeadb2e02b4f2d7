"""The table of what is held of published texts names tests that there are."""

import re
from pathlib import Path

from django.test import SimpleTestCase
from django.utils.module_loading import import_string

TABLE = Path(__file__).parents[2] / "docs/conformance.md"


class Table(SimpleTestCase):
    def test_every_row_names_tests_that_there_are(self) -> None:
        rows = [
            row
            for row in TABLE.read_text("utf-8").splitlines()
            if row.startswith("| ") and not row.startswith("| ---")
        ]
        entries = [row for row in rows if not row.endswith("| test |")]
        self.assertGreater(len(entries), 25)
        for row in entries:
            named = re.findall(r"`(test_\w+)\.(\w+)\.(test_\w+)`", row)
            self.assertTrue(named, row)
            for module, case, test in named:
                self.assertTrue(callable(getattr(import_string(f"tests.core.{module}.{case}"), test)), test)
