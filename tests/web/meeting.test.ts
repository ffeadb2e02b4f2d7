// @vitest-environment happy-dom
/** Several people in one session: who is there, what they hold, what met, earlier states, comments, roles, slow lines. */
import type { Schemas } from "@/api/http";
import { useLibrary } from "@/session/library";
import { usePlayer } from "@/audio/player";
import { delayed, Page, person, SESSION } from "./page";

let page: Page;
const emil = person();
const olga = person({ tab: "t2", id: 1, name: "Olga", role: "owner", colour: 0 });

async function open(role?: string): Promise<void> {
  page = new Page("stereo", role);
  await page.desk("place");
  await page.hear({ type: "welcome", you: emil, people: [] });
}

afterEach(() => page.end());

describe("who is there", () => {
  it("is listed, with what they have chosen and where they are", async () => {
    await open();
    await page.hear({ type: "presence", person: { ...olga, chosen: "high", playhead: 1.5 } });
    expect(page.named("[aria-label]", "In the session now").querySelectorAll("li")).toHaveLength(2);
    expect(document.querySelector("[data-source=high] .watcher")?.textContent?.trim()).toBe("O");
    await page.hear({ type: "gone", tab: "t2" });
    expect(page.named("[aria-label]", "In the session now").querySelectorAll("li")).toHaveLength(1);
  });
});

describe("what a colleague holds", () => {
  it("is asked for, and had when they let it go", async () => {
    await open();
    await page.hear({ type: "presence", person: olga });
    await page.hear({ type: "preview", control: "wide.pan", value: 0.8, tab: "t2", person: olga });
    await page.press("ask");
    expect(page.wire.said.some((one) => one.type === "ask")).toBe(true);
    expect(page.operations).toEqual([]);
  });
});

describe("an earlier state", () => {
  beforeEach(async () => {
    await open();
    page.gives["/differences"] = () => page.answers["/history/2/differences"];
    page.gives["/loudness-match"] = () => ({ done: 1, trim: -2.5 });
    await page.press("History");
    await page.press(/Wide added/);
    await page.until(() => page.text.includes("matched: −2.5"), "it is made as loud");
  });

  it("is heard as B, as loud as the present, by oneself", async () => {
    await page.press(/^Compare r\d+ \(B\)/);
    expect(usePlayer().earlier).toMatchObject({ trim: -2.5 });
    expect(page.operations).toEqual([]);
  });

  it("is put back as one change", async () => {
    await page.press("Restore all");
    expect(page.posted.at(-1)).toMatchObject({ path: "/history/2/restore" });
  });
});

describe("comments", () => {
  const remark: Schemas["CommentOut"] = {
    id: "c", author: { id: 1, name: "Olga" }, text: "The horn comes too early for me.", created_at: "2026-01-01T12:00:00Z",
    edited: false, read: false, source: "", beat: 4, end: null, resolved: "", replies: [],
  }; // prettier-ignore

  beforeEach(async () => {
    page = new Page();
    page.answers["/comments"] = [remark];
    page.gives["/comments/c/read"] = () => ({ ...remark, read: true });
    page.gives["/comments/c/replies"] = () => ({ ...remark, read: true, replies: [{ id: "r", author: { id: 2, name: "Emil" }, text: "Later?", created_at: remark.created_at, edited: false, read: true }] }); // prettier-ignore
    page.gives["/comments/c"] = () => ({ ...remark, read: true, resolved: "Emil" });
    await page.desk("move");
    await page.until(() => page.text.includes("1"), "it is there");
  });

  it("are found from their button, lead to where they are pinned, and are answered", async () => {
    await page.press(/^Comments, 1 unread/);
    await page.press(/bar 2/);
    expect(usePlayer().playhead).toBeCloseTo(2, 6);
    await page.type("Your reply", "Later?");
    await page.press("Send");
    await page.until(
      () => page.posted.some((one) => one.path === "/comments/c/replies"),
      "the reply is sent",
    );
    await page.press("Resolve");
    await page.until(
      () => page.posted.some((one) => one.method === "PATCH" && one.path === "/comments/c"),
      "it is resolved",
    );
  });

  it("of others are not reworded", async () => {
    await page.press(/^Comments/);
    await page.press(/bar 2/);
    expect(() => page.button("Edit")).toThrow();
  });
});

describe("roles", () => {
  it("hold at once: who is a listener now changes nothing more", async () => {
    await open();
    expect(page.button("Mute Low for everybody").disabled).toBe(false);
    await page.hear({ type: "people", role: "listener" });
    expect(page.button("Mute Low for everybody").disabled).toBe(true);
  });

  it("are given by the owner, who may put people out", async () => {
    await open("owner");
    await page.press("People");
    await page.choose("Role of Emil", "listener");
    expect(page.posted.at(-1)?.body).toMatchObject({ role: "listener" });
  });
});

describe("on a slow line", () => {
  it("says what it waits for: the sessions, a session, a change, what was made", async () => {
    page = new Page();
    const sessions = delayed(() => page.answers["/api/sessions"]);
    page.gives["/api/sessions"] = sessions.answer;
    await page.at("/");
    expect(page.text).toContain("Loading…");
    sessions.release();
    await page.until(() => page.text.includes("Tones"), "they are listed");
    page.wrapper.unmount();

    const session = delayed(() => page.answers[""]);
    page.gives[SESSION] = session.answer;
    await page.desk("place");
    expect(page.text).toContain("Opening the session…");
    session.release();
    await page.until(() => page.text.includes("Both"), "it is opened");
    await page.hear({ type: "welcome", you: emil, people: [] });

    const change = delayed(() => ({ revision: page.revised(), notice: "", turns: page.turns }));
    page.gives["/operations"] = change.answer;
    await page.key("ArrowRight", page.slider("Position of Wide"));
    expect(page.text).toContain("Saving 1…");
  });
});

describe("without a connection", () => {
  it("says so, though it ended before anything came over it", async () => {
    page = new Page();
    await page.desk("place");
    expect(page.text).not.toContain("Offline. You can go on");
    page.wire.onclose?.({ code: 1006 });
    await page.key("Shift");
    expect(page.text).toContain("Offline. You can go on");
  });

  it("counts what waits, and sends it when it is back", async () => {
    await open();
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("no line")));
    page.wire.onclose?.({ code: 1006 });
    // The line may be back before anything that is sent comes through.
    await page.until(() => page.text.includes("Offline. You can go on"), "it says so");
    await page.key("ArrowRight", page.slider("Position of Wide"));
    await page.press("Mute Low for everybody");
    await page.until(() => page.text.includes("2 changes waiting"), "they wait");
    expect(page.button("Mute Low for everybody").getAttribute("aria-pressed")).toBe("true");
  });
});

describe("a server that goes away while a session opens", () => {
  const library = "/api/library";
  let requests = 0;
  /** The session comes, and what there is to choose from does not until so many have asked for it. */
  async function openWithout(reachedAt: number): Promise<void> {
    page = new Page();
    requests = 0;
    page.gives[library] = () => {
      if ((requests += 1) < reachedAt) throw new Error("no way there");
      return page.answers[library];
    };
    await page.desk("place");
    expect(document.querySelector("[role=alert]")).toBeNull();
  }
  afterEach(() => page.end());

  it("is asked again, and the session stays open", async () => {
    await openWithout(2);
    expect(page.slider("Position of High")).toBeTruthy();
    await page.until(() => useLibrary().library !== null, "what there is to choose from has come");
    expect(requests).toBe(2);
    expect(document.querySelector("[role=alert]")).toBeNull();
  });

  it("is asked no more once the session is left", async () => {
    vi.useFakeTimers({ toFake: ["setTimeout"] });
    try {
      await openWithout(Infinity);
      page.wrapper.unmount();
      await vi.advanceTimersByTimeAsync(60_000);
      expect(requests).toBeLessThanOrEqual(2);
    } finally {
      vi.useRealTimers();
    }
  });
});

describe("what one likes", () => {
  it("is seen at once: places from −31 to +31, night paper", async () => {
    await open();
    await page.press(/^Wide/);
    await page.key("?");
    await page.press(/^preferences/);
    await page.until(() => /Night/.test(page.dialog?.textContent ?? ""), "the preferences open");
    page.field(/^−31/).click();
    await page.key("Shift");
    expect(page.posted.at(-1)).toMatchObject({ path: "/api/preferences", body: { places: "signed" } });
    await page.changed("sources", "wide", { ...page.open.document.sources.wide, pan: 0.8 });
    expect(page.slider("Position of Wide").getAttribute("aria-valuetext")).toMatch(/\+\d/);
  });
});
