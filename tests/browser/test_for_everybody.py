"""For everybody: a screen reader, the keyboard alone, a phone, night paper, a slow line."""

import json
from collections.abc import Callable
from typing import Any

from django.conf import settings
from playwright.sync_api import Page, expect

from tests import full
from tests.browser.stage import PATIENCE, BrowserCase, held_back

AXE = (settings.BASE_DIR / "web/node_modules/axe-core/axe.min.js").read_text("utf-8")
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"]
DESKS = ("Place", "Move", "Pulse", "Balance", "Hand over")


def faults(page: Page) -> list[str]:
    """What axe finds that is serious: the rule, and where."""
    page.evaluate(AXE)
    options = json.dumps({"runOnly": {"type": "tag", "values": RULES}, "resultTypes": ["violations"]})
    found: dict[str, Any] = page.evaluate(f"axe.run(document, {options})")
    return [
        f"{one['id']} ({one['impact']}): {node['target']} {node.get('failureSummary', '')[:200]}"
        for one in found["violations"]
        if one["impact"] in ("serious", "critical")
        for node in one["nodes"]
    ]


class Everybody(BrowserCase):
    def assert_no_fault(self, page: Page, where: str) -> None:
        # What fades in is looked at once it is there.
        page.evaluate("Promise.all(document.getAnimations().map((one) => one.finished.catch(() => 0)))")
        self.assertEqual(faults(page), [], where)

    def liking(self, page: Page, **values: str) -> None:
        """Like something, as the preferences keep it."""
        page.evaluate(
            """async (values) => {
              const found = await (await fetch("/api/preferences")).json();
              const token = /csrftoken=([^;]+)/.exec(document.cookie)[1];
              await fetch("/api/preferences", { method: "PUT", body: JSON.stringify({ ...found, ...values }),
                headers: { "Content-Type": "application/json", "X-CSRFToken": token } });
            }""",
            values,
        )
        page.reload()

    @full
    def test_no_serious_fault_on_any_desk(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        for paper in ("day", "night"):
            self.liking(rowan.page, paper=paper)
            expect(rowan.page.locator(f"html[data-paper={paper}]")).to_have_count(1)
            for desk in DESKS:
                rowan.to_desk(desk)
                expect(rowan.page.locator("nav [aria-current=page]")).to_have_text(desk)
                if desk == "Balance":
                    expect(rowan.page.locator("[data-cause]").first).to_be_visible(timeout=4 * PATIENCE)
                self.assert_no_fault(rowan.page, f"{desk}, {paper}")
        self.liking(rowan.page, paper="day")

    @full
    def test_no_serious_fault_beside_the_desks(self) -> None:
        rowan = self.engineer("rowan", desk="hand-over")
        page = rowan.page
        for name in ("History", "Comments"):
            page.get_by_role("button", name=name).click()
            self.assert_no_fault(page, name)
            page.get_by_role("button", name=name).click()
        for button in ("Keys and help", "The session's settings", "Stems…"):
            page.get_by_role("button", name=button).click()
            expect(page.get_by_role("dialog")).to_be_visible()
            self.assert_no_fault(page, button)
            page.keyboard.press("Escape")
            expect(page.get_by_role("dialog")).to_have_count(0)
        page.goto(self.server.address)
        expect(page.get_by_role("heading", name="Your sessions")).to_be_visible()
        self.assert_no_fault(page, "the list of sessions")
        for button in ("Preferences…", "Account…", "New session"):
            page.get_by_role("button", name=button).click()
            expect(page.get_by_role("dialog")).to_be_visible()
            self.assert_no_fault(page, button)
            page.keyboard.press("Escape")
            expect(page.get_by_role("dialog")).to_have_count(0)
        page.goto(f"{self.server.address}/guide/")
        self.assert_no_fault(page, "the guide")
        page.goto(f"{self.server.address}/nowhere/at/all")
        expect(page.get_by_role("heading", name="There is nothing at this address")).to_be_visible()
        self.assert_no_fault(page, "no such address")

    def test_by_keyboard_alone(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        page = rowan.page
        page.goto(self.server.address)
        expect(page.get_by_role("heading", name="Your sessions")).to_be_visible()

        def tab_to(name: str, most: int = 80) -> None:
            for _ in range(most):
                page.keyboard.press("Tab")
                here = page.evaluate(
                    "(document.activeElement?.ariaLabel || document.activeElement?.textContent || '')"
                )
                if here.strip() == name:
                    shown = page.evaluate("document.activeElement.matches(':focus-visible')")
                    self.assertTrue(shown, f"{name} has the focus and does not show it")
                    return
            self.fail(f"{name} is not reached by Tab")

        tab_to("Night Ferry")
        page.keyboard.press("Enter")
        expect(page.locator("nav [aria-label='Desks'], nav").first).to_be_visible()
        page.keyboard.press("5")
        expect(page.locator("nav [aria-current=page]")).to_have_text("Hand over")
        tab_to("Make the files", 140)
        with page.expect_response(lambda answer: answer.url.endswith("/deliveries")):
            page.keyboard.press("Enter")
        page.keyboard.press("Escape")
        page.locator("body").click(position={"x": 640, "y": 20})
        page.keyboard.press("1")
        expect(page.locator("nav [aria-current=page]")).to_have_text("Place")

    def test_on_a_phone_nothing_is_wider_than_the_page(self) -> None:
        rowan = self.engineer("rowan", desk="place", width=390, height=844)
        page = rowan.page
        for desk in DESKS:
            rowan.to_desk(desk)
            expect(page.locator("nav [aria-current=page]")).to_have_text(desk)
            wide = page.evaluate("document.scrollingElement.scrollWidth - document.scrollingElement.clientWidth")
            self.assertLessEqual(wide, 0, desk)
        form = page.get_by_role("form", name="What to hand over")
        expect(form.get_by_role("button", name="Make the files")).to_be_visible()
        page.goto(self.server.address)
        expect(page.get_by_role("link", name="Night Ferry").first).to_be_visible()
        wide = page.evaluate("document.scrollingElement.scrollWidth - document.scrollingElement.clientWidth")
        self.assertLessEqual(wide, 0, "the list of sessions")

    @full
    def test_preferences_are_seen_at_once_and_stay(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        page = rowan.page
        page.get_by_role("button", name="Keys and help").click()
        page.get_by_role("button", name="preferences").click()
        dialog = page.get_by_role("dialog", name="Preferences")
        dialog.get_by_role("radio", name="night").check()
        dialog.get_by_role("radio", name="−31 0 +31").check()
        dark = page.evaluate("getComputedStyle(document.body).backgroundColor")
        self.assertEqual(dark, "rgb(29, 34, 37)")
        page.keyboard.press("Escape")
        page.reload()
        rowan.row("concertina-2").locator("button.name").click()
        expect(page.get_by_label("Place now")).to_have_value("+80")
        page.get_by_label("Place now").fill("-12")
        page.get_by_label("Place now").press("Enter")
        self.until(page, lambda: rowan.document()["sources"]["concertina-2"]["pan"] == -0.12, "not placed")
        self.assertEqual(page.evaluate("document.documentElement.dataset.paper"), "night")
        self.liking(page, paper="day", places="letters")
        ines = self.engineer("ines", desk="place")
        ines.row("concertina-2").locator("button.name").click()
        expect(ines.page.get_by_label("Place now")).to_have_value("L12")

    @full
    def test_on_a_slow_line_it_says_what_it_waits_for(self) -> None:
        rowan = self.engineer("rowan", desk="place")
        page = rowan.page

        def slowly(address: str, go: Callable[[], object], said: str) -> None:
            """Hold back what is asked of an address until the page has said that it waits for it."""
            with held_back(page, address):
                go()
                expect(page.get_by_text(said)).to_be_visible()

        slowly(r"/api/doorstep$", lambda: page.goto(self.server.address, wait_until="commit"), "Opening…")
        expect(page.get_by_role("link", name="Night Ferry").first).to_be_visible()
        slowly(r"/api/sessions$", lambda: page.reload(wait_until="commit"), "Looking…")
        link = page.get_by_role("link", name="Night Ferry").first
        slowly(r"/api/sessions/[\w-]+$", link.click, "Opening the session…")
        expect(page.locator("svg.field")).to_be_visible()
        place = rowan.place_of("foghorn")
        slowly(r"/operations$", lambda: place.press("ArrowRight"), "Saving 1…")
        expect(page.locator(".saved")).to_contain_text("Saved")
        rowan.to_desk("Hand over")
        page.reload()
        slowly(r"/deliveries$", lambda: page.reload(wait_until="commit"), "Looking…")
        expect(page.get_by_text("Looking…")).to_have_count(0)
