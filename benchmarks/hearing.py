"""Hearing: how long after a key or a hand the loudspeakers answer, and how soon colleagues see an edit, in Chromium.

Run (with the packages of ./test): python -m benchmarks.hearing
"""

import os
import statistics
import tempfile
from types import SimpleNamespace
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
os.environ.setdefault("NEEDLE_LOCAL", "1")
os.environ.setdefault("NEEDLE_DATA", tempfile.mkdtemp())

TIMES = 12

# Resolves with the milliseconds from the next event of a kind until only one side sounds.
ANSWER = """
([event, silent]) => new Promise((done) => {
  addEventListener(event, () => {
    const start = performance.now();
    let next = window.heard.length;
    const peak = (samples) => samples.reduce((most, sample) => Math.max(most, Math.abs(sample)), 0);
    const look = () => {
      for (; next < window.heard.length; next += 1) {
        const block = window.heard[next];
        if (peak(block[silent]) < 1e-5 && peak(block[silent === "left" ? "right" : "left"]) > 1e-4) {
          done(performance.now() - start);
          return;
        }
      }
      setTimeout(look, 4);
    };
    look();
  }, { once: true, capture: true });
})
"""

SEEN = """
([source, text]) => new Promise((done) => {
  const slider = document.querySelector(`.row[data-source='${source}'] [role=slider]`);
  const look = () => slider.getAttribute("aria-valuetext") === text ? done(Date.now()) : setTimeout(look, 1);
  look();
})
"""


def told(name: str, times: list[float]) -> None:
    print(f"{name}: median {statistics.median(times):.0f} ms, worst of {len(times)} {max(times):.0f} ms")


def waiting(person: Any, script: str, argument: list[str]) -> None:
    """Start a script in a page without waiting for what it gives."""
    person.page.evaluate(f"(argument) => {{ window.answer = ({script})(argument); }}", argument)


def answer(person: Any) -> float:
    person.page.evaluate("window.heard && window.heard.splice(0, Math.max(window.heard.length - 4000, 0))")
    return person.page.evaluate("window.answer")


def main() -> None:
    import django

    django.setup()
    from playwright.sync_api import sync_playwright

    from tests.browser.stage import ARGUMENTS, CHROMIUM, Engineer, Server

    server = Server()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        case = SimpleNamespace(server=server, browser=browser)
        rowan, ines = Engineer(case, "rowan"), Engineer(case, "ines")
        # Only direct sound falls silent on one side, and only a source that is turned down there does at once.
        rowan.dry()
        rowan.operate("place-source", source="wind-pad", mode="balance")
        rowan.jump("17.1")
        rowan.row("wind-pad").get_by_role("button", name="Solo").click()
        rowan.play()
        rowan.listen(0.5)
        place = rowan.place_of("wind-pad")
        keys, seen, hands = [], [], []
        for step in range(TIMES):
            rowan.listen(2.5)
            key, silent, text = (("End", "left", "R100"), ("Home", "right", "L100"))[step % 2]
            waiting(rowan, ANSWER, ["keydown", silent])
            waiting(ines, SEEN, ["wind-pad", text])
            start = rowan.page.evaluate("Date.now()")
            place.press(key)
            keys.append(answer(rowan))
            seen.append(ines.page.evaluate("window.answer") - start)
        box = place.bounding_box()
        middle = box["y"] + box["height"] / 2
        for step in range(TIMES):
            share, silent = ((1.0, "left"), (0.0, "right"))[step % 2]
            rowan.page.mouse.move(box["x"] + box["width"] / 2, middle)
            rowan.page.mouse.down()
            rowan.page.mouse.move(box["x"] + box["width"] * (0.5 + (share - 0.5) * 0.5), middle)
            rowan.listen(0.4)
            waiting(rowan, ANSWER, ["pointermove", silent])
            rowan.page.mouse.move(box["x"] + box["width"] * share, middle)
            hands.append(answer(rowan))
            rowan.page.mouse.up()
            rowan.listen(0.4)
        told("an edit by key is heard", keys)
        told("an edit is seen by a colleague", seen)
        told("a held hand is heard", hands)
        browser.close()
    server.close()


if __name__ == "__main__":
    main()
