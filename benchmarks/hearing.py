"""Hearing: how long after a key or a hand the loudspeakers answer, and how soon colleagues see an edit, in Chromium.

Run (with the packages of ./test): python -m benchmarks.hearing
"""

import os
import statistics
import tempfile
from types import SimpleNamespace
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.project.settings")
os.environ.setdefault("NEEDLE_LOCAL", "1")
os.environ.setdefault("NEEDLE_DATA", tempfile.mkdtemp())

TIMES = 12

# Resolves with the milliseconds from the next event of a kind until one side, both or none of them are silent.
ANSWER = """
([event, silent]) => new Promise((done) => {
  addEventListener(event, async () => {
    const start = performance.now();
    const peak = (samples) => samples.reduce((most, sample) => Math.max(most, Math.abs(sample)), 0);
    for (;;) {
      const bytes = Uint8Array.from(atob((await window.listen(4))[1]), (letter) => letter.charCodeAt(0));
      const samples = new Float32Array(bytes.buffer);
      const half = samples.length / 2;
      const [left, right] = [peak(samples.subarray(0, half)), peak(samples.subarray(half))];
      const most = Math.max(left, right);
      const [off, on] = { left: [left, right], right: [right, left], both: [most, 1], none: [0, most] }[silent];
      if (off < 1e-5 && on > 1e-4) return done(performance.now() - start);
    }
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


def print_times(name: str, times: list[float]) -> None:
    print(f"{name}: median {statistics.median(times):.0f} ms, worst of {len(times)} {max(times):.0f} ms")


def waiting(person: Any, script: str, argument: list[str]) -> None:
    """Start a script in a page without waiting for what it gives."""
    person.page.evaluate(f"(argument) => {{ window.answer = ({script})(argument); }}", argument)


def answer(person: Any) -> float:
    return person.page.evaluate("window.answer")


def main() -> None:
    import django

    django.setup()
    from playwright.sync_api import sync_playwright

    from tests.browser.prepared import copied_session
    from tests.browser.stage import ARGUMENTS, CHROMIUM, Engineer, Server

    server = Server()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        case = SimpleNamespace(server=server, browser=browser, session=copied_session(server.data))
        rowan, ines = Engineer(case, "rowan"), Engineer(case, "ines")
        # Only direct sound falls silent on one side, and only a source that is turned down there does at once.
        rowan.dry()
        rowan.operate("place-source", source="wind-pad", mode="balance")
        rowan.jump("17.1")
        rowan.row("wind-pad").get_by_role("button", name="Solo").click()
        rowan.play()
        rowan.listen(0.5)
        place = rowan.place_of("wind-pad")
        keys, views, hands = [], [], []
        for step in range(TIMES):
            rowan.listen(2.5)
            key, silent, text = (("End", "left", "R100"), ("Home", "right", "L100"))[step % 2]
            waiting(rowan, ANSWER, ["keydown", silent])
            waiting(ines, SEEN, ["wind-pad", text])
            start = rowan.page.evaluate("Date.now()")
            place.press(key)
            keys.append(answer(rowan))
            views.append(ines.page.evaluate("window.answer") - start)
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
        # A number that no table foretells is rendered while it is held: here from off to what it was, and back.
        field = rowan.row("wind-pad").get_by_label("Level of Wind pad")
        box = field.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        rowan.page.keyboard.down("Shift")
        rowan.page.mouse.move(x, y)
        rowan.page.mouse.down()
        renders = []
        for step in range(TIMES):
            rowan.listen(1.5)
            by, silent = ((-400, "both"), (0, "none"))[step % 2]
            waiting(rowan, ANSWER, ["pointermove", silent])
            rowan.page.mouse.move(x + by, y)
            renders.append(answer(rowan))
        rowan.page.mouse.up()
        print_times("a held number is heard", renders)
        print_times("an edit by key is heard", keys)
        print_times("an edit is seen by a colleague", views)
        print_times("a held hand is heard", hands)
        browser.close()
    server.close()


if __name__ == "__main__":
    main()
