"""The application's own typefaces, for pages that Django makes."""

from typing import Any

from django.conf import settings

_WANTED = (("Sans", 400), ("Sans", 600), ("Mono", 500))


def typefaces() -> list[dict[str, Any]]:
    """Family, weight and address of each, where the interface has been built."""
    return [
        {"family": f"IBM Plex {family}", "weight": weight, "address": f"/assets/{file.name}"}
        for family, weight in _WANTED
        for file in settings.WEB_DIST.glob(f"assets/ibm-plex-{family.lower()}-latin-{weight}-normal-*.woff2")
    ]
