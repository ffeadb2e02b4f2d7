"""For everybody: a screen reader, the keyboard alone, a phone, night paper."""

import json
from typing import Any

import numpy as np
from django.conf import settings
from playwright.sync_api import Page, expect

from tests import full
from tests.browser.stage import PATIENCE, BrowserCase

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
    maxDiff = None

    def assert_no_fault(self, page: Page, where: str) -> None:
        # What fades in is looked at once it is there.
        page.evaluate("Promise.all(document.getAnimations().map((one) => one.finished.catch(() => 0)))")
        self.assertEqual("\n".join(faults(page)), "", where)

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

    def assert_dialog_has_no_fault(self, page: Page, button: str, where: str) -> None:
        """Open a dialog by its button, look at each of its tabs, and close it again."""
        page.get_by_role("button", name=button).first.click()
        dialog = page.get_by_role("dialog")
        expect(dialog).to_be_visible()
        for tab in dialog.get_by_role("tab").all() or [None]:
            if tab:
                tab.click()
                expect(tab).to_have_attribute("aria-selected", "true")
            self.assert_no_fault(page, f"{button}, {where}")
        page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)

    @full
    def test_no_serious_fault_beside_the_desks(self) -> None:
        rowan = self.engineer("rowan", desk="hand-over")
        page = rowan.page
        for paper in ("night", "day"):
            self.liking(page, paper=paper)
            expect(page.locator(f"html[data-paper={paper}]")).to_have_count(1)
            for name in ("History", "Comments"):
                page.get_by_role("button", name=name).click()
                self.assert_no_fault(page, f"{name}, {paper}")
                page.get_by_role("button", name=name).click()
            for button in ("Shortcuts and help", "Session settings", "Stems…", "People"):
                self.assert_dialog_has_no_fault(page, button, paper)
            rowan.to_desk("Balance")
            self.assert_dialog_has_no_fault(page, "Balance report…", paper)
            rowan.to_desk("Place")
            page.locator("[data-source=oars] .name").click()
            page.locator("[data-source=gulls] .name").click(modifiers=["ControlOrMeta"])
            self.assert_dialog_has_no_fault(page, "Seat…", paper)
            rowan.to_desk("Hand over")
        page.goto(self.server.address)
        for paper in ("night", "day"):
            self.liking(page, paper=paper)
            expect(page.get_by_role("heading", name="Your sessions")).to_be_visible()
            self.assert_no_fault(page, f"the list of sessions, {paper}")
            for button in ("Preferences…", "Account…", "New session"):
                self.assert_dialog_has_no_fault(page, button, paper)
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
        tab_to("Export", 140)
        with page.expect_response(lambda answer: answer.url.endswith("/deliveries")):
            page.keyboard.press("Enter")
        page.keyboard.press("Escape")
        page.keyboard.press("1")
        expect(page.locator("nav [aria-current=page]")).to_have_text("Place")

    def test_on_a_phone_nothing_is_wider_than_the_page_and_all_of_it_works(self) -> None:
        rowan = self.engineer("rowan", desk="place", width=390, height=844)
        page = rowan.page
        for desk in DESKS:
            rowan.to_desk(desk)
            expect(page.locator("nav [aria-current=page]")).to_have_text(desk)
            wide = page.evaluate("document.scrollingElement.scrollWidth - document.scrollingElement.clientWidth")
            self.assertLessEqual(wide, 0, desk)
        form = page.get_by_role("form", name="What to export")
        expect(form.get_by_role("button", name="Export")).to_be_visible()
        rowan.to_desk("Move")
        rowan.play()
        # The meters move with the first sound.
        expect(page.locator(".foot .lean .number")).not_to_have_text("–")
        self.assertGreater(np.abs(rowan.listen(0.3)).max(), 0.0)
        rowan.place_of("ferry-engine").press("ArrowLeft")
        self.until(page, lambda: rowan.document()["sources"]["ferry-engine"]["pan"] == -0.03, "not placed")
        rowan.stop()
        page.goto(self.server.address)
        expect(page.get_by_role("link", name="Night Ferry").first).to_be_visible()
        wide = page.evaluate("document.scrollingElement.scrollWidth - document.scrollingElement.clientWidth")
        self.assertLessEqual(wide, 0, "the list of sessions")
