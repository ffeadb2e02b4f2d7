"""Takes the pictures of every main view with the demo's people (run by setup/take-screenshots)."""

import os
from pathlib import Path
from types import SimpleNamespace

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
django.setup()

from playwright.sync_api import sync_playwright  # noqa: E402 - needs Django to be set up

from tests.browser.stage import ARGUMENTS, CHROMIUM, Engineer, Server  # noqa: E402

HERE = Path(__file__).parent
SIZE = {"width": 1280, "height": 800}


def take(page, name: str, **options: bool) -> None:
    page.evaluate("document.fonts.ready")
    page.screenshot(path=HERE / f"{name}.png", **options)


def main() -> None:
    server = Server()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        case = SimpleNamespace(server=server, browser=browser)

        door = browser.new_context(viewport=SIZE).new_page()
        door.goto(server.address)
        door.get_by_text("Rowan Oake").wait_for()
        take(door, "sign-in")

        rowan = Engineer(case, "rowan")
        rowan.page.locator(".flag").first.wait_for(state="attached")
        rowan.jump("17.3")
        rowan.play()
        rowan.listen(3.5)
        take(rowan.page, "session")
        rowan.stop()

        ines = Engineer(case, "ines")
        ines.jump("23.3")
        rowan.row("concertina-1").get_by_role("button", name="Concertina I", exact=True).click()
        ines.drag(ines.place_of("concertina-1"), 0.3, release=False)
        rowan.page.get_by_text("Ines Norden is moving it now.").wait_for()
        take(rowan.page, "together")
        ines.page.mouse.up()

        rowan.page.get_by_role("button", name="Export…").click()
        rowan.page.get_by_role("button", name="Export", exact=True).click()
        rowan.page.get_by_role("link", name="Download").wait_for(timeout=60_000)
        take(rowan.page, "export")
        rowan.page.keyboard.press("Escape")
        rowan.page.goto(server.address)
        rowan.page.get_by_text("Your sessions").wait_for()
        take(rowan.page, "sessions")

        phone = Engineer(case, "rowan", width=390, height=844)
        phone.page.locator(".flag").first.wait_for(state="attached")
        take(phone.page, "phone")
        browser.close()
    server.close()


if __name__ == "__main__":
    main()
