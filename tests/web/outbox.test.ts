/** The outbox and the reading of segments: nothing lost, nothing doubled, nothing out of order. */
import { DOCUMENT_VERSION } from "@/domain/declared";
import type { Kept, LetterBox } from "@/collab/kept";
import { Outbox, type Outcome } from "@/collab/outbox";
import { decode } from "@/audio/segments";
import { uuid } from "@/domain/ids";
import { packed } from "./packed";

type Sent = { path: string; body: { client_id: string; operation?: { pan: number } } };
const place = (pan: number) => ({ kind: "place-source", source: "oars", pan }) as never;
const answer = (status: number, body: unknown): Response => new Response(JSON.stringify(body), { status });

describe("the outbox", () => {
  let sent: Sent[];
  let line: "up" | "down" | "lost" | "out";
  let failing: number;
  let failsWith: number;

  beforeEach(() => {
    vi.useFakeTimers();
    sent = [];
    line = "up";
    failing = 0;
    vi.stubGlobal("document", { cookie: "a=1; csrftoken=abc" });
    vi.stubGlobal(
      "fetch",
      async (path: string, options: { body: string; headers: Record<string, string> }) => {
        if (line === "down") throw new TypeError("no line");
        expect(options.headers["X-CSRFToken"]).toBe("abc");
        const body = JSON.parse(options.body) as Sent["body"];
        sent.push({ path, body });
        // The server has it, but its answer does not come back.
        if (line === "lost") throw new TypeError("line lost");
        if (failing > 0) {
          failing -= 1;
          return answer(failsWith, { detail: "Something went wrong here." });
        }
        if (line === "out") return answer(401, { detail: "Sign in." });
        return body.operation?.pan === 9
          ? answer(422, { detail: "pan: too far" })
          : answer(200, { revision: {}, notice: "", turns: { undo: null, redo: null } });
      },
    );
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  it("sends one after the other, in order, and counts what waits", async () => {
    const counts: number[] = [];
    const settled: number[] = [];
    const outbox = new Outbox("s", 1, { waiting: (said) => counts.push(said.length) });
    for (const pan of [1, 2, 3]) outbox.submit(place(pan), 7, () => settled.push(pan));
    await vi.runAllTimersAsync();
    expect(sent.map((one) => one.body.operation?.pan)).toEqual([1, 2, 3]);
    expect(settled).toEqual([1, 2, 3]);
    expect(counts).toEqual([1, 2, 3, 2, 1, 0]);
    expect(new Set(sent.map((one) => one.body.client_id)).size).toBe(3);
  });

  it("keeps what could not be sent, and sends it under the same id", async () => {
    const settled = vi.fn();
    const outbox = new Outbox("s", 1);
    line = "down";
    const id = outbox.submit(place(0.5), 7, settled);
    await vi.advanceTimersByTimeAsync(3500);
    expect(settled).not.toHaveBeenCalled();
    line = "lost";
    outbox.hurry();
    await vi.advanceTimersByTimeAsync(10);
    line = "up";
    await vi.runAllTimersAsync();
    expect(settled).toHaveBeenCalledTimes(1);
    expect(sent.map((one) => one.body.client_id)).toEqual([id, id]);
  });

  it.each([500, 429, 408])(
    "keeps what the server could not do just now (%i), and sends it again",
    async (status) => {
      const settled = vi.fn();
      [failing, failsWith] = [3, status];
      const outbox = new Outbox("s", 1);
      const id = outbox.submit(place(0.5), 7, settled);
      await vi.runAllTimersAsync();
      expect(settled).toHaveBeenCalledOnce();
      expect(settled.mock.calls[0]![1]).toBe("");
      expect(sent.map((request) => request.body.client_id)).toEqual([id, id, id, id]);
    },
  );

  it("keeps even what the server fails at again and again, and lets whoever made it discard it", async () => {
    const refusals: string[] = [];
    let discard = (): void => undefined;
    const failed = vi.fn((_: string, how: () => void) => void (discard = how));
    [failing, failsWith] = [100, 500];
    const outbox = new Outbox("s", 1, { failing: failed });
    for (const pan of [1, 2]) outbox.submit(place(pan), 7, (_, refusal) => refusals.push(refusal));
    await vi.advanceTimersByTimeAsync(40_000);
    expect(failed).toHaveBeenCalledExactlyOnceWith("place source", expect.anything());
    expect(refusals).toEqual([]);
    failing = 0;
    discard();
    await vi.runAllTimersAsync();
    expect(refusals).toEqual(["Something went wrong here.", ""]);
    expect(sent.at(-1)!.body.operation?.pan).toBe(2);
  });

  it("waits longer each time, up to half a minute, and tries at once when the line is back", async () => {
    line = "down";
    const tries = vi.spyOn(globalThis, "fetch");
    const outbox = new Outbox("s", 1);
    outbox.submit(place(0.5), 7, () => {});
    await vi.advanceTimersByTimeAsync(600_000);
    expect(tries.mock.calls.length).toBeGreaterThan(20);
    expect(tries.mock.calls.length).toBeLessThan(50);
    line = "up";
    outbox.hurry();
    await vi.advanceTimersByTimeAsync(10);
    expect(sent).toHaveLength(1);
  });

  it("tells a refusal and goes on with the next", async () => {
    const told: string[] = [];
    const outbox = new Outbox("s", 1);
    outbox.submit(place(9), 7, (_, refusal) => told.push(refusal));
    outbox.undo((found, refusal) => told.push(refusal || (found ? "done" : "")));
    await vi.runAllTimersAsync();
    expect(told).toEqual(["pan: too far", "done"]);
    expect(sent[1]!.path).toBe("/api/sessions/s/undo");
  });

  /** A letter box in memory, as the browser's database is one. */
  function memory(): LetterBox & { kept: Kept[] } {
    const kept: Kept[] = [];
    return {
      kept,
      put: (letter) => Promise.resolve(void kept.push(letter)),
      drop: (letter) =>
        Promise.resolve(
          void kept.splice(
            kept.findIndex((one) => one.body.client_id === letter.body.client_id),
            1,
          ),
        ),
      leave: () => Promise.resolve(),
      counted: () => Promise.resolve(new Map()),
      adopt: (session, person, tab) => {
        const left = kept.filter(
          (one) => one.session === session && one.person === person && one.tab !== tab,
        );
        return Promise.resolve(left.sort((a, b) => a.order - b.order).map((one) => ({ ...one, tab })));
      },
    };
  }

  it("keeps what is not answered, and the next tab sends it under the same ids, in order", async () => {
    const box = memory();
    line = "down";
    const first = new Outbox("s", 1, {}, box);
    const ids = [0.1, 0.2].map((pan) => first.submit(place(pan), 7, () => {}));
    await vi.advanceTimersByTimeAsync(10);
    expect(box.kept.map((one) => one.body.client_id)).toEqual(ids);
    // The tab is closed; the first one never gets its turn again.
    vi.clearAllTimers();
    line = "up";
    const told: Outcome[] = [];
    const next = new Outbox("s", 1, { returned: (found) => told.push(...found) }, box);
    await next.adopt(() => () => {});
    await vi.runAllTimersAsync();
    expect(sent.map((one) => one.body.client_id)).toEqual(ids);
    expect(box.kept).toEqual([]);
    expect(told.map((one) => one.refusal)).toEqual(["", ""]);
  });

  it("says whose names a change uses: its own version's, or that of an earlier page that did not say so", async () => {
    const box = memory();
    const ofAnEarlierPage = {
      session: "s",
      person: 1,
      tab: "gone",
      order: 1,
      path: "operations",
      said: "place source",
    };
    box.kept.push({ ...ofAnEarlierPage, body: { client_id: "a" } });
    box.kept.push({ ...ofAnEarlierPage, order: 2, path: "undo", body: { client_id: "b" } });
    const outbox = new Outbox("s", 1, {}, box);
    await outbox.adopt(() => () => {});
    outbox.submit(place(0.5), 7, () => {});
    await vi.runAllTimersAsync();
    expect(sent.map(({ body }) => (body as { format?: number }).format)).toEqual([
      7,
      undefined,
      DOCUMENT_VERSION,
    ]);
  });

  it("tells what became of changes that had waited, and makes a refused one again", async () => {
    const told: Outcome[] = [];
    const outbox = new Outbox("s", 1, { returned: (found) => told.push(...found) }, memory());
    line = "down";
    outbox.submit(place(9), 7, () => {});
    outbox.submit(place(0.5), 7, () => {});
    await vi.advanceTimersByTimeAsync(100);
    line = "up";
    await vi.runAllTimersAsync();
    expect(told.map((one) => one.refusal)).toEqual(["pan: too far", ""]);
    const before = sent.length;
    told[0]!.again();
    await vi.runAllTimersAsync();
    expect(sent.length).toBe(before + 1);
    expect(sent.at(-1)!.body.client_id).not.toBe(sent[0]!.body.client_id);
  });

  it("waits as long as the server asks to", async () => {
    const settled = vi.fn();
    const outbox = new Outbox("s", 1);
    const plain = globalThis.fetch;
    let asked = 0;
    vi.stubGlobal("fetch", async (path: string, options: RequestInit) => {
      asked += 1;
      if (asked > 1) return plain(path, options);
      return new Response('{"detail": "Too many."}', { status: 429, headers: { "Retry-After": "20" } });
    });
    outbox.submit(place(0.5), 7, settled);
    await vi.advanceTimersByTimeAsync(19_000);
    expect(asked).toBe(1);
    await vi.advanceTimersByTimeAsync(2000);
    expect(settled).toHaveBeenCalledTimes(1);
  });

  it("sends again what is not answered in time, under the same id", async () => {
    const outbox = new Outbox("s", 1);
    const plain = globalThis.fetch;
    const bodies: string[] = [];
    vi.spyOn(AbortSignal, "timeout").mockImplementation((time) => {
      const late = new AbortController();
      setTimeout(() => late.abort(new DOMException("late", "TimeoutError")), time);
      return late.signal;
    });
    vi.stubGlobal("fetch", (path: string, options: RequestInit) => {
      bodies.push(options.body as string);
      if (bodies.length > 1) return plain(path, options);
      return new Promise((_, fail) => {
        options.signal!.addEventListener("abort", () => fail(options.signal!.reason as Error));
      });
    });
    const settled = vi.fn();
    outbox.submit(place(0.5), 7, settled);
    await vi.advanceTimersByTimeAsync(29_000);
    expect(bodies.length).toBe(1);
    await vi.advanceTimersByTimeAsync(5000);
    expect(new Set(bodies).size).toBe(1);
    expect(bodies.length).toBe(2);
    expect(settled).toHaveBeenCalledTimes(1);
  });

  it("makes ids where the browser makes none: at an insecure address", () => {
    vi.stubGlobal("crypto", { getRandomValues: (bytes: Uint8Array) => bytes.fill(0xff) });
    expect(uuid()).toBe("ffffffff-ffff-4fff-bfff-ffffffffffff");
  });

  it("keeps what is made while one is signed out", async () => {
    const box = memory();
    const settled = vi.fn();
    const outbox = new Outbox("s", 1, {}, box);
    line = "out";
    outbox.submit(place(0.5), 7, settled);
    await vi.advanceTimersByTimeAsync(600_000);
    expect(settled).not.toHaveBeenCalled();
    expect([box.kept.length, sent.length]).toEqual([1, 1]);
    line = "up";
    outbox.hurry();
    await vi.runAllTimersAsync();
    expect(settled).toHaveBeenCalledTimes(1);
    expect(box.kept).toEqual([]);
  });

  describe("that is closed", () => {
    it("sends what waits, and tells nothing any more", async () => {
      const waiting = vi.fn();
      const outbox = new Outbox("s", 1, { waiting }, memory());
      for (const pan of [1, 2]) outbox.submit(place(pan), 7, () => {});
      waiting.mockClear();
      await outbox.close();
      expect(sent.map((one) => one.body.operation?.pan)).toEqual([1, 2]);
      expect(waiting).not.toHaveBeenCalled();
    });

    it("leaves what cannot be sent to the next one, which shows it and sends it before its own", async () => {
      const box = memory();
      const left = vi.spyOn(box, "leave");
      const first = new Outbox("s", 1, {}, box);
      first.keeps = true;
      line = "down";
      const id = first.submit(place(1), 7, () => {}, { "oars.pan": 1 });
      await vi.advanceTimersByTimeAsync(100);
      const closed = first.close();
      await vi.advanceTimersByTimeAsync(600_000);
      expect(left).toHaveBeenCalledOnce();
      const next = new Outbox("s", 1, {}, box, closed);
      const shows = vi.fn();
      line = "up";
      const adopted = next.adopt(() => () => {}, shows);
      await adopted;
      next.submit(place(2), 7, () => {});
      await vi.runAllTimersAsync();
      expect(shows).toHaveBeenCalledExactlyOnceWith(id, { "oars.pan": 1 });
      expect(sent.map((one) => one.body.operation?.pan)).toEqual([1, 2]);
    });

    it("begins nothing before the last one of the session sends no more", async () => {
      let ended = (): void => undefined;
      const outbox = new Outbox("s", 1, {}, memory(), new Promise<void>((done) => (ended = done)));
      outbox.submit(place(1), 7, () => {});
      await vi.advanceTimersByTimeAsync(1000);
      expect(sent).toEqual([]);
      ended();
      await vi.runAllTimersAsync();
      expect(sent.length).toBe(1);
    });

    it("sends nothing of one person's as another", async () => {
      const box = memory();
      let person = 1;
      const outbox = new Outbox("s", 1, { isSignedIn: () => person === 1 }, box);
      person = 2;
      outbox.submit(place(1), 7, () => {});
      await outbox.close();
      await vi.runAllTimersAsync();
      expect([sent, box.kept.length]).toEqual([[], 1]);
    });
  });
});

describe("a segment", () => {
  it("is read as the server writes it", async () => {
    const body = packed({
      key: "k1",
      channels: [[1, 2, 3, 4], [-1, -2, -3, -4], [7, 8, 9, 10]],
      held: 1,
      tail: 1,
      columns: ["lean_long", "momentary"],
      rows: [[0.5, -20], [Number.NaN, -21]],
      points: [[0, 0.5], [-0.5, 1]],
      spectra: [[[-10, -11], [-20, -21], [-30, -31]]],
      notches: [[[714, -30]]],
    }); // prettier-ignore
    const found = await decode(body, "t1");
    expect(found.played!.audio.map((channel) => [...channel])).toEqual([
      [1, 2, 3, 4],
      [-1, -2, -3, -4],
    ]);
    expect(found.played!.hand.map((channel) => [...channel])).toEqual([[7, 8, 9, 10]]);
    expect([found.key, found.tag]).toEqual(["k1", "t1"]);
    expect(found.readings.count).toBe(2);
    expect([...found.readings.values]).toEqual([0.5, -20, Number.NaN, -21]);
    [...found.pictures.points].forEach((point, i) => expect(point).toBeCloseTo([0, 0.5, -0.5, 1][i]!, 2));
    const [spectrum] = found.pictures.spectra;
    expect([spectrum!.left, spectrum!.right, spectrum!.mono].map((row) => [...row])).toEqual([
      [-10, -11],
      [-20, -21],
      [-30, -31],
    ]);
    expect(spectrum!.notches).toEqual([[714, -30]]);
  });

  it("is its readings alone where its sound is as it was", async () => {
    const found = await decode(packed({ channels: [], columns: ["lean"], rows: [[1]] }), "t2");
    expect(found.played).toBeNull();
    expect([...found.readings.values]).toEqual([1]);
  });

  it("is decoded where it comes in a lossy form: what was coded around it is left out", async () => {
    const channel = Float32Array.from({ length: 10 }, (_, i) => i);
    vi.stubGlobal("OfflineAudioContext", class {
      decodeAudioData = async () => ({ numberOfChannels: 1, getChannelData: () => channel });
    }); // prettier-ignore
    const body = packed({ channels: [[0, 0]] }, { form: "opus-96", lead: 2, frames: 5, tail: 1, gain: 2 });
    const found = await decode(body, "t3");
    expect([...found.played!.audio[0]!]).toEqual([4, 6, 8, 10, 12, 14]);
    vi.unstubAllGlobals();
  });
});
