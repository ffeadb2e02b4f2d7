/** The keys of a session: each does what the help sheet says, for as long as it says, and not while one writes. */
import { useSelection } from "@/session/selection";
import { createApp, effectScope, type EffectScope } from "vue";
import { routerKey } from "vue-router";
import { useComments } from "@/features/comments/comments";
import { useMoves } from "@/session/moves";
import { usePulses } from "@/session/pulses";
import { useTakes } from "@/session/takes";
import { useAlong } from "@/audio/along";
import { useMonitor } from "@/audio/monitor";
import { usePreferences } from "@/account/preferences";
import { useShortcutKeys } from "@/account/shortcutKeys";
import { usePlayer } from "@/audio/player";
import { KEYS, useKeys } from "@/shell/shortcuts";
import { useNotices } from "@/ui/notices";
import { Desk, source } from "./desk";

// There is no page here on which paper could be laid.
vi.mock("@/ui/palette", async (original) => ({ ...(await original<object>()), layPaper: () => undefined }));
vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));

// The world that keys are heard in is there before anything listens.
const world = vi.hoisted(() => {
  const target = Object.assign(new EventTarget(), {
    getSelection: () => ({ toString: () => "" }),
    requestAnimationFrame: () => 0,
    cancelAnimationFrame: () => undefined,
  });
  const element = { style: {}, setAttribute: () => undefined };
  const page = Object.assign(new EventTarget(), { documentElement: element, createElement: () => element });
  Object.assign(globalThis, { window: target, document: page });
  return target;
});

/** Something on the page that is, or lies in, what these selectors name. */
class Element {
  constructor(private readonly selectors: string[] = []) {}
  closest(wanted: string): Element | null {
    return wanted.split(", ").some((one) => this.selectors.includes(one)) ? this : null;
  }
}

const passage = (id: string, start: number, end: number) => ({ id, name: id, start, end });

describe("keys", () => {
  let scope: EffectScope;
  let desk: string;
  let went: string[];
  let helped: number;
  let session: Awaited<ReturnType<Desk["open"]>>;

  beforeEach(async () => {
    [desk, went, helped] = ["place", [], 0];
    const server = new Desk({
      sources: { oars: source("oars", 0), gulls: source("gulls", 1), drum: source("drum", 2) },
      passages: { dusk: passage("dusk", 0, 4), open: passage("open", 4, 12) },
    });
    session = await server.open();
    vi.stubGlobal("window", world);
    vi.stubGlobal("HTMLElement", Element);
    const app = createApp({});
    app.provide(routerKey, { push: (to: string) => void went.push(to) } as never);
    scope = effectScope();
    scope.run(() => app.runWithContext(() => useKeys(() => (helped += 1), () => desk))); // prettier-ignore
  });
  afterEach(() => {
    scope.stop();
    vi.unstubAllGlobals();
    vi.restoreAllMocks();
  });

  /** Press a key ("Ctrl+Shift+z"); whether it did something. */
  function press(keys: string, on = new Element(), more: Partial<KeyboardEvent> = {}): boolean {
    const parts = keys === "+" ? [] : keys.split("+").slice(0, -1);
    const key = keys === "+" ? keys : keys.split("+").at(-1)!;
    const event = Object.assign(new Event("keydown", { cancelable: true }), {
      key, ctrlKey: parts.includes("Ctrl"), shiftKey: parts.includes("Shift"), altKey: parts.includes("Alt"), metaKey: false,
      repeat: false, ...more,
    }); // prettier-ignore
    Object.defineProperty(event, "target", { value: on });
    world.dispatchEvent(event);
    return event.defaultPrevented;
  }
  const letGo = (key: string): void => void world.dispatchEvent(Object.assign(new Event("keyup"), { key }));

  it("move the playhead, by bars and to the ends", () => {
    const player = usePlayer();
    press(".");
    press(".");
    expect(player.playhead).toBe(4);
    press(",");
    expect(player.playhead).toBe(2);
    press("End");
    expect(player.playhead).toBe(session.length);
    press("Home");
    expect(player.playhead).toBe(0);
  });

  it("play and stop", () => {
    const toggle = vi.spyOn(usePlayer(), "toggle").mockImplementation(() => undefined);
    expect(press(" ")).toBe(true);
    expect(toggle).toHaveBeenCalledTimes(1);
  });

  it("go round the passage at the playhead, and straight on again", () => {
    const player = usePlayer();
    player.seek(3);
    press("r");
    expect(player.round).toBe("open");
    press("r");
    expect(player.round).toBeNull();
  });

  it("choose neighbours and stop at the ends; solo the selection and show it alone", () => {
    const player = usePlayer();
    useSelection().choose("oars");
    press("]");
    press("]");
    press("]");
    expect(useSelection().chosen).toBe("drum");
    press("s");
    expect(player.solo).toEqual(["drum"]);
    press("h");
    expect(useSelection().shownSources.map((one) => one.id)).toEqual(["drum"]);
    press("[");
    expect(useSelection().chosen).toBe("gulls");
  });

  it("are only the named ones, for who wants no letters to be shortcuts", () => {
    const preferences = usePreferences();
    const before = went.length;
    preferences.liked.keys = "named";
    press("2");
    press("k");
    expect(went).toHaveLength(before);
    expect(usePlayer().click).toBe(false);
    expect(press("Home")).toBe(true);
    preferences.liked.keys = "all";
    press("k");
    expect(usePlayer().click).toBe(true);
    press("k");
  });

  it("go to the desks", () => {
    for (const key of "1234") press(key);
    expect(went).toEqual(["place", "move", "pulse", "balance"].map((name) => `/sessions/s/${name}`));
  });

  it("take back one's own changes and make them again, whatever else is held", () => {
    const turned = vi.spyOn(session, "turnBack").mockImplementation(() => undefined);
    expect(press("Ctrl+z")).toBe(true);
    press("Ctrl+Shift+Z");
    expect(turned.mock.calls).toEqual([["undo"], ["redo"]]);
  });

  it("begin a comment on the stretch that is picked, or at the playhead", () => {
    const [player, comments] = [usePlayer(), useComments()];
    player.seek(2);
    press("n");
    expect(comments.pin).toEqual({ source: "", beat: 4, end: null });
    useMoves().pick(2, 4);
    press("n");
    expect(comments.pin).toEqual({ source: "", beat: 4, end: 8 });
  });

  it("put the other back: by the latest notice that offers it", () => {
    const notices = useNotices();
    const done: string[] = [];
    const offer = (name: string) => ({ action: { title: name, key: "o", run: () => done.push(name) } });
    notices.tell("first", offer("first"));
    notices.tell("second", offer("second"));
    notices.tell("nothing to do");
    press("o");
    press("o");
    press("o");
    expect(done).toEqual(["second", "first"]);
  });

  it("hold mono as long as they are down, however often they repeat; a lost window lets go", () => {
    const player = usePlayer();
    press("m");
    press("m", new Element(), { repeat: true });
    expect(player.monitor).toBe("mono");
    letGo("m");
    expect(player.monitor).toBe("stereo");
    press("m");
    world.dispatchEvent(new Event("blur"));
    expect(player.monitor).toBe("stereo");
    press("Shift+M");
    letGo("M");
    expect(player.monitor).toBe("mono");
    press("Shift+M");
    expect(player.monitor).toBe("stereo");
  });

  it("hold B, or let it stay", () => {
    const [player, monitor] = [usePlayer(), useMonitor()];
    const trial = { changes: [{ source: "oars", level: -1, place: 0 }], trim: 0.5 };
    monitor.offer(trial);
    press("b");
    expect(player.trial).toEqual(trial);
    letGo("b");
    expect(player.trial).toBeNull();
    press("Shift+B");
    expect(monitor.comparing).toBe(true);
    press("Shift+B");
    expect(monitor.comparing).toBe(false);
  });

  it("hear the chosen source without a treatment; on the Pulse desk without its pulse", () => {
    const player = usePlayer();
    press("w");
    expect(player.bypass).toBeNull();
    letGo("w");
    useSelection().choose("gulls");
    press("w");
    expect(player.bypass).toMatchObject({ source: "gulls", treatment: "all" });
    letGo("w");
    expect(player.bypass).toBeNull();
    desk = "pulse";
    press("w");
    expect(player.bypass?.treatment).toBe("pulse");
    letGo("w");
  });

  it("stop listening along", () => {
    const along = useAlong();
    const person = {
      tab: "t", id: 2, name: "Ines", role: "engineer", colour: 1, chosen: null, playhead: 1, playing: false, passage: null, loop: null,
      monitor: "stereo", solo: [],
    }; // prettier-ignore
    along.begin(person);
    expect(along.tab).toBe("t");
    press("Escape");
    expect(along.tab).toBe("");
  });

  it("belong to the Pulse desk only there", () => {
    const stretch = vi.spyOn(usePulses(), "stretch").mockImplementation(() => undefined);
    press("-");
    expect(stretch).not.toHaveBeenCalled();
    desk = "pulse";
    press("-");
    press("+");
    expect(stretch.mock.calls).toEqual([[0.5], [2]]);
  });

  it("do nothing while one writes, or with Alt", () => {
    const player = usePlayer();
    for (const where of ["input", "textarea", "select", "[contenteditable]", ".ant-modal"]) {
      expect(press(".", new Element([where]))).toBe(false);
      expect(press("Ctrl+z", new Element([where]))).toBe(false);
    }
    expect(press("Alt+.")).toBe(false);
    expect(player.playhead).toBe(0);
  });

  it("leave Enter to the button that has the focus, unless something is to be decided", () => {
    desk = "move";
    const button = new Element(["button"]);
    const takes = useTakes();
    const keep = vi.spyOn(takes, "keep").mockImplementation(() => undefined);
    expect(press("Enter", button)).toBe(false);
    takes.waiting = { id: "take" } as never;
    expect(press("Enter", button)).toBe(true);
    expect(press("Enter", new Element(["button", "[data-decides]"]))).toBe(false);
    expect(keep).toHaveBeenCalledTimes(1);
  });

  it("are those that one has set: changed, swapped, switched off, with Shift and held", async () => {
    const player = usePlayer();
    const toggled = vi.spyOn(player, "toggle").mockImplementation(() => undefined);
    const monitor = useMonitor();
    vi.stubGlobal("fetch", () => Promise.resolve(new Response("{}")));
    const keys = useShortcutKeys();
    await keys.setKey("r", "j");
    expect([press("r"), press("j"), player.round !== null]).toEqual([false, true, true]);
    // The one that has the key takes the other's.
    await keys.setKey("k", "m");
    expect([keys.keyOf("k"), keys.keyOf("m")]).toEqual(["m", "k"]);
    press("k");
    expect(player.monitor).toBe("mono");
    letGo("k");
    expect(player.monitor).toBe("stereo");
    press("m");
    expect(player.click).toBe(true);
    press("Shift+K");
    expect(monitor.latched).toBe("mono");
    await keys.setKey("h", "");
    expect([press("h"), keys.nameOf("h")]).toEqual([false, "–"]);
    expect(keys.shown("M, Shift+M", ["m"])).toBe("K, Shift+K");
    expect(keys.shown("Ctrl+Z", ["z"])).toBe("Ctrl+Z");
    await keys.setKey("k", "k");
    expect(usePreferences().liked.shortcuts).toEqual({ r: "j", h: "" });
    press(" ");
    expect(toggled).toHaveBeenCalledTimes(1);
    await keys.reset();
    expect(press("r")).toBe(true);
  });

  it("do what the help sheet lists, every one of them", () => {
    vi.spyOn(usePlayer(), "toggle").mockImplementation(() => undefined);
    vi.spyOn(session, "turnBack").mockImplementation(() => undefined);
    const where: Record<string, string> = {
      "Listening, only you": "place", "Your changes": "place", Pulse: "pulse", "Move: the chart's tools and recording": "move",
    }; // prettier-ignore
    const names: Record<string, string> = { Space: " ", "−": "-" };
    const held = ["w", "m", "b"];
    let pressed = 0;
    for (const { title, keys } of KEYS) {
      desk = where[title] ?? "";
      if (!desk) continue;
      for (const [listed] of keys)
        for (const name of listed === ", and ." ? [",", "."] : listed.split(/, | and /)) {
          // Clicks, drags and what belongs to the dealt part's own list are no keys of the page.
          if (/click|drag|arrows|double|Delete/.test(name) || (desk === "pulse" && name === "A")) continue;
          const plain =
            names[name] ??
            (name.includes("Shift") ? name : name.replace(/\b[A-Z]$/, (key) => key.toLowerCase()));
          if (held.includes(plain)) {
            letGo(plain);
            continue;
          }
          expect([name, press(plain)]).toEqual([name, true]);
          pressed += 1;
        }
    }
    expect(pressed).toBeGreaterThan(30);
    expect(helped).toBe(1);
  });
});
