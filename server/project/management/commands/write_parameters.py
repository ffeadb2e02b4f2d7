"""Writes what the core declares of parameters and of documents as constants of the interface."""

import json
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from needle.automation.parameters import PARAMETERS
from needle.session.migrations import VERSION

PATH = settings.BASE_DIR / "web" / "src" / "domain" / "declared.ts"

_SHOWN = ("title", "low", "high", "unit", "display", "in_room", "defaults")


def parameters_text() -> str:
    """The constants as TypeScript, formatted as the interface is."""
    lines = []
    for name, parameter in PARAMETERS.items():
        values = json.dumps({field: getattr(parameter, field) for field in _SHOWN}, ensure_ascii=False)
        lines.append(f"  {name}: {values},")
    return "\n".join(
        (
            "/** Every automatable parameter as the core declares it: made by setup/make-api-types, not by hand. */",
            "// prettier-ignore",
            "export const PARAMETERS = {",
            *lines,
            "} as const;",
            "",
            "/** The version of documents whose names the interface uses. */",
            f"export const DOCUMENT_VERSION = {VERSION};",
            "",
            "export type Parameter = keyof typeof PARAMETERS;",
            "",
        )
    )


class Command(BaseCommand):
    help = "Write the parameters' constants of the interface to web/src/domain."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--check", action="store_true", help="only say whether they are current")

    def handle(self, *args: Any, **options: Any) -> None:
        text = parameters_text()
        if not options["check"]:
            PATH.write_text(text, "utf-8")
        elif PATH.read_text("utf-8") != text:
            self.stderr.write("web/src/domain/declared.ts is out of date. Run setup/make-api-types.")
            raise SystemExit(1)
