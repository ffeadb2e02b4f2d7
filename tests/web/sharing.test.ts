/** Several people on the page: what is held and asked for, changes that meet, listening along, comments. */
import { useComments } from "@/features/comments/comments";
import { useAccount } from "@/account/account";
import { useControlRequests } from "@/gestures/controlRequests";
import { useConflicts } from "@/features/history/conflicts";
import { useEdits } from "@/session/edits";
import { useHolding } from "@/gestures/holding";
import { useAlong } from "@/audio/along";
import { usePlayer } from "@/audio/player";
import { useNotices } from "@/ui/notices";
import { say } from "@/ui/say";
import { Desk, settle, source } from "./desk";

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));

const person = (tab: string, values: object = {}) => ({
  tab, id: 2, name: "Ines Norden", role: "engineer", colour: 1, chosen: null, playhead: 0, playing: false, passage: null, loop: null,
  monitor: "stereo", solo: [], ...values,
}); // prettier-ignore

async function inSession() {
  const lane = {
    id: "oars/pan", owner: "oars", parameter: "pan",
    points: [1, 2, 2, 3].map((t, i) => ({ t, value: i / 10, shape: "straight", tension: 0 })),
  }; // prettier-ignore
  const desk = new Desk({
    sources: { oars: source("oars", 0), drum: source("drum", 1) },
    lanes: { "oars/pan": lane },
    passages: { one: { id: "one", name: "One", start: 4, end: 8 } },
  });
  const session = await desk.open();
  useAccount().me = { id: 1, username: "rowan", name: "Rowan" };
  desk.hear({ type: "welcome", you: person("me", { id: 1, name: "Rowan" }), revision: desk.revision });
  desk.hear({ type: "presence", person: person("ines") });
  return { desk, session, notices: useNotices() };
}

afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("what a colleague holds", () => {
  it("is not taken, but asked for, and had when it is let go", async () => {
    vi.useFakeTimers({
      toFake: ["setInterval", "clearInterval", "setTimeout", "clearTimeout", "performance"],
    });
    const { desk, session, notices } = await inSession();
    const [asking, hand, drum] = [useControlRequests(), useHolding(), session.sources[1]!];
    desk.hear({ type: "preview", tab: "ines", control: "drum.pan", value: 0.4 });
    expect(hand.grasp(drum)).toBe(false);
    expect(notices.all.at(-1)!.text).toBe("Ines Norden controls drum: position now.");
    notices.act(notices.all.at(-1)!);
    expect(desk.wire.said.at(-1)).toEqual({ type: "ask", control: "drum.pan" });
    desk.hear({ type: "preview", tab: "ines", control: "drum.pan", value: null });
    await vi.advanceTimersByTimeAsync(1000);
    expect(notices.all.at(-1)!.text).toBe("You now control drum: position.");
    expect(asking.asked.size).toBe(0);
    expect(hand.grasp(drum)).toBe(true);
  });

  it("is free when its holder has said nothing for five seconds", async () => {
    vi.useFakeTimers({
      toFake: ["setInterval", "clearInterval", "setTimeout", "clearTimeout", "performance"],
    });
    const { desk, session, notices } = await inSession();
    const asking = useControlRequests();
    desk.hear({ type: "preview", tab: "ines", control: "drum.pan", value: 0.4 });
    asking.ask("drum.pan");
    await vi.advanceTimersByTimeAsync(4000);
    expect(session.holder("drum.pan")?.name).toBe("Ines Norden");
    await vi.advanceTimersByTimeAsync(3000);
    expect(session.holder("drum.pan")).toBeUndefined();
    expect(notices.all.at(-1)!.text).toBe("You now control drum: position.");
  });

  it("is said again and again while my own hand rests, and given to who asked first", async () => {
    vi.useFakeTimers({
      toFake: ["setInterval", "clearInterval", "setTimeout", "clearTimeout", "performance"],
    });
    const { desk, session, notices } = await inSession();
    useControlRequests();
    session.hold("drum.pan", 0.2);
    await vi.advanceTimersByTimeAsync(7000);
    expect(desk.previews.length).toBeGreaterThan(2);
    desk.hear({ type: "presence", person: person("tam", { id: 3, name: "Tam" }) });
    for (const tab of ["ines", "tam"]) desk.hear({ type: "ask", tab, control: "drum.pan" });
    expect(notices.all.at(-1)!.text).toContain("asks for drum: position");
    session.letGo("drum.pan");
    await vi.advanceTimersByTimeAsync(10);
    expect(desk.wire.said.at(-1)).toEqual({ type: "give", control: "drum.pan", to: "ines" });
  });

  it("goes to one of two who asked, and the other waits on", async () => {
    vi.useFakeTimers({
      toFake: ["setInterval", "clearInterval", "setTimeout", "clearTimeout", "performance"],
    });
    const { desk, session, notices } = await inSession();
    const [asking, hand] = [useControlRequests(), useHolding()];
    desk.hear({ type: "presence", person: person("tam", { id: 3, name: "Tam" }) });
    desk.hear({ type: "preview", tab: "ines", control: "drum.pan", value: 0.4 });
    asking.ask("drum.pan");
    // Tam had asked before: the hand lets go and gives it to him, then to me.
    desk.hear({ type: "preview", tab: "ines", control: "drum.pan", value: null });
    desk.hear({ type: "give", tab: "ines", control: "drum.pan", to: "tam" });
    await vi.advanceTimersByTimeAsync(1500);
    expect(notices.all.map((one) => one.text)).not.toContain("You now control drum: position.");
    expect(hand.grasp(session.sources[1]!)).toBe(false);
    desk.hear({ type: "preview", tab: "tam", control: "drum.pan", value: 0.1 });
    desk.hear({ type: "preview", tab: "tam", control: "drum.pan", value: null });
    desk.hear({ type: "give", tab: "tam", control: "drum.pan", to: "me" });
    await vi.advanceTimersByTimeAsync(10);
    expect(notices.all.at(-1)!.text).toBe("You now control drum: position.");
    expect(hand.grasp(session.sources[1]!)).toBe(true);
  });

  it("is given away only when what it did has come back", async () => {
    const { desk, session } = await inSession();
    useControlRequests();
    desk.quick = false;
    desk.answers = [[{ part: "sources", key: "drum", value: { ...session.sources[1]!, pan: 0.3 } }]];
    session.hold("drum.pan", 0.3);
    desk.hear({ type: "ask", tab: "ines", control: "drum.pan" });
    useEdits().setValue(session.sources[1]!, "pan", 0.3, 0);
    await settle();
    expect(desk.wire.said.filter((one) => one.type === "give")).toEqual([]);
    desk.release();
    await settle();
    const told = desk.wire.said.slice(-2).map((one) => [one.type, one.value ?? one.to]);
    expect(told).toEqual([["preview", null], ["give", "ines"]].map(([a, b]) => [a, b ?? undefined])); // prettier-ignore
  });

  it("is told to whoever reaches for it, whatever control it is, and stays theirs", async () => {
    const { desk, session, notices } = await inSession();
    const edits = useEdits();
    useControlRequests();
    desk.hear({ type: "preview", tab: "ines", control: "drum.level", value: -3 });
    session.hold("drum.level", -20);
    edits.setValue(session.sources[1]!, "level", -20, 0);
    await settle();
    expect(session.valueAt(session.sources[1]!, "level", 0)).toBe(-3);
    expect(desk.operations).toEqual([]);
    expect(notices.all.at(-1)!.text).toBe("Ines Norden controls drum: level now.");
    desk.hear({ type: "preview", tab: "ines", control: "drum.level", value: null });
    edits.setValue(session.sources[1]!, "level", -20, 0);
    await settle();
    expect(desk.operations.at(-1)).toMatchObject({ kind: "set-level", level: -20 });
  });

  it("is kept for whom it was given to", async () => {
    const { desk, session } = await inSession();
    const hand = useHolding();
    useControlRequests();
    desk.hear({ type: "presence", person: person("tam", { id: 3, name: "Tam" }) });
    desk.hear({ type: "give", tab: "ines", control: "drum.pan", to: "tam" });
    expect(hand.holderOf(session.sources[1]!)?.name).toBe("Tam");
    desk.hear({ type: "preview", tab: "tam", control: "drum.pan", value: 0.1 });
    desk.hear({ type: "preview", tab: "tam", control: "drum.pan", value: null });
    expect(hand.grasp(session.sources[1]!)).toBe(true);
  });
});

describe("changes that meet", () => {
  it("are told to both, and one key puts the other back", async () => {
    const { desk, notices } = await inSession();
    useConflicts();
    const theirs = {
      ...desk.told([]),
      overwrote: [{ revision: 6, author: { id: 1, name: "Rowan" }, summary: "drum: L20" }],
    };
    desk.hear({ ...theirs, summary: "drum: R30" });
    const notice = notices.byKey("o")!;
    expect(notice.text).toBe("Ines overwrote your “drum: L20”: “drum: R30” is in effect.");
    notices.act(notice);
    await settle();
    expect(desk.posted.at(-1)!.path).toBe("/api/sessions/s/history/6/restore-change");
    expect(desk.posted.at(-1)!.body).toMatchObject({ by: theirs.revision });
    expect(notices.byKey("o")).toBeUndefined();
    const mine = { ...desk.told([]), author: { id: 1, name: "Rowan" } };
    desk.hear({ ...mine, overwrote: [{ revision: 8, author: { id: 2, name: "Ines" }, summary: "drum: C" }] });
    expect(notices.byKey("o")!.text).toContain("You overwrote a change by Ines");
  });

  it("stand in the way of an undo, which never goes further by itself", async () => {
    const { desk, session, notices } = await inSession();
    useConflicts();
    const refused = { revision: 4, summary: "drum: L20", partly: true };
    desk.takes["/undo"] = () => new Response(JSON.stringify({ detail: "Ines has changed it.", ...refused }), { status: 409 }); // prettier-ignore
    session.turnBack("undo");
    await settle();
    const notice = notices.all.at(-1)!;
    expect(notice.text).toBe("“drum: L20” is not undone. Ines has changed it.");
    expect([notice.action?.title, notice.other?.title]).toEqual(["Undo the rest", "Undo the one before"]);
    delete desk.takes["/undo"];
    notices.act(notice);
    await settle();
    expect(desk.posted.at(-1)).toMatchObject({ path: "/api/sessions/s/undo", body: { partly: true } });
    notices.act(notice, "other");
    await settle();
    expect(desk.posted.at(-1)!.body).toMatchObject({ before: 4 });
  });

  it("leave nothing held of a source that is removed", async () => {
    const { desk, session } = await inSession();
    session.hold("drum.pan", 0.5);
    desk.hear({ type: "preview", tab: "ines", control: "oars.pan", value: -0.3 });
    expect(session.valueNow("drum", "pan")).toBe(0.5);
    desk.hear({ ...desk.told([{ part: "sources", key: "drum", value: null }]), summary: "drum removed" });
    expect(session.pending.has("drum.pan")).toBe(false);
    expect(say.careful).toHaveBeenCalledWith("Ines removed what you were moving: drum removed.");
    expect(session.previews.has("oars.pan")).toBe(true);
    desk.hear(desk.told([{ part: "sources", key: "oars", value: null }]));
    expect(session.previews.has("oars.pan")).toBe(false);
  });

  it("of oneself in another tab change what an undo would take back", async () => {
    const { desk, session } = await inSession();
    desk.turns = { undo: { revision: 9, summary: "Oars: L10" }, redo: null };
    desk.hear(desk.told([]));
    await settle();
    expect(session.turns.undo).toBeNull();
    desk.hear({ ...desk.told([]), author: { id: 1, name: "Rowan" } });
    await settle();
    expect(session.turns.undo?.summary).toBe("Oars: L10");
  });

  it("leave other points alone: one point is moved as such", async () => {
    const { desk, session } = await inSession();
    const edits = useEdits();
    edits.movePoint("oars", "pan", 1, { t: 2.5, value: 0.9, shape: "ease", tension: 0 });
    expect(session.points("oars", "pan").map((point) => [point.t, point.value])).toEqual([
      [1, 0], [2, 0.2], [2.5, 0.9], [3, 0.3],
    ]); // prettier-ignore
    await settle();
    expect(desk.operations.at(-1)).toMatchObject({
      kind: "move-point", before: { t: 2, value: 0.1 }, before_rank: 0, after: { t: 2.5, value: 0.9 }, after_rank: 0,
    }); // prettier-ignore
    edits.deletePoint("oars", "pan", 3);
    await settle();
    expect(desk.operations.at(-1)).not.toHaveProperty("to");
  });
});

describe("listening along", () => {
  it("follows playhead, passage, solos and way of listening, and gives one's own back", async () => {
    const { desk, session } = await inSession();
    const [along, player] = [useAlong(), usePlayer()];
    player.solo = ["drum"];
    along.begin(session.people.get("ines")!);
    const way = { playhead: 3, passage: "one", monitor: "mono", solo: ["oars"] };
    desk.hear({ type: "presence", person: person("ines", way) });
    await settle();
    expect([player.playhead, player.round, player.monitor, player.solo]).toEqual([
      3,
      "one",
      "mono",
      ["oars"],
    ]);
    desk.hear({ type: "presence", person: person("ines", { ...way, playhead: 3.2 }) });
    await settle();
    // So near, the playhead is left to run.
    expect(player.playhead).toBe(3);
    desk.hear({ type: "presence", person: person("ines", { ...way, passage: null, loop: [2, 4] }) });
    await settle();
    expect([player.round, player.loop, along.tab]).toEqual([null, { start: 2, end: 4 }, "ines"]);
    along.leave();
    await settle();
    expect([player.round, player.loop, player.monitor, player.solo]).toEqual([
      null,
      null,
      "stereo",
      ["drum"],
    ]);
    expect(along.tab).toBe("");
  });

  it("ends when one reaches for the transport, or when they have gone", async () => {
    const { desk, session, notices } = await inSession();
    const [along, player] = [useAlong(), usePlayer()];
    along.begin(session.people.get("ines")!);
    await settle();
    player.seek(1);
    await settle();
    expect(along.tab).toBe("");
    expect(player.playhead).toBe(1);
    along.begin(session.people.get("ines")!);
    await settle();
    desk.hear({ type: "gone", tab: "ines" });
    await settle();
    expect(along.tab).toBe("");
    expect(notices.all.at(-1)!.text).toContain("Ines Norden has left");
  });
});

describe("comments", () => {
  const remark = (id: string, values: object = {}) => ({
    id, author: { id: 2, name: "Ines" }, text: "Closer?", created_at: "2026-01-01T10:00:00Z", edited: false, read: false,
    source: "drum", beat: 4, end: null, resolved: "", replies: [], ...values,
  }); // prettier-ignore

  it("are unread until they are looked at, and a new reply is unread again", async () => {
    const { desk, session } = await inSession();
    const comments = useComments();
    await settle();
    comments.all = [];
    desk.hear({ type: "comment", id: "a", comment: remark("a") });
    expect([comments.unread, comments.ofSource("drum").length]).toEqual([1, 1]);
    comments.jump(comments.all[0]!);
    await settle();
    expect(comments.unread).toBe(0);
    expect(session.at).toBe(2);
    expect(desk.posted.at(-1)!.body).toEqual({ ids: ["a"] });
    comments.shown = false;
    const reply = { ...remark("b"), text: "Yes" };
    desk.hear({ type: "comment", id: "a", comment: remark("a", { replies: [reply] }) });
    expect(comments.unreadIn(comments.all[0]!)).toEqual(["b"]);
    desk.hear({ type: "comment", id: "a", comment: null });
    expect(comments.all).toEqual([]);
  });

  it("are begun anew while the one before is on its way, and stay begun", async () => {
    const { desk } = await inSession();
    const comments = useComments();
    let answer = (): void => undefined;
    desk.takes["/comments"] = () => new Promise((resolve) => (answer = () => resolve(remark("a"))));
    comments.begin(null);
    const making = comments.make("Closer?");
    await settle();
    comments.begin({ start: 1, end: 2 });
    const next = comments.pin;
    answer();
    await making;
    expect(comments.pin).toBe(next);
    desk.takes["/comments"] = () => remark("b");
    await comments.make("And here?");
    expect(comments.pin).toBeNull();
  });

  it("say where they are pinned", async () => {
    await inSession();
    const comments = useComments();
    expect(comments.where({ source: "drum", beat: 4, end: 8 })).toBe("drum · bars 2.1–3.1");
    expect(comments.where({ source: "", beat: null, end: null })).toBe("the whole session");
    expect(comments.where({ source: "gone", beat: null, end: null })).toBe("a removed source");
  });
});
