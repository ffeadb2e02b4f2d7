/** The player by itself: what it asks the server for, when, and what it hands to the audio thread. */
import { hearsHands, wishedForm } from "@/domain/sound";
import { useLibrary } from "@/session/library";
import { ROOMS, source } from "./desk";
import { Context, FRAMES, Node, PlayerBench, RATE, settle } from "./player-setup";

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));

describe("the player", () => {
  let bench: PlayerBench;
  beforeEach(async () => void (bench = await PlayerBench.open()));
  afterEach(() => bench.end());

  it("asks for what sounds next, two at a time, and hands it over", async () => {
    bench.quick = false;
    const node = await bench.play();
    expect(bench.indices()).toEqual([0, 1]);
    await bench.asked[1]!.give();
    expect(bench.indices()).toEqual([0, 1, 2]);
    await bench.asked[0]!.give();
    await bench.asked[2]!.give();
    await bench.asked[3]!.give();
    expect(bench.indices()).toEqual([0, 1, 2, 3]);
    expect(node.segments.map((one) => one.index)).toEqual([1, 0, 2, 3]);
    expect(node.sent.find((one) => one.type === "play")).toEqual({ type: "play", playing: true });
  });

  it("goes on with its device when the page learns of the layouts, and takes a wider one for a room", async () => {
    const node = await bench.play();
    useLibrary().library = ROOMS as never;
    await settle();
    expect(Node.latest).toBe(node);
    bench.desk.hear(
      bench.desk.told([{ part: "session", key: "", value: { ...bench.session.settings, layout: "0+5+0" } }]),
    );
    await settle();
    expect([Node.latest === node, bench.player.playing]).toEqual([false, true]);
  });

  it("keeps about two seconds ahead of what sounds, and asks for nothing twice", async () => {
    const node = await bench.play();
    for (const at of [0.4, 0.7, 1.1, 1.5, 1.9]) {
      node.says(at * 2 * FRAMES);
      await settle();
    }
    expect(bench.indices()).toEqual([0, 1, 2, 3, 4, 5, 6]);
    node.says(15 * FRAMES);
    await settle();
    expect(bench.indices().slice(7)).toEqual([15]);
  });

  it("follows the round: what comes after its end is its beginning", async () => {
    bench.player.round = "open";
    bench.player.seek(2.6);
    const node = await bench.play();
    // From 1 s to 3 s: segments 2 to 5.
    expect(node.sent).toContainEqual({ type: "round", round: { start: RATE, stop: 3 * RATE } });
    expect(bench.indices()).toEqual([5, 2, 3, 4]);
    bench.player.round = null;
    await settle();
    expect(node.sent.at(-1)).not.toEqual(
      expect.objectContaining({ type: "round", round: { start: RATE, stop: 3 * RATE } }),
    );
    expect(bench.indices().slice(4)).toEqual([6, 7, 8]);
  });

  it("begins inside what it goes round, a passage or bars of one's own", async () => {
    bench.player.goRound(3, 5);
    expect(bench.player.playhead).toBe(3);
    bench.player.seek(0.2);
    const node = await bench.play();
    expect(bench.player.playhead).toBe(3);
    expect(node.sent).toContainEqual({ type: "round", round: { start: 3 * RATE, stop: 5 * RATE } });
    bench.player.goRoundPassage("open");
    expect([bench.player.playhead, bench.player.loop]).toEqual([1, null]);
    bench.player.goRound(2, 2.01);
    expect(bench.player.round).toBe("open");
  });

  it("asks anew when somebody has changed something; what was asked before still comes where nothing is", async () => {
    bench.quick = false;
    const node = await bench.play();
    const before = [...bench.asked];
    await before[0]!.give();
    bench.quick = true;
    bench.desk.hear(
      bench.desk.told([{ part: "sources", key: "gulls", value: source("gulls", 1, { pan: 0.5 }) }]),
    );
    await settle();
    // Of segment 0 there is some sound: what else is on its way to it is called off, the others come.
    const waiting = bench.asked.filter((one) => one.query.get("revision") === "5" && one !== before[0]);
    expect(waiting.filter((one) => one.index !== 0).every((one) => !one.signal.aborted)).toBe(true);
    for (const one of waiting) await one.give();
    await settle();
    expect(
      [
        ...new Set(bench.asked.filter((one) => one.query.get("revision") === "6").map((one) => one.index)),
      ].sort(),
    ).toEqual([0, 1, 2, 3]);
    // Of each segment the later version takes over from the earlier.
    for (const index of [0, 1, 2, 3]) {
      const versions = node.segments.filter((one) => one.index === index).map((one) => one.generation);
      expect(versions).toEqual([...new Set(versions)].sort((a, b) => a - b));
      expect(bench.asked.findLast((one) => one.index === index)!.query.get("revision")).toBe("6");
    }
  });

  it("asks for what sounds next as it has become, whatever is still on its way from before", async () => {
    const node = await bench.play();
    bench.quick = false;
    node.says(2.5 * FRAMES);
    await settle();
    expect(bench.indices().slice(4)).toEqual([4, 5]);
    bench.desk.hear(
      bench.desk.told([{ part: "sources", key: "gulls", value: source("gulls", 1, { pan: 0.5 }) }]),
    );
    await settle();
    const anew = bench.asked.filter((one) => one.query.get("revision") === "6");
    expect(anew.map((one) => one.index)).toEqual([2, 3]);
    expect(bench.asked.every((one) => !one.signal.aborted)).toBe(true);
  });

  it("asks on a narrow line for the next one when the one before has begun to come, and for no third", async () => {
    const slow = { transferSize: 20_000, responseStart: 1, responseEnd: 1001 };
    vi.spyOn(performance, "getEntriesByType").mockReturnValue([slow as never]);
    bench.quick = false;
    await bench.play();
    expect(bench.indices()).toEqual([0]);
    await bench.asked[0]!.begin();
    expect(bench.indices()).toEqual([0, 1]);
    await bench.asked[1]!.begin();
    expect(bench.indices()).toEqual([0, 1]);
    vi.restoreAllMocks();
  });

  it("begins with more where answers take long, so that it can go on", async () => {
    let now = 1000;
    vi.spyOn(performance, "now").mockImplementation(() => now);
    bench.quick = false;
    const node = await bench.play();
    const wanted = (): number[] => node.sent.flatMap((one) => (one.type === "ready" ? [one.segments] : []));
    now += 3500;
    await bench.asked[0]!.give();
    expect(wanted()).toEqual([3]);
    // The next ones come sooner.
    for (let i = 1; i < 12; i += 1) {
      await bench.asked[i]?.give();
      node.says(i * FRAMES);
    }
    expect(wanted().at(-1)).toBeLessThan(3);
    vi.restoreAllMocks();
  });

  it("hears revisions that come quickly as one", async () => {
    const node = await bench.play();
    const first = node.segments.length;
    for (let i = 1; i <= 5; i += 1) {
      bench.desk.hear(
        bench.desk.told([{ part: "sources", key: "gulls", value: source("gulls", 1, { pan: i / 10 }) }]),
      );
      await settle();
    }
    const generations = new Set(node.segments.slice(first).map((one) => one.generation));
    expect(generations.size).toBeLessThan(5);
    await vi.waitFor(() => expect(bench.asked.at(-1)!.query.get("revision")).toBe("10"));
  });

  it("says what is there already, and leaves alone what an edit has not changed", async () => {
    const node = await bench.play();
    const before = node.segments.length;
    [bench.quick, bench.asked.length] = [false, 0];
    bench.desk.hear(
      bench.desk.told([{ part: "sources", key: "gulls", value: source("gulls", 1, { pan: 0.5 }) }]),
    );
    await settle();
    expect(bench.asked.map((one) => [one.query.get("has"), one.known])).toEqual([
      ["k0", 'W/"t0"'],
      ["k1", 'W/"t1"'],
    ]);
    await bench.asked[0]!.give(304);
    await bench.asked[1]!.give(304);
    for (const one of bench.asked.slice(2)) await one.give(304);
    await settle();
    expect(bench.asked.map((one) => one.index)).toEqual([0, 1, 2, 3]);
    expect(node.segments.length).toBe(before);
  });

  it("asks again for the sound of what a hand had left out", async () => {
    await bench.play();
    bench.player.grasp(
      bench.session.sources.find((one) => one.id === "oars")!,
      ["pan"],
    );
    await settle();
    const beforeRelease = bench.asked.length;
    bench.player.release(false);
    await settle();
    expect(bench.asked.slice(beforeRelease).every((one) => !one.query.has("has") && !one.known)).toBe(true);
  });

  describe("while hands hold controls", () => {
    const held = () => bench.asked.at(-1)!.query.get("held");

    it("has what is held rendered, and as it stands again when it is let go", async () => {
      await bench.play();
      bench.session.hold("send:oars/hall.level", -12.345678901);
      await settle();
      expect(held()).toBe("send:oars/hall.level=-12.345679");
      bench.session.letGo("send:oars/hall.level");
      await vi.waitFor(() => expect(held()).toBeNull());
    });

    it("goes on as it was held until the change has come back", async () => {
      await bench.play();
      bench.session.whileHeld(() =>
        bench.session.change({ "oars.width": 0.25 }, { kind: "place-source" } as never),
      );
      await settle();
      expect([held(), bench.desk.operations]).toEqual(["oars.width=0.25", []]);
      bench.desk.quick = false;
      bench.session.change({ "oars.width": 0.25 }, { kind: "place-source" } as never);
      await settle();
      const before = bench.asked.length;
      bench.desk.release();
      await vi.waitFor(() => expect(bench.asked.length).toBeGreaterThan(before));
      expect([held(), bench.desk.operations.length]).toEqual([null, 1]);
    });

    it("is heard as it was held where it becomes points of a line", async () => {
      await bench.play();
      bench.session.hold("oars.width", 0.5);
      bench.desk.quick = false;
      const points = [{ t: 0, value: 0.5, shape: "ease" as const, tension: 0 }];
      bench.session.change({ "oars/width": points }, { kind: "write-points" } as never, ["oars.width"]);
      await settle();
      expect([held(), bench.session.pending.has("oars.width")]).toEqual(["oars.width=0.5", false]);
      bench.desk.release();
      await vi.waitFor(() => expect(held()).toBeNull());
    });

    it("hears what colleagues hold if one wishes", async () => {
      await bench.play();
      bench.desk.hear({ type: "preview", tab: "t2", control: "group:all.level", value: -3 });
      for (const [control, value] of [
        ["not a control", 1],
        ["oars.width", 1e300],
      ])
        bench.desk.hear({ type: "preview", tab: "t2", control, value });
      await settle();
      expect(held()).toBeNull();
      hearsHands.value = true;
      await vi.waitFor(() => expect(held()).toBe("group:all.level=-3"));
      hearsHands.value = false;
    });
  });

  it("keeps the segments of a passage while one goes round it, and drops them afterwards", async () => {
    bench.player.round = "open";
    bench.player.seek(1);
    const node = await bench.play();
    for (const at of [2.5, 3.5, 4.5, 5.5, 2.5, 3.5, 4.5, 5.5, 2.5]) {
      node.says(at * FRAMES);
      await settle();
    }
    expect(bench.indices().sort()).toEqual([2, 3, 4, 5]);
    bench.player.round = null;
    node.says(9.5 * FRAMES);
    await settle();
    const dropped = node.sent.flatMap((one) => (one.type === "drop" ? one.indices : []));
    expect(dropped.sort()).toEqual([2, 3, 4, 5]);
  });

  it("keeps more ready after sound was scarce, and says in what form it comes", async () => {
    const node = await bench.play();
    node.says(0.1 * FRAMES);
    bench.quick = false;
    node.says(3.5 * FRAMES);
    await settle();
    for (const one of bench.asked.slice(4)) await one.give();
    await settle();
    const ahead = Math.max(...bench.indices()) - 3;
    expect(ahead).toBeGreaterThan(3);
    expect(bench.player.form).toBe("float");
    expect(bench.asked.at(-1)!.query.get("form")).toBeNull();
    [bench.quick, wishedForm.value] = [true, "opus-96"];
    for (const one of bench.asked) await one.give();
    node.says(6.5 * FRAMES);
    await settle();
    expect(bench.asked.at(-1)!.query.get("form")).toBe("opus-96");
  });

  it("says how the segments before sounded, from where the playhead was sent to last", async () => {
    const node = await bench.play();
    node.says(2.5 * FRAMES);
    await settle();
    bench.asked.length = 0;
    bench.desk.hear(
      bench.desk.told([{ part: "sources", key: "gulls", value: source("gulls", 1, { pan: 0.5 }) }]),
    );
    await settle();
    // What is asked for anew is not among what has sounded.
    const past = (): (string | null)[] => bench.asked.map((request) => request.query.get("past"));
    expect(bench.asked.map((request) => request.index)).toEqual([2, 3, 4, 5]);
    expect(past().slice(0, 2)).toEqual([",,,,k0,k1", ",,,k0,k1,"]);
    bench.player.seek(6);
    await settle();
    const sought = bench.asked.filter((request) => request.index >= 12);
    expect(sought.map((request) => request.index)).toEqual([12, 13, 14, 15]);
    expect(sought[0]!.query.get("past")).toBeNull();
  });

  it("asks for what one hears for oneself: solo, the way of listening, a click, what is on trial", async () => {
    await bench.play();
    const last = async (): Promise<Record<string, string>> => {
      await settle();
      const query = new URLSearchParams(bench.asked.at(-1)!.query);
      query.delete("ahead");
      query.delete("past");
      query.delete("has");
      return Object.fromEntries(query);
    };
    expect(bench.asked.map((request) => request.query.get("ahead"))).toEqual([null, "0.5", "1", "1.5"]);
    expect(await last()).toEqual({ revision: "5" });
    bench.player.soloOnly("oars", false);
    expect(await last()).toEqual({ revision: "5", solo: "oars" });
    bench.player.soloThese(["oars"]);
    bench.player.monitor = "mono";
    bench.player.click = true;
    expect(await last()).toEqual({ revision: "5", monitor: "mono", click: "true" });
    bench.player.monitor = "stereo";
    bench.player.click = false;
    bench.player.trial = { changes: [{ source: "oars", level: -1.5, place: 0.1 }], trim: 0.25 };
    expect(await last()).toEqual({ revision: "5", trial: "oars:-1.5:0.1", trim: "0.250" });
    bench.player.trial = null;
    bench.player.bypass = { source: "gulls", treatment: "delay_panning", at: 3.5 };
    expect(await last()).toEqual({ revision: "5", bypass: "gulls:delay_panning", at: "3.5" });
    bench.player.bypass = null;
    bench.player.earlier = { revision: 2, trim: -1 };
    expect(await last()).toEqual({ revision: "2", trim: "-1.000" });
  });

  it("says from which bar on there is no sound and why, tries again, and says no more once it comes", async () => {
    bench.quick = false;
    await bench.play();
    vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
    await bench.asked[0]!.give(500);
    expect(bench.player.trouble).toBe("No sound from bar 1.1: The stem cannot be read.");
    await vi.advanceTimersByTimeAsync(600);
    const again = bench.asked.findLast((one) => one.index === 0)!;
    expect(again).not.toBe(bench.asked[0]);
    // Who is told to wait waits.
    await again.give(429, { "Retry-After": "20" });
    await vi.advanceTimersByTimeAsync(19_000);
    expect(bench.asked.findLast((one) => one.index === 0)).toBe(again);
    await vi.advanceTimersByTimeAsync(1_100);
    await bench.asked.findLast((one) => one.index === 0)!.give();
    expect(bench.player.trouble).toBe("");
  });

  it("stops at the end, and begins again from the start", async () => {
    const node = await bench.play();
    node.says(16 * FRAMES, { ended: true });
    expect(bench.player.playing).toBe(false);
    expect(bench.player.playhead).toBe(bench.session.length);
    await bench.play();
    expect(bench.player.playhead).toBe(0);
    expect(node.sent).toContainEqual({ type: "seek", position: 0 });
  });

  it("goes where it is sent, within the piece, and tells colleagues at once", async () => {
    const node = await bench.play();
    const told = (): unknown =>
      bench.desk.wire.said.filter((one) => one.type === "presence").at(-1)!.playhead;
    bench.player.seek(3);
    expect(node.sent.at(-1)).not.toBeUndefined();
    expect(node.sent).toContainEqual({ type: "seek", position: 3 * RATE });
    expect(told()).toBe(3);
    bench.player.seek(99);
    expect(told()).toBe(bench.session.length);
    bench.player.seek(-1);
    expect(told()).toBe(0);
  });

  it("says so where a browser gives no sound", async () => {
    Context.refuses = true;
    await bench.player.play();
    expect(bench.player.playing).toBe(false);
    expect(bench.player.trouble).toContain("cannot play sound here");
    expect(bench.asked).toEqual([]);
  });

  it("starts over in the next session: nothing of the last is heard", async () => {
    bench.quick = false;
    await bench.play();
    bench.player.solo = ["oars"];
    bench.player.round = "open";
    bench.player.leave();
    expect(bench.asked.every((one) => one.signal.aborted)).toBe(true);
    expect([bench.player.playing, bench.player.solo, bench.player.round, bench.player.playhead]).toEqual([
      false,
      [],
      null,
      0,
    ]);
  });

  it("solos one, several, parts of one, and hears what is muted when it is soloed", () => {
    bench.player.soloOnly("oars", false);
    bench.player.soloOnly("gulls", true);
    expect(bench.player.solo).toEqual(["oars", "gulls"]);
    bench.player.soloOnly("oars", true);
    expect([bench.player.hears("gulls", true), bench.player.hears("oars", false)]).toEqual([true, false]);
    bench.player.solo = ["gulls.left"];
    expect([bench.player.hears("gulls", false), bench.player.hears("gul", false)]).toEqual([true, false]);
    bench.player.solo = [];
    expect([bench.player.hears("oars", false), bench.player.hears("oars", true)]).toEqual([true, false]);
  });
});
