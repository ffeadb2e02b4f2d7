"""The page without its server: opened, looked at and edited, and what was changed sent when the server is back."""

from playwright.sync_api import expect

from tests.browser.stage import BrowserCase


class Offline(BrowserCase):
    def test_the_page_opens_without_its_server_and_sends_later_what_was_changed(self) -> None:
        rowan = self.engineer("rowan", offline=True)
        rowan.page.evaluate("navigator.serviceWorker.ready")
        # From now on the installed page answers, and keeps what it is told.
        rowan.page.reload()
        place = rowan.place_of("plucked-bass")
        place.press("Home")
        expect(rowan.page.locator(".saved")).to_contain_text("Saved")
        kept = """(session) => caches.open("needle-states")
            .then((kept) => kept.match(`/api/sessions/${session}`)).then((found) => found.json())
            .then((state) => state.revision)"""
        revision = rowan.revision()
        self.until(
            rowan.page, lambda: rowan.page.evaluate(kept, self.session) == revision, "the last state is not kept"
        )
        self.server.kill()
        try:
            rowan.page.reload()
            expect(place).to_have_attribute("aria-valuetext", "L100")
            place.press("End")
            expect(place).to_have_attribute("aria-valuetext", "R100")
            expect(rowan.page.locator(".saved")).not_to_contain_text("Saved")
            # Closed and opened again, still without a server: what waits is shown.
            rowan.page.reload()
            expect(place).to_have_attribute("aria-valuetext", "R100")
        finally:
            self.server.start()
        expect(rowan.page.locator(".saved")).to_contain_text("Saved")
        self.until(rowan.page, lambda: rowan.revision() == revision + 1, "the change was not sent")
        self.assertEqual(rowan.document()["sources"]["plucked-bass"]["pan"], 1.0)
