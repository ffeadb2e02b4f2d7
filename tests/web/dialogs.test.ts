// @vitest-environment happy-dom
/** Every dialog, sheet and page beside the desks: what it shows, what it sends, and that Escape closes it. */
import type { Schemas } from "@/api/http";
import { Page, nameOf, person, type Kind } from "./page";

let page: Page;

async function open(desk = "place", kind: Kind = "stereo", role?: string): Promise<void> {
  page = new Page(kind, role);
  await page.desk(desk);
}

async function escape(): Promise<void> {
  await page.key("Escape", page.dialog);
  await page.until(() => !page.dialog, "the dialog goes");
}

afterEach(() => page.end());

/** Try to come in by the door, which answers so. */
async function signIn(answer: (body: Record<string, unknown>) => unknown): Promise<void> {
  page = new Page();
  (page.answers["/api/sign-in/options"] as Schemas["SignInOptions"]).me = null;
  page.gives["/api/sign-in"] = answer;
  await page.at("/sign-in");
  await page.type("Name", "emil");
  await page.type("Password", "a long password");
  await page.press("Sign in");
}

const posts = (path: string) => page.posted.filter((one) => one.path.endsWith(path));

describe("the session's settings", () => {
  it("has every part by its tab, and Escape closes it", async () => {
    await open();
    await page.press(/^Session settings/);
    const tabs = [...page.dialog!.querySelectorAll<HTMLElement>("[role=tab]")];
    expect(tabs.length).toBeGreaterThanOrEqual(4);
    for (const tab of tabs) {
      tab.click();
      await page.key("Shift");
      expect(tab.getAttribute("aria-selected")).toBe("true");
    }
    await escape();
  });

  it("names what another pan law changes before it is taken", async () => {
    await open();
    await page.press(/^Session settings/);
    await page.press(/law/i);
    await page.until(() => /dB/.test(page.dialog!.textContent ?? ""), "what the law changes");
  });

  it("asks of another tempo what is to keep with the sound and what with the bars", async () => {
    await open();
    await page.press(/^Session settings/);
    await page.press("Tempo and metre");
    expect(page.dialog!.querySelector("input[name=keep-automation]")).toBeNull();
    await page.type("Tempo 1", "100");
    const bars = (): HTMLElement | null =>
      page.dialog!.querySelector("input[name=keep-automation][value=bars]");
    await page.until(() => !!bars(), "what keeps with what");
    bars()!.click();
    await page.press("Apply");
    await page.until(() => posts("/tempo").length > 0, "the change");
    expect(posts("/tempo")[0]!.body).toMatchObject({
      tempos: [[0, 100]],
      keep: { automation: "bars", passages: "bars", pulses: "bars", notes: "bars" },
    });
    // The button that had the focus is off now: keys are the dialog's all the same.
    (document.activeElement as HTMLElement | null)?.blur();
    await page.key("2");
    expect(page.dialog).toBeTruthy();
    expect(page.wrapper?.find(".chart").exists()).toBeFalsy();
    (document.activeElement as HTMLElement | null)?.blur();
    await page.key("Escape");
    await page.until(() => !page.dialog, "the dialog goes");
  });

  it("lists what moves when the loudspeakers are others", async () => {
    await open();
    await page.press(/^Session settings/);
    await page.press("Speakers");
    page.field(/Five and LFE/).click();
    await page.until(
      () => /Mix for five and LFE/i.test(page.dialog!.textContent ?? ""),
      "the layout is looked at",
    );
    // What is read of it comes below, so that the button stays under the hand.
    const read = page.dialog!.querySelector("ul, .channels ~ p")!;
    expect(page.button(/^Mix for/).compareDocumentPosition(read)).toBe(Node.DOCUMENT_POSITION_FOLLOWING);
    await page.press(/^Mix for/);
    expect(page.latest).toMatchObject({ kind: "set-session", layout: "0+5+0" });
  });
});

describe("people", () => {
  it("lists who is in the session to whoever is in it", async () => {
    await open();
    await page.press("People");
    for (const name of ["Olga", "Emil", "Lisa"]) expect(page.dialog!.textContent).toContain(name);
    await escape();
  });

  it("lets an owner invite by a link and add by an account", async () => {
    page = new Page("stereo", "owner");
    page.gives["/invitations"] = () => ({
      id: "i", role: "listener", author: "Emil", ends_at: "2026-01-02T12:00:00Z", secret: "abcdefghijkl",
    }); // prettier-ignore
    await page.desk("place");
    await page.press("People");
    const buttons = [...page.dialog!.querySelectorAll("button")].map((one) => nameOf(one));
    const link = buttons.find((name) => /link/i.test(name))!;
    await page.press(link);
    expect(posts("/invitations").map((one) => (one.body as { once?: boolean }).once)).toEqual([true]);
  });
});

describe("help and preferences", () => {
  it("lists every key and leads to the preferences", async () => {
    await open();
    await page.key("?");
    expect(page.dialog!.textContent).toContain("Listening, only you");
    await page.press(/^preferences/);
    await page.until(() => /Night/.test(page.dialog?.textContent ?? ""), "the preferences open");
    page.field(/^Night/).click();
    await page.key("Shift");
    expect(document.documentElement.dataset.paper).toBe("night");
    expect(page.posted.at(-1)).toMatchObject({
      method: "PUT",
      path: "/api/preferences",
      body: { paper: "night" },
    });
  });

  it("changes a shortcut: the key is pressed on its button, and the help sheet shows it", async () => {
    await open();
    await page.key("?");
    await page.press(/^preferences/);
    await page.press(/^Change shortcuts/);
    const button = page.button(/^Key for Loop the passage/);
    button.click();
    await page.key("j", button);
    expect(page.posted.at(-1)).toMatchObject({ path: "/api/preferences", body: { shortcuts: { r: "j" } } });
    await page.until(() => page.button(/^Key for Loop the passage/).textContent?.trim() === "J", "it is J");
    const other = page.button(/^Key for Metronome/);
    other.click();
    await page.key("Escape", other);
    expect(other.textContent?.trim()).toBe("K");
    other.click();
    await page.key("Backspace", other);
    expect(page.posted.at(-1)).toMatchObject({ body: { shortcuts: { r: "j", k: "" } } });
    await page.press("Reset all shortcuts");
    expect(page.posted.at(-1)).toMatchObject({ body: { shortcuts: {} } });
  });
});

describe("bringing in", () => {
  it("opens empty, says what it takes, and closes", async () => {
    await open();
    await page.press("+ Add");
    expect(page.dialog!.textContent).toMatch(/WAV|FLAC/);
    await escape();
  });

  it("is not offered to a listener", async () => {
    await open("place", "stereo", "listener");
    expect(() => page.button("+ Add")).toThrow();
  });
});

describe("seating", () => {
  it("puts chosen sources into seats", async () => {
    page = new Page("stereo");
    page.gives["/seatings/match"] = () => ({ Low: "First", High: "Second" });
    page.gives["/places/arrange"] = () => ({ places: {} });
    await page.desk("place");
    await page.press("Low");
    page.button("High").dispatchEvent(new MouseEvent("click", { bubbles: true, ctrlKey: true }));
    await page.key("Shift");
    await page.press(/^seat/i);
    expect(page.dialog).toBeDefined();
    await escape();
  });
});

describe("the history", () => {
  beforeEach(async () => {
    await open();
    await page.press("History");
  });

  it("tells every change with its author, and reads one against the present", async () => {
    const rows = page.answers["/history"] as Schemas["HistoryOut"];
    for (const row of rows.rows.slice(0, 3)) expect(page.text).toContain(row.summary);
    page.gives["/differences"] = () => page.answers["/history/2/differences"];
    page.gives["/loudness-match"] = () => ({ done: 1, trim: 0 });
    await page.press(/Wide added/);
    await page.until(() => page.text.includes("Restore all"), "the revision is read");
  });

  it("is asked for by person", async () => {
    await page.choose("Changes by", "Emil");
    expect(page.text).toContain("Group Both made of 2 sources");
  });
});

describe("comments", () => {
  it("are written at the playhead", async () => {
    await open();
    const comment = {
      id: "c", author: { id: 1, name: "Emil" }, text: "Closer?", created_at: "2026-01-01T12:00:00Z", edited: false,
      read: true, source: "", beat: 0, end: null, resolved: "", replies: [],
    }; // prettier-ignore
    page.gives["/comments"] = (body) => ("text" in body ? comment : []);
    await page.press("Comments");
    await page.press(/^New/);
    const field = document.querySelector<HTMLTextAreaElement>(".sheet textarea, .sheet input:not([type])")!;
    field.value = "Closer?";
    field.dispatchEvent(new Event("input", { bubbles: true }));
    await page.key("Enter", field);
    const form = field.closest("form");
    if (!posts("/comments").length && form)
      form.dispatchEvent(new Event("submit", { bubbles: true, cancelable: true }));
    await page.key("Shift");
    expect(posts("/comments")[0]?.body).toMatchObject({ text: "Closer?" });
  });
});

describe("the tour", () => {
  it("goes from desk to desk and is closed for good", async () => {
    await open();
    expect(page.named("section", /Tour: Place, 1 of 5/)).toBeTruthy();
    await page.press("Next: Move");
    expect(page.named("section", /Move, 2 of 5/)).toBeTruthy();
    await page.press("Don't show again");
    expect(page.posted.at(-1)).toMatchObject({ path: "/api/preferences", body: { tour: "done" } });
    expect(() => page.named("section", /^Tour:/)).toThrow();
  });
});

describe("away", () => {
  it("keeps what is changed without a connection and says so", async () => {
    await open();
    await page.hear({ type: "welcome", you: person({ id: 1 }), people: [] });
    await page.type("Level of Wide", "-3");
    page.wire.onclose?.({ code: 1006 });
    await page.key("Shift");
    expect(page.text).toContain("Offline. You can go on");
  });

  it("says that one is not in the session any more", async () => {
    await open();
    page.wire.onclose?.({ code: 4404 });
    await page.key("Shift");
    expect(page.text).toContain("You are no longer in this session.");
  });

  it("says what a refused change was refused for, and takes it back", async () => {
    await open();
    page.gives["/operations"] = () => "pan: too far";
    await page.key("End", page.slider("Position of Wide"));
    await page.until(() => page.text.includes("pan: too far"), "the sentence is shown");
    expect(page.slider("Position of Wide").getAttribute("aria-valuetext")).toBe("C");
  });
});

describe("the pages beside a session", () => {
  it("lists one's sessions and puts one away", async () => {
    page = new Page();
    const rows = page.answers["/api/sessions"];
    page.gives["/membership"] = () => rows;
    page.gives["/api/sessions"] = () => rows;
    await page.at("/");
    expect(page.text).toContain("Tones");
    await page.press("Archive Tones");
    expect(posts("/membership")[0]).toMatchObject({ method: "PATCH", body: { archived: true } });
    await page.press("New session");
    expect(page.dialog).toBeDefined();
    await escape();
    await page.press("Account…");
    expect(page.dialog!.textContent).toMatch(/password/i);
  });

  it("lets one in where one is asked to come in, or says no", async () => {
    page = new Page();
    let waiting = ["a", "b"].map((id) => ({
      id, name: `Ferry ${id}`, role: "engineer", author: "Olga", ends_at: "2026-02-01T12:00:00Z",
    })); // prettier-ignore
    page.gives["/api/sessions"] = () => page.answers["/api/sessions"];
    page.gives["/api/invitations"] = () => waiting;
    const answered = (id: string) => () => {
      waiting = waiting.filter((one) => one.id !== id);
      return {};
    };
    page.gives["/api/invitations/a/accept"] = answered("a");
    page.gives["/api/invitations/b"] = answered("b");
    await page.at("/");
    expect(page.text).toContain("Olga invites you to “Ferry a” as engineer.");
    await page.press("Join");
    await page.until(() => !page.text.includes("Ferry a"), "it is answered");
    await page.press("Decline");
    await page.until(() => !page.text.includes("Ferry b"), "that one too");
    const sent = page.posted.map(({ method, path }) => [method ?? "POST", path]);
    expect(sent).toEqual([["POST", "/api/invitations/a/accept"], ["DELETE", "/api/invitations/b"]]); // prettier-ignore
  });

  it("deletes a session of one's own, once asked, and says where to export it first", async () => {
    page = new Page();
    const [row] = page.answers["/api/sessions"] as Schemas["SessionRow"][];
    page.gives["/api/sessions"] = () => [{ ...row, role: "owner" }];
    await page.at("/");
    await page.press("Delete Tones");
    expect(page.text).toContain("This cannot be undone.");
    expect(document.querySelector("a[href$='/hand-over']")).toBeTruthy();
    await page.press("Delete");
    await page.until(() => !page.text.includes("Tones"), "it is gone from the list");
    const deleted = page.posted.find(({ method }) => method === "DELETE");
    expect(deleted?.path ?? "").toBe("");
  });

  it("deletes one's account with the password, after saying what stays", async () => {
    page = new Page();
    const rows = page.answers["/api/sessions"];
    page.gives["/api/sessions"] = () => rows;
    page.gives["/api/account"] = () => "That is not your current password. Nothing was deleted.";
    await page.at("/");
    await page.press("Account…");
    await page.press("Delete account…");
    expect(page.dialog!.textContent).toContain("stays, as a former member's");
    await page.type("Current password", "wrong");
    await page.press("Delete account");
    await page.until(() => page.text.includes("Nothing was deleted"), "the sentence is shown");
    delete page.gives["/api/account"];
    await page.press("Delete account");
    await page.until(() => page.text.includes("Sign in"), "one is signed out");
  });

  it("sets up a second factor, and switches it off", async () => {
    page = new Page();
    const state = page.answers["/api/second-factor"] as Schemas["SecondFactorOut"];
    const enrolment = { secret: "JBSWY3DP", address: "otpauth://totp/x", picture: "data:image/svg+xml,x" };
    page.gives["/confirm"] = ({ code }) => {
      if (code !== "123456") return "That code is not right.";
      Object.assign(state, { on: true, recovery_codes: 10 });
      return { codes: ["abcde234", "fghij567"] };
    };
    await page.at("/");
    await page.press("Account…");
    await page.until(() => page.text.includes("A code from an app"), "it is known that there is none");
    await page.press("Set up…");
    await page.type("Current password", "a long password");
    page.gives["/second-factor"] = () => enrolment;
    await page.press("Continue");
    await page.until(() => page.text.includes("JBSWY3DP"), "the secret is shown");
    delete page.gives["/second-factor"];
    await page.type("Code", "000000");
    await page.press("Confirm");
    await page.until(() => page.text.includes("not right"), "the sentence is shown");
    await page.type("Code", "123456");
    await page.press("Confirm");
    await page.until(() => page.text.includes("fghij567"), "the recovery codes are shown");
    await page.press("I have kept them");
    await page.until(() => page.text.includes("10 recovery codes are left"), "it is known that there is one");
    await page.press("Switch off…");
    await page.type("Current password", "a long password");
    Object.assign(state, { on: false, recovery_codes: 0 });
    await page.press("Switch off");
    await page.until(() => page.text.includes("Set up…"), "there is none any more");
    expect(page.dialog!.contains(document.activeElement)).toBe(true);
    await escape();
  });

  it("signs in, and says when it cannot", async () => {
    await signIn(() => "Wrong name or password. Try again.");
    await page.until(() => page.text.includes("Wrong name or password"), "the sentence is shown");
  });

  it("asks for a code where the account does", async () => {
    const wanted = { detail: "This account asks for a code besides.", code_wanted: true };
    await signIn(({ code }) =>
      code === "123456" ? { id: 1, username: "emil", name: "Emil" } : Response.json(wanted, { status: 401 }),
    );
    await page.until(() => page.text.includes("asks for a code besides"), "the sentence is shown");
    await page.type("Code from your app", "123456");
    await page.press("Sign in");
    await page.until(() => page.text.includes("Tones"), "one is in");
    expect(posts("/sign-in").map(({ body }) => body.code)).toEqual(["", "123456"]);
  });

  it("says to somebody without a session where they are", async () => {
    page = new Page();
    await page.at("/nowhere/at/all");
    expect(page.text).toContain("There is nothing at this address");
  });

  it("says whom an invitation is from before it is taken", async () => {
    page = new Page();
    page.gives["/api/invitations/preview"] = () => ({
      name: "Tones", role: "listener", author: "Olga", session: null, ends_at: "2026-01-02T12:00:00Z",
    }); // prettier-ignore
    await page.at("/invitation#secret=abcdefghijkl");
    await page.until(() => page.text.includes("Olga"), "the invitation is read");
  });
});
