/** What the page asks of the server for itself: told how far it is, stopped, refused, asked again. */
import { useSelection } from "@/session/selection";
import { effectScope, nextTick, type EffectScope } from "vue";
import { useMeasurement } from "@/desks/balance/details/measurement";
import { usePeople } from "@/features/people/people";
import { useAccount } from "@/account/account";
import { useConflicts } from "@/features/history/conflicts";
import { useFreezing } from "@/session/freezing";
import { useLibrary } from "@/session/library";
import { usePlacementReading } from "@/desks/place/details/reading";
import { useWaveforms } from "@/session/waveforms";
import { useNotices } from "@/ui/notices";
import { say } from "@/ui/say";
import { Desk, settle, source } from "./desk";

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));

let scope: EffectScope;
let desk: Desk;
let session: Awaited<ReturnType<Desk["open"]>>;

/** Asked of a path since it was looked at last. */
const paths = (part: string): string[] => desk.asked.filter((path) => path.includes(part));

beforeEach(async () => {
  scope = effectScope();
  desk = new Desk({ sources: { oars: source("oars", 0, { start: 1.5 }), gulls: source("gulls", 1) } });
  session = await desk.open();
});
afterEach(async () => {
  vi.useRealTimers();
  scope.stop();
  await settle();
  vi.unstubAllGlobals();
  vi.clearAllMocks();
});

/** Time goes on, and what hangs on it is done. */
async function pass(milliseconds: number): Promise<void> {
  await vi.advanceTimersByTimeAsync(milliseconds);
  await settle();
}
const timed = (): unknown => vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });

describe("long work", () => {
  it("tells how far it is until it is done", async () => {
    const shares = [0.25, 0.5, 1];
    const seen: number[] = [];
    const asking = scope.run(() => useMeasurement<{ done: number; revision: number }>("causes"))!;
    desk.gives["/causes?"] = () => {
      seen.push(asking.done.value);
      return { done: shares.shift()!, revision: 5 };
    };
    await asking.ask({ start: "1.000" });
    expect(seen).toEqual([0, 0.25, 0.5]);
    expect(asking.done.value).toBe(1);
    expect(asking.found.value).toEqual({ done: 1, revision: 5 });
    expect(paths("/causes?").at(-1)).toBe("/api/sessions/s/causes?revision=5&start=1.000");
  });

  it("that is asked for anew is asked for once, and what comes of the first is not taken", async () => {
    const asking = scope.run(() => useMeasurement<{ done: number; revision: number }>("causes"))!;
    desk.gives["start=1"] = () => ({ done: 1, revision: 1 });
    desk.gives["start=2"] = () => ({ done: 1, revision: 2 });
    const first = asking.ask({ start: "1" });
    await asking.ask({ start: "2" });
    await first;
    expect(asking.found.value?.revision).toBe(2);
  });

  it("that cannot be done says why; cleared, nothing is left", async () => {
    const asking = scope.run(() => useMeasurement<{ done: number; revision: number }>("causes"))!;
    desk.gives["/causes?"] = () => {
      throw new Error("nothing sounds there");
    };
    await asking.ask({});
    expect([asking.found.value, asking.done.value]).toEqual([null, 1]);
    expect(asking.trouble.value).not.toBe("");
    asking.clear();
    expect(asking.trouble.value).toBe("");
  });
});

describe("the people of a session", () => {
  const member = (id: number, role: string) => ({ id, name: `P${id}`, username: `p${id}`, role, colour: id });

  it("are looked up, changed by the owner and looked up again", async () => {
    const people = usePeople();
    let role = "engineer";
    desk.gives["/people"] = () => ({ members: [member(1, "owner"), member(2, role)], invitations: [] });
    await people.look();
    expect(people.members.map((one) => one.role)).toEqual(["owner", "engineer"]);
    role = "listener";
    expect(await people.setRole(2, "listener")).toBe(true);
    const address = "/api/sessions/s/people/2";
    expect(desk.posted.at(-1)).toEqual({ method: "PATCH", path: address, body: { role: "listener" } });
    expect(people.members[1]!.role).toBe("listener");
    await people.withdraw(2);
    await people.handOver(2);
    expect(desk.posted.slice(-2)).toEqual([
      { method: "DELETE", path: address, body: {} },
      { method: "PATCH", path: address, body: { role: "owner" } },
    ]);
  });

  it("are invited by a link whose secret is no part of what is sent for it", async () => {
    vi.stubGlobal("location", { origin: "https://here", protocol: "https:", host: "here" });
    const people = usePeople();
    desk.gives["/people"] = () => ({ members: [], invitations: [] });
    const others = globalThis.fetch;
    vi.stubGlobal("fetch", (path: string, options?: { body?: string }) =>
      path.endsWith("/invitations") ? new Response('{"secret": "s3cret"}') : others(path, options),
    );
    expect(await people.invite("listener", 24, true)).toBe(true);
    expect(people.link).toBe("https://here/invitation#s3cret");
    expect(new URL(people.link).pathname).toBe("/invitation");
  });

  it("stay as they were, with the reason told, when a change is refused", async () => {
    const people = usePeople();
    desk.gives["/people"] = () => ({ members: [member(1, "owner")], invitations: [] });
    await people.look();
    desk.answers.push("Somebody has to own the session. Hand it over first.");
    expect(await people.withdraw(1)).toBe(false);
    expect(people.trouble).toContain("Hand it over first");
    expect(people.members.length).toBe(1);
  });

  it("are looked up when somebody's role has changed, by those who look at them", async () => {
    const people = usePeople();
    desk.gives["/people"] = () => ({ members: [member(1, "owner")], invitations: [] });
    desk.hear({ type: "people", role: "engineer" });
    await settle();
    expect(paths("/people")).toEqual([]);
    await people.look();
    desk.hear({ type: "people", role: "engineer" });
    await settle();
    expect(paths("/people").length).toBe(2);
  });
});

describe("changes that had waited for the connection", () => {
  it("are told as a whole: sent, gone over a colleague's, refused", async () => {
    useConflicts();
    useAccount().me = { id: 1, name: "Rowan" } as never;
    const outcome = (over: number, refusal = "") => ({
      said: "place", refusal, again: () => undefined,
      answer: refusal ? null : ({ revision: { overwrote: Array.from({ length: over }, () => ({})) } } as never),
    }); // prettier-ignore
    session.outcomes = [outcome(0), outcome(1), outcome(0, "The source is gone.")];
    await nextTick();
    expect(useNotices().all.map((one) => one.text)).toEqual([
      "Connected again: 2 changes of yours sent, 1 overwrote a colleague's, 1 could not be made.",
    ]);
    session.outcomes = [outcome(0)];
    await nextTick();
    expect(useNotices().all.map((one) => one.text)).toEqual(["Connected again: 1 change of yours sent."]);
  });
});

describe("freezing", () => {
  it("shows how far it is until it is done, and can be stopped meanwhile", async () => {
    timed();
    const freezing = useFreezing();
    const states = ["running", "running", "done"];
    desk.gives["/freezes/"] = () => ({ id: "f", status: states.shift(), done: 0.5, messages: [] });
    const others = globalThis.fetch;
    vi.stubGlobal("fetch", (path: string, options?: { body?: string }) =>
      path.endsWith("/freeze")
        ? new Response('{"id": "f", "status": "waiting", "done": 0, "messages": []}')
        : others(path, options),
    );
    const oars = session.sources[0]!;
    const going = freezing.freeze(oars);
    await pass(10);
    expect(freezing.going.get("oars")).toMatchObject({ status: "waiting" });
    await pass(300);
    expect(freezing.going.get("oars")).toMatchObject({ status: "running", done: 0.5 });
    await freezing.stop(oars);
    expect(desk.posted.at(-1)!.path).toBe("/api/sessions/s/freezes/f/cancel");
    await pass(700);
    await going;
    expect(freezing.going.size).toBe(0);
    expect(say.wrong).not.toHaveBeenCalled();
  });

  it("that fails says why, and nothing goes on", async () => {
    const freezing = useFreezing();
    desk.answers.push("The source was removed meanwhile.");
    await freezing.freeze(session.sources[0]!);
    expect(say.wrong).toHaveBeenCalledWith("The source was removed meanwhile.");
    expect(freezing.going.size).toBe(0);
    await freezing.stop(session.sources[0]!);
    expect(desk.posted.length).toBe(1);
  });
});

describe("waveforms", () => {
  it("are asked for once for each piece of audio, and stand where the source begins", async () => {
    const waveforms = useWaveforms();
    desk.gives["/waveform?"] = () => ({ per_second: 50, channels: [[0, 255, 51]] });
    const oars = session.sources[0]!;
    expect(waveforms.of(oars)).toBeUndefined();
    expect(waveforms.of(oars)).toBeUndefined();
    await settle();
    expect(waveforms.of(oars)).toEqual({ start: 1.5, perSecond: 50, channels: [[0, 1, 0.2]] });
    expect(waveforms.of({ ...oars, start: 4 })!.start).toBe(4);
    expect(paths("/waveform?").length).toBe(1);
  });

  it("that did not come are asked for again", async () => {
    timed();
    const waveforms = useWaveforms();
    desk.gives["/waveform?"] = () => {
      throw new Error("away");
    };
    waveforms.of(session.sources[0]!);
    await pass(1100);
    waveforms.of(session.sources[0]!);
    expect(paths("/waveform?").length).toBe(2);
  });
});

describe("the reading of a placement", () => {
  it("follows what is chosen, what is changed, and the playhead by half seconds", async () => {
    timed();
    const reading = scope.run(() => usePlacementReading())!;
    desk.gives["/placement?"] = (path) => ({ lost: path.includes("oars") ? 1 : 2 });
    useSelection().chosen = "oars";
    await pass(200);
    expect(reading.value).toEqual({ lost: 1, revision: 5, source: "oars" });
    useSelection().chosen = "gulls";
    await nextTick();
    expect(reading.value).toBeNull();
    await pass(200);
    expect(reading.value).toMatchObject({ lost: 2 });
    const asked = paths("/placement?").length;
    session.at = 0.4;
    await pass(200);
    expect(paths("/placement?").length).toBe(asked);
    session.at = 0.6;
    await pass(200);
    expect(paths("/placement?").at(-1)).toContain("at=0.50");
    desk.hear(desk.told([{ part: "sources", key: "gulls", value: source("gulls", 1, { pan: 0.3 }) }]));
    await pass(200);
    expect(reading.value).toMatchObject({ revision: 6 });
  });
});

describe("what is kept by name", () => {
  it("is used in every session, refused with the reason, and forgotten", async () => {
    const library = useLibrary();
    const preset = { id: "p", kind: "seating", name: "Mine", content: {} };
    desk.gives["/api/presets"] = () => [preset, { ...preset, id: "q", kind: "wave" }];
    await library.keep("seating", "Mine", { seats: [] });
    expect(desk.posted.at(-1)).toEqual({
      path: "/api/presets",
      body: { kind: "seating", name: "Mine", content: { seats: [] } },
    });
    expect(library.kept("seating").map((one) => one.id)).toEqual(["p"]);
    expect(say.done).toHaveBeenCalledWith(expect.stringContaining("“Mine” is saved"));
    desk.answers.push("There is one of that name already.");
    await library.keep("seating", "Mine", {});
    expect(say.wrong).toHaveBeenCalledWith("There is one of that name already.");
    await library.share(preset as never, "s", true);
    expect(desk.posted.at(-1)).toMatchObject({ method: "PUT", path: "/api/presets/p/sessions/s" });
    await library.share(preset as never, "s", false);
    expect(desk.posted.at(-1)).toMatchObject({ method: "DELETE", path: "/api/presets/p/sessions/s" });
    await library.forget(preset as never);
    expect(desk.posted.at(-1)).toMatchObject({ method: "DELETE", path: "/api/presets/p" });
  });

  it("is asked for once, whoever wants it", async () => {
    const library = useLibrary();
    desk.gives["/api/library"] = () => ({ effects: [{ name: "echo" }] });
    await Promise.all([library.arrive(), library.arrive()]);
    await library.arrive();
    expect(paths("/api/library").length).toBe(1);
    expect(library.effect("echo")).toEqual({ name: "echo" });
    expect(library.effect("none")).toBeUndefined();
  });
});
