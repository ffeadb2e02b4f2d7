"""The guide in the application: the same pages as in the documentation, in the order of the work."""

import re
from functools import lru_cache
from pathlib import Path

import markdown
from django.conf import settings
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import render

from server.common.typefaces import typefaces

_DOCS = settings.BASE_DIR / "docs"
_FIRST = "README"
_EXTENSIONS = ["tables", "fenced_code", "sane_lists", "toc"]


def guide(request: HttpRequest, page: str = _FIRST) -> HttpResponse:
    """A page of the guide."""
    pages = _pages()
    path = {name: path for name, path, _ in pages}.get(page)
    if path is None:
        raise Http404("There is no such page in the guide.")
    names = [name for name, _, _ in pages]
    at = names.index(page)
    return render(
        request,
        "guide.html",
        {
            "body": _as_html(path, path.stat().st_mtime),
            "title": pages[at][2],
            "fonts": typefaces(),
            "pages": [{"name": name, "title": title, "here": name == page} for name, _, title in pages],
            "before": pages[at - 1] if at else None,
            "after": pages[at + 1] if at + 1 < len(pages) else None,
        },
    )


def picture(request: HttpRequest, name: str) -> FileResponse:
    """A picture of the guide."""
    path = _DOCS / "screenshots" / f"{name}.png"
    if not path.is_file():
        raise Http404("There is no such picture.")
    return FileResponse(path.open("rb"), content_type="image/png")


@lru_cache(maxsize=1)
def _pages() -> list[tuple[str, Path, str]]:
    """Every page: its name in addresses, its file, its title."""
    guide_pages = [*sorted((_DOCS / "guide").glob("lesson-*.md")), *sorted((_DOCS / "guide").glob("[0-9]*.md"))]
    more = [_DOCS / "moves.md", _DOCS / "bundle.md"]
    result = [_DOCS / "guide" / f"{_FIRST}.md", *guide_pages, *more]
    return [(path.stem, path, path.read_text("utf-8").splitlines()[0].lstrip("# ")) for path in result]


@lru_cache(maxsize=32)
def _as_html(path: Path, _changed: float) -> str:
    """A page as HTML, with its links and pictures as they are found here."""
    text = path.read_text("utf-8")
    text = re.sub(r"\]\((?:\.\./)?screenshots/([a-z-]+)\.png\)", r"](/guide/pictures/\1.png)", text)
    text = re.sub(r"\]\((?:\.\./)?(?:guide/)?([\w-]+)\.md(#[\w-]+)?\)", r"](/guide/\1/\2)", text)
    text = re.sub(r"\[([^\]]+)\]\((?:\.\./)?schemas/[^)]+\)", r"\1", text)
    return markdown.markdown(text, extensions=_EXTENSIONS)
