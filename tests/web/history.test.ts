/** The history on the page: read page by page, caught up with, an earlier revision offered as B, put back. */
import { watch } from "vue";
import { BETWEEN_DAYS, useHistory } from "@/features/history/history";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import { Desk, settle, source } from "./desk";

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));

const row = (revision: number) => ({
  revision, author: { id: 2, name: "Ines" }, created_at: "2026-01-01T10:00:00Z", kind: "any", summary: `r${revision}`, undone: false,
  overwrote: [],
}); // prettier-ignore
const rows = (from: number, to: number) => Array.from({ length: from - to + 1 }, (_, i) => row(from - i));

async function reading() {
  vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
  const desk = new Desk({ sources: { oars: source("oars", 0) } });
  let latest = 100;
  desk.gives["/history?"] = (path) => {
    const before = Number(new URLSearchParams(path.split("?")[1]).get("before") ?? 0);
    return before ? { rows: rows(before - 1, before - 2), more: before - 2 } : { rows: rows(latest, latest - 1), more: latest - 1 };
  }; // prettier-ignore
  desk.gives["/versions"] = () => [];
  desk.gives["/differences"] = (path) => ({
    revision: Number(/history\/(\d+)/.exec(path)![1]), now: desk.revision, differences: [],
    lanes: { "oars/pan": [{ t: 0, value: 0.5, shape: "straight", tension: 0 }] },
  }); // prettier-ignore
  desk.gives["/loudness-match"] = () => ({ done: 1, trim: -2.5 });
  await desk.open();
  const history = useHistory();
  const asked = (): number => desk.asked.filter((path) => path.includes("/history?")).length;
  const told = async (): Promise<void> => {
    desk.hear(desk.told([]));
    latest += 1;
    await vi.advanceTimersByTimeAsync(2500);
    await settle();
  };
  return { desk, history, asked, told };
}

afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("the history", () => {
  it("is read page by page, and what is new comes on top of it", async () => {
    const { history, told } = await reading();
    await history.look();
    await history.lookFurther();
    expect(history.rows.map((one) => one.revision)).toEqual([100, 99, 98, 97]);
    await told();
    expect(history.rows.map((one) => one.revision)).toEqual([101, 100, 99, 98, 97]);
    expect(history.more).toBe(97);
  });

  it("is of the last hours, or from one whole day to another of this person's calendar", async () => {
    const { desk, history } = await reading();
    await history.look();
    const wanted = async () => {
      await settle();
      const query = new URLSearchParams(
        desk.asked
          .filter((path) => path.includes("/history?"))
          .at(-1)!
          .split("?")[1],
      );
      return ["since", "until"].map((name) => query.get(name) && new Date(query.get(name)!));
    };
    expect(await wanted()).toEqual([null, null]);
    history.hours = 8;
    const [since, until] = await wanted();
    expect(Math.abs(Date.now() - (since as Date).valueOf() - 8 * 3_600_000)).toBeLessThan(60_000);
    expect(until).toBeNull();
    Object.assign(history, { hours: BETWEEN_DAYS, first: "2026-02-27", last: "2026-02-28" });
    expect(await wanted()).toEqual([new Date(2026, 1, 27), new Date(2026, 2, 1)]);
    history.first = "";
    expect(await wanted()).toEqual([null, new Date(2026, 2, 1)]);
  });

  it("shows what is asked for now, however late the answer to an earlier question comes", async () => {
    const { desk, history } = await reading();
    await history.look();
    const late: (() => void)[] = [];
    const answers = desk.gives["/history?"]!;
    desk.gives["/history?"] = (path) =>
      path.includes("author=2")
        ? new Promise((go) => late.push(() => go({ rows: rows(50, 49), more: 0 })))
        : answers(path);
    history.author = 2;
    await settle();
    history.author = 0;
    await settle();
    expect(late).toHaveLength(1);
    late[0]!();
    await settle();
    expect(history.rows.map((one) => one.revision)).toEqual([100, 99]);
  });

  it("asks for nothing while nobody looks", async () => {
    const { history, asked, told } = await reading();
    await told();
    expect(asked()).toBe(0);
    await history.look();
    history.close();
    await told();
    expect(asked()).toBe(1);
    expect(history.rows).toEqual([]);
  });

  it("offers a revision as B, as loud as the present, and follows what changes meanwhile", async () => {
    const { desk, history, told } = await reading();
    const [monitor, player] = [useMonitor(), usePlayer()];
    await history.look();
    await history.choose(42);
    await settle();
    expect(monitor.moves).toMatchObject({ title: "r42", earlier: { revision: 42, trim: -2.5 } });
    expect(history.trim).toBe(-2.5);
    monitor.compare(true);
    expect(player.earlier).toEqual({ revision: 42, trim: -2.5 });
    monitor.compare(false);
    expect(player.earlier).toBeNull();
    // It is matched anew, and as loud as before meanwhile.
    desk.gives["/loudness-match"] = () => ({ done: 1, trim: -1.5 });
    const heard: number[] = [];
    watch(() => monitor.moves?.earlier?.trim, (by) => heard.push(by!), { flush: "sync" }); // prettier-ignore
    await told();
    expect(history.compared!.now).toBe(desk.revision);
    expect([history.matched, history.trim, heard]).toEqual([true, -1.5, [-1.5]]);
    history.restore({ source: "oars" }, "oars as in r42");
    await settle();
    expect(desk.posted.at(-1)).toMatchObject({
      path: "/api/sessions/s/history/42/restore", body: { source: "oars" },
    }); // prettier-ignore
    expect(monitor.moves).toBeNull();
  });

  it("says so when the loudness cannot be matched, and tells no number that was not measured", async () => {
    const { desk, history } = await reading();
    desk.gives["/loudness-match"] = () => {
      throw new Error("away");
    };
    await history.look();
    await history.choose(42);
    await settle();
    expect(history.trouble).toContain("The loudness could not be matched");
    expect([history.matching, history.matched]).toEqual([1, false]);
  });
});
