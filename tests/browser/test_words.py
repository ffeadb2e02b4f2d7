"""With words that are longer by two fifths nothing on a desk is cut, and nothing lies over anything else."""

import json
import re
from pathlib import Path
from typing import Any

from playwright.sync_api import Request, Route, expect

from tests.browser.stage import PATIENCE, BrowserCase

WORDS = Path(__file__).parents[2] / "web" / "src" / "words"
DESKS = ("Place", "Move", "Pulse", "Hand over", "Balance")
LEANING = "Balance"
"""The desk whose figures are of the whole piece: the last, as they are measured behind everything else."""
LONGER = 0.4
WORD = "~~~~~~~ "
"""What is added, so often as there is room for: as words are that are long themselves."""

# What is cut or lies over its neighbour, each in a few words.
FLAWS = r"""
() => {
  const flaws = [];
  const named = (one) => (one.textContent || one.getAttribute("aria-label") || one.tagName).trim().slice(0, 50);
  const isSeen = (one) => one.checkVisibility({ opacityProperty: true, visibilityProperty: true });
  const box = (one) => one.getBoundingClientRect();
  const isEllipsis = (one) => getComputedStyle(one).textOverflow === "ellipsis" && one.closest("[title]");
  for (const one of document.querySelectorAll(".session *")) {
    const own = [...one.childNodes].some((node) => node.nodeType === 3 && node.textContent.trim());
    if (!own || !isSeen(one) || one instanceof SVGElement || isEllipsis(one)) continue;
    if (one.closest(".hidden-label, option, [aria-hidden=true]")) continue;
    const clip = one.closest(".bar, .tools, .details, .desk, .roster");
    if (clip && box(one).right > box(clip).right + 1)
      flaws.push(`past its panel: ${one.className} “${named(one)}”`);
    if (one.scrollWidth > one.clientWidth + 2 && one.clientWidth > 0)
      flaws.push(`cut: ${one.className} “${named(one)}”`);
  }
  const controls = [...document.querySelectorAll(".session :is(button, a, select, input, summary, label)")];
  const parents = new Map();
  for (const one of controls.filter(isSeen)) {
    const rect = box(one);
    if (rect.width < 2 || rect.height < 2) continue;
    if (rect.right > innerWidth + 1) flaws.push(`beyond the page: “${named(one)}”`);
    parents.set(one.parentElement, [...(parents.get(one.parentElement) ?? []), one]);
  }
  for (const siblings of parents.values())
    for (const [i, one] of siblings.entries())
      for (const other of siblings.slice(i + 1)) {
        const [a, b] = [box(one), box(other)];
        const across = Math.min(a.right, b.right) - Math.max(a.left, b.left);
        const down = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
        if (across > 3 && down > 3) flaws.push(`over each other: “${named(one)}”, “${named(other)}”`);
      }
  return flaws;
}
"""


def longer(message: str) -> str:
    """A message, each of its plurals longer by two fifths and in brackets."""
    plurals = message.split(" | ")
    return " | ".join(f"⟦{text}{(WORD * len(text))[: round(LONGER * len(text))].rstrip()}⟧" for text in plurals)


def all_longer(texts: Any) -> Any:
    """A catalogue with every message longer."""
    return longer(texts) if isinstance(texts, str) else {name: all_longer(item) for name, item in texts.items()}


class LongWords(BrowserCase):
    def lengthen(self, route: Route) -> None:
        """Give the page a longer catalogue in place of its own, under the name by which it is imported."""
        export = re.search(r"export\s*\{\s*\w+ as (\w+)\s*\}", route.fetch().text())
        assert export, "the catalogue is not a file of its own"
        name = "declared" if "/declared-" in route.request.url else "en"
        words = all_longer(json.loads((WORDS / f"{name}.json").read_text("utf-8")))
        body = f"const words = {json.dumps(words)}; export {{ words as {export[1]} }};"
        route.fulfill(body=body, content_type="text/javascript")

    def test_nothing_is_cut_and_nothing_overlaps_on_any_desk(self) -> None:
        rowan = self.engineer("rowan", deaf=True)
        page = rowan.page
        page.context.route(re.compile(r"/assets/(catalogue|declared)-.*\.js"), self.lengthen)
        page.set_viewport_size({"width": 1280, "height": 800})
        waiting: set[Request] = set()
        page.on("request", lambda request: waiting.add(request))
        page.on("requestfinished", lambda request: waiting.discard(request))
        page.on("requestfailed", lambda request: waiting.discard(request))
        page.reload()
        flaws = {}
        for desk in DESKS:
            page.get_by_role("link", name=re.compile(f"⟦{desk}[~ ]*⟧")).click()
            page.wait_for_function("document.querySelector('[aria-current=page]')?.textContent.includes('⟦')")
            if desk == LEANING:
                share = page.get_by_role("status").filter(has_text="%")
                expect(share).to_have_count(0, timeout=3 * PATIENCE)
            self.until(page, lambda: all("/balance?" in one.url for one in waiting), f"{desk} waits")
            found = page.evaluate(FLAWS)
            if found:
                flaws[desk] = found
        self.assertEqual(flaws, {})
