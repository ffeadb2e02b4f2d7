// @vitest-environment happy-dom
/** The doors: a new password by a link. */
import { Page } from "./page";

let page: Page;
afterEach(() => page.end());

describe("a link to a new password", () => {
  it("sets it once, and says why where it cannot", async () => {
    page = new Page();
    await page.at("/new-password");
    location.hash = "";
    page.gives["/password/renew"] = () => "This link has been used already, or is too old.";
    await page.type(/^New password/, "another long password");
    await page.press("Set password");
    await page.until(() => page.text.includes("used already"), "it is said");
    page.gives["/password/renew"] = () => ({ username: "emil" });
    await page.press("Set password");
    await page.until(() => page.text.includes("sign in as emil"), "it is set");
    expect(page.posted.at(-1)).toMatchObject({
      path: "/api/password/renew",
      body: { password: "another long password" },
    });
  });
});
