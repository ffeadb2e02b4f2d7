"""A parameter is declared once: one that is added there is stored, checked, rendered by, automated and shown."""

import json
import subprocess
import sys

from django.conf import settings
from django.test import SimpleTestCase

from server.project.management.commands.write_declared import PATH, parameters_text

ADDED = """
import json, os
import needle.automation.parameters as declared
declared.PARAMETERS["tilt"] = declared.Parameter(
    "tilt", "Tilt", -0.5, 0.75, "of the room", "share", {"source": 0.25, "return": 0.5}
)
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
import django
django.setup()
import numpy as np
from dataclasses import replace
from needle.errors import NeedleError
from needle.mix.model import MixReturn, MixSource
from needle.session.document import RETURN_DEFAULTS, SOURCE_DEFAULTS, empty_document
from needle.session.owners import accepts
from needle.session.validation import check_source
from server.project.management.commands.write_declared import parameters_text
from server.editing.operations import PlaceSource, SetReturn
from server.editing.operations.base import describe_value
from server.mixsessions.entities import StoredSource
from server.mixsessions.bundle_schema import schema_text

row = {**SOURCE_DEFAULTS, "id": "a", "name": "A", "channels": 1, "mode": "pan"}
check_source(row)
try:
    check_source({**row, "tilt": 2.0})
    refused = ""
except NeedleError as error:
    refused = str(error)
source = MixSource("a", np.zeros((1, 4), np.float32))
document = {**empty_document("S"), "sources": {"a": row}}
print(json.dumps({
    "defaults": [SOURCE_DEFAULTS["tilt"], RETURN_DEFAULTS["tilt"]],
    "model": [source.tilt, MixReturn("r").tilt],
    "fingerprint": source.statics != replace(source, tilt=0.3).statics,
    "refused": refused,
    "automated": accepts(document, "a", "tilt"),
    "stored": StoredSource.model_json_schema()["properties"]["tilt"],
    "operations": ["tilt" in kind.model_fields for kind in (PlaceSource, SetReturn)],
    "said": describe_value("tilt", 0.5),
    "schema": '"tilt"' in schema_text(),
    "interface": json.loads(parameters_text().partition("  tilt: ")[2].partition(",\\n")[0])["defaults"],
}))
"""


class Declared(SimpleTestCase):
    maxDiff = None

    def test_one_that_is_added_is_found_everywhere(self) -> None:
        done = subprocess.run(
            [sys.executable, "-c", ADDED], cwd=settings.BASE_DIR, capture_output=True, text=True, check=False
        )
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        self.assertEqual(
            json.loads(done.stdout),
            {
                "defaults": [0.25, 0.5],
                "model": [0.25, 0.5],
                "fingerprint": True,
                "refused": "tilt cannot be 2. It runs from -0.5 to 0.75 (of the room).",
                "automated": True,
                "stored": {
                    "default": 0.25, "maximum": 0.75, "minimum": -0.5, "title": "Tilt", "type": "number",
                },
                "operations": [True, True],
                "said": "tilt 50%",
                "schema": True,
                "interface": {"source": 0.25, "return": 0.5},
            },
        )  # fmt: skip

    def test_the_interface_has_what_is_declared(self) -> None:
        self.assertEqual(PATH.read_text("utf-8"), parameters_text())
