"""Writes what the core declares, parameters' ranges and the titles of all that has one, for the interface."""

import json
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from needle.automation.parameters import PARAMETERS
from needle.session.migrations import VERSION
from server.editing.library import Library, library_content

PATH = settings.BASE_DIR / "web" / "src" / "domain" / "declared.ts"
TITLES_PATH = settings.BASE_DIR / "web" / "src" / "words" / "declared.json"

_SHOWN = ("low", "high", "unit", "display", "in_room", "defaults")


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


def titles_text() -> str:
    """Titles and sentences of all that the core declares, as JSON: by section of the library and by name."""
    library = Library.model_validate(library_content()).model_dump(mode="json")
    return json.dumps(_texts_in(library), ensure_ascii=False, indent=2) + "\n"


def _texts_in(value: Any) -> Any:
    """What of a part of the library is read by people, by the names in it; empty if there is nothing."""
    if isinstance(value, list):
        return {item["name"]: texts for item in value if isinstance(item, dict) and (texts := _texts_in(item))}
    if not isinstance(value, dict):
        return {}
    if all(isinstance(item, str) for item in value.values()) and "name" not in value:
        return dict(value)
    result = {key: value[key] for key in ("title", "sentence") if value.get(key)}
    return result | {key: texts for key, item in value.items() if (texts := _texts_in(item))}


class Command(BaseCommand):
    help = "Write the parameters' constants and the declared titles for the interface to web/src."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--check", action="store_true", help="only say whether they are current")

    def handle(self, *args: Any, **options: Any) -> None:
        for path, text in ((PATH, parameters_text()), (TITLES_PATH, titles_text())):
            if not options["check"]:
                path.write_text(text, "utf-8")
            elif path.read_text("utf-8") != text:
                self.stderr.write(f"{path.relative_to(settings.BASE_DIR)} is out of date. Run setup/make-api-types.")
                raise SystemExit(1)
