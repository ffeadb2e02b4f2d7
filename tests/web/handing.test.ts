/** Handing over on the page: what is ordered and followed, what lands where, one's list of sessions, what one likes. */
import { beforeEach, describe, expect, it, vi } from "vitest";
import { nextTick } from "vue";
import { bytesText, FIRST, useDeliveries, type Delivery } from "@/desks/hand-over/order/deliveries";
import { useImporting, type Found } from "@/desks/hand-over/import/importing";
import { panText, parsePan } from "@/domain/format";
import { Grid } from "@/domain/grid";
import { units } from "@/domain/units";
import { answers, useSessionList, type SessionRow } from "@/pages/sessions/sessions";
import { useTolerance } from "@/audio/lean";
import { useMoves } from "@/session/moves";
import { MARKS } from "@/features/tour/marks";
import { alpha, palette } from "@/ui/palette";
import { dashOf, inkOf } from "@/ui/theme";
import { Desk, settle, source } from "./desk";

const row = (values: Partial<SessionRow>): SessionRow => ({
  id: "a", name: "Night Ferry", role: "owner", sources: 3, length: 60, layout: "0+2+0", bpm: 90, revision: 1,
  changed_at: "2026-04-01T10:00:00Z", created_at: "2026-04-01T09:00:00Z", archived: false, people: [], places: [],
  ...values,
}); // prettier-ignore

const delivery = (values: Partial<Delivery>): Delivery => ({
  id: "d", status: "running", progress: 0, doing: null, messages: [], revision: 5, start: 0, seconds: 8, author: "Rowan",
  created_at: "2026-04-01T10:00:00Z", order: { tolerance_db: 1.5, tolerance_seconds: 4, ...FIRST }, files: [], notes: [], ...values,
}); // prettier-ignore

/** A list whose server answers as told; the paths that were asked. */
function answering(found: Record<string, unknown>): string[] {
  const asked: string[] = [];
  vi.stubGlobal("document", { cookie: "csrftoken=abc" });
  vi.stubGlobal("localStorage", undefined);
  vi.stubGlobal("fetch", async (path: string, options?: { method?: string }) => {
    asked.push(`${options?.method ?? "GET"} ${path}`);
    const key = Object.keys(found).find((one) => path.includes(one))!;
    return new Response(JSON.stringify(found[key]), { status: 200 });
  });
  return asked;
}

describe("the list of sessions", () => {
  const rows = [
    row({ id: "a", name: "Ferry 10", sources: 2, length: 50, changed_at: "2026-04-03T00:00:00Z" }),
    row({ id: "b", name: "ferry 9", sources: 9, length: 90, changed_at: "2026-04-01T00:00:00Z" }),
    row({
      id: "c",
      name: "Quay",
      archived: true,
      people: [{ id: 1, name: "Ines Norden", role: "owner", colour: 0 }],
    }),
  ];

  it("answers to every word, of its name or a person's", () => {
    expect(answers(rows[2]!, "ines QUAY")).toBe(true);
    expect(answers(rows[2]!, "ines ferry")).toBe(false);
    expect(answers(rows[0]!, "  ")).toBe(true);
  });

  it("is sorted by what is pressed, and turned round by pressing once more", async () => {
    answering({ "/api/sessions": rows, "/api/invitations": [] });
    const list = useSessionList();
    await list.look();
    const shown = (): string => list.shown.value.map((one) => one.id).join("");
    expect(shown()).toBe("ab");
    list.sortBy("name");
    expect([shown(), list.sorted("name")]).toEqual(["ba", "ascending"]);
    list.sortBy("name");
    expect([shown(), list.sorted("name")]).toEqual(["ab", "descending"]);
    list.sortBy("sources");
    expect(shown()).toBe("ba");
    list.words.value = "10";
    expect(shown()).toBe("a");
    list.words.value = "";
    list.away.value = true;
    expect([shown(), list.putAway.value]).toEqual(["c", 1]);
    list.sortBy("changed");
  });

  it("goes back to what is not put away once nothing is", async () => {
    answering({
      "/membership": rows.map((one) => ({ ...one, archived: false })),
      "/api/sessions": rows,
      "/api/invitations": [],
    });
    const list = useSessionList();
    await list.look();
    list.away.value = true;
    await list.put(rows[2]!, false);
    expect([list.away.value, list.shown.value.length]).toEqual([false, 3]);
  });

  it("says why a file was refused, and keeps the list", async () => {
    const upload = { id: "u", name: "x.zip", size: 3, received: 3, status: "failed", progress: 0, messages: [{ code: "", parameters: {}, text: "x.zip is damaged." }], part_bytes: 4, session: null }; // prettier-ignore
    answering({ "/api/imports": upload, "/api/sessions": rows, "/api/invitations": [] });
    const list = useSessionList();
    await list.look();
    expect(await list.open(new File(["abc"], "x.zip"))).toBeNull();
    expect([list.trouble.value, list.coming.value, list.shown.value.length]).toEqual([
      "x.zip is damaged.",
      null,
      2,
    ]);
    answering({
      "/api/imports": {
        ...upload,
        status: "ready",
        session: "new",
        messages: [{ code: "", parameters: {}, text: "One note." }],
      },
    });
    expect(await list.open(new File(["abc"], "x.zip"))).toEqual({ id: "new", notes: "One note." });
  });
});

describe("deliveries", () => {
  let desk: Desk;
  beforeEach(() => {
    vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
    vi.stubGlobal("localStorage", undefined);
    desk = new Desk({ sources: { oars: source("oars", 0) }, passages: { p: { id: "p", name: "Dusk", start: 4, end: 8 } } }, 8); // prettier-ignore
    return () => vi.useRealTimers();
  });

  it("are ordered of the revision and the stretch that is chosen", async () => {
    await desk.open();
    const deliveries = useDeliveries();
    desk.gives["/deliveries"] = () => [delivery({})];
    deliveries.order.stems = "groups";
    deliveries.passage = "p";
    useTolerance().db = 2.5;
    await deliveries.make();
    const [sent] = desk.posted.map((one) => one.body as unknown as Record<string, unknown>);
    expect(sent).toMatchObject({
      revision: 5,
      stems: "groups",
      format: "wav-24",
      start: 2,
      end: 4,
      tolerance_db: 2.5,
    });
    deliveries.passage = "";
    await deliveries.make();
    expect(desk.posted[1]!.body).not.toHaveProperty("start");
  });

  it("show the name that the core makes of a pattern, or why it makes none; the last one typed counts", async () => {
    vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout", "Date"] });
    await desk.open();
    const deliveries = useDeliveries();
    desk.gives["/offer"] = () => ({ words: {}, pattern: "{session} {part}" });
    desk.gives["/deliveries"] = () => [];
    const typed = async (pattern?: string) => {
      if (pattern) deliveries.order.pattern = pattern;
      await settle();
      vi.advanceTimersByTime(200);
      await settle();
    };
    desk.takes["/deliveries/name"] = (body) => ({ name: `${(body.pattern as string) ?? "as offered"}.wav` });
    await deliveries.arrive();
    expect(deliveries.called.name).toBe("as offered.wav");
    await typed();
    expect(deliveries.called).toEqual({ name: "{session} {part}.wav", trouble: "" });
    desk.takes["/deliveries/name"] = () => "A brace in the name is not closed.";
    await typed("{part");
    expect(deliveries.called).toEqual({ name: "", trouble: "A brace in the name is not closed." });
    // Away, it says nothing of the name.
    desk.takes["/deliveries/name"] = () => Promise.reject(new TypeError("no line"));
    await typed("{part}");
    expect(deliveries.called.trouble).toBe("A brace in the name is not closed.");
    deliveries.leave();
  });

  it("are followed for as long as somebody looks, quickly while something is made", async () => {
    await desk.open();
    const deliveries = useDeliveries();
    let progress = 0;
    desk.gives["/offer"] = () => ({ words: {}, pattern: "" });
    desk.gives["/deliveries"] = () => {
      progress += 0.5;
      return [delivery({ progress, status: progress < 1 ? "running" : "done" })];
    };
    await deliveries.arrive();
    await settle();
    expect(deliveries.rows?.[0]?.status).toBe("running");
    vi.advanceTimersByTime(500);
    await settle();
    expect(deliveries.rows?.[0]?.status).toBe("done");
    const asked = desk.asked.length;
    vi.advanceTimersByTime(1000);
    await settle();
    expect(desk.asked.length).toBe(asked);
    deliveries.leave();
    vi.advanceTimersByTime(10_000);
    await settle();
    expect(desk.asked.length).toBe(asked);
  });

  it("say how large their files are", () => {
    expect([120, 45_600, 12_400_000, 3.21e9].map(bytesText)).toEqual(["1 kB", "46 kB", "12.4 MB", "3.21 GB"]);
  });
});

describe("moves from a file", () => {
  const found: Found[] = [
    { index: 0, name: "Oars", parameter: "pan", points: 2, start: 0, end: 4, low: -1, high: 1, lands: { owner: "oars", parameter: "pan" }, notes: [] },
    { index: 1, name: "Somebody", parameter: "", points: 1, start: 0, end: 0, low: 0, high: 0, lands: null, notes: [] },
  ]; // prettier-ignore
  const places = [
    { owner: "oars", name: "Oars", parameters: ["pan", "level"] },
    { owner: "bell", name: "Bell", parameters: ["pan_left", "pan_right", "level"] },
    { owner: "group:band", name: "Band", parameters: ["level"] },
  ]; // prettier-ignore
  const draft = {
    id: "x", revision: 5, summary: "Oars: a move from moves.csv",
    writes: [{ owner: "oars", parameter: "pan", start: 0, end: 4, points: [{ t: 0, value: 0.5, shape: "hold", tension: 0 }] }],
  }; // prettier-ignore

  it("are shown with where they land, heard as B, and written as one change", async () => {
    const desk = new Desk({ sources: { oars: source("oars", 0), bell: source("bell", 1) } });
    const forms: [string, FormData][] = [];
    const plain = fetch;
    vi.stubGlobal("fetch", (path: string, options?: { body?: unknown }) => {
      if (!(options?.body instanceof FormData)) return plain(path, options as never);
      forms.push([path, options.body]);
      return Promise.resolve(
        new Response(JSON.stringify(path.endsWith("/preview") ? { lanes: found, places } : draft)),
      );
    });
    await desk.open();
    const landing = useImporting();
    const moves = useMoves();
    await landing.open(new File(["x"], "moves.csv"));
    expect(landing.rows.map((one) => [one.owner, one.to])).toEqual([["oars", "pan"], ["", ""]]); // prettier-ignore
    landing.bar = 3;
    await landing.look();
    const [path, sent] = forms[1]!;
    expect(path).toBe("/api/sessions/s/moves/import");
    expect(JSON.parse(sent.get("lands") as string)).toEqual([{ index: 0, owner: "oars", parameter: "pan" }]);
    expect([sent.get("at"), sent.get("over"), sent.get("revision")]).toEqual(["4", "stretch", "5"]);
    expect(moves.draft?.id).toBe("x");
    // Who changes where something lands has not looked at that yet.
    landing.land(landing.rows[1]!, "bell");
    await nextTick();
    expect(landing.rows[1]).toMatchObject({ owner: "bell", to: "pan_left" });
    landing.land(landing.rows[0]!, "group:band");
    expect(landing.rows[0]!.to).toBe("level");
    landing.land(landing.rows[0]!, "oars");
    expect(landing.rows[0]!.to).toBe("pan");
    expect([landing.draft, moves.draft]).toEqual([null, null]);
    await landing.look();
    landing.apply();
    await settle();
    expect(landing.file).toBeNull();
    expect(desk.operations.at(-1)).toMatchObject({ kind: "write-points", owner: "oars", parameter: "pan" });
  });
});

describe("what one likes", () => {
  it("tells places by letters or signs, and reads both", () => {
    expect([-0.31, 0, 0.31].map(panText)).toEqual(["L31", "C", "R31"]);
    units.places = "signed";
    expect([-0.31, 0, 0.31].map(panText)).toEqual(["−31", "0", "+31"]);
    expect(["−31", "+31", "L31", "0"].map(parsePan)).toEqual([-0.31, 0.31, -0.31, 0]);
    units.places = "letters";
  });

  it("tells times by bars or the clock, and reads both", () => {
    const bars = [1, 2].map((bar) => ({ bar, times: [0, 1, 2, 3].map((i) => (bar - 1) * 4 + i), beat: (bar - 1) * 4, unit: 4 })); // prettier-ignore
    const grid = new Grid(bars, 8);
    expect([grid.text(5), grid.barsText(1, 5)]).toEqual(["2.2", "bars 1–2"]);
    units.times = "clock";
    expect([grid.text(5), grid.barsText(1, 5.5)]).toEqual(["0:05.0", "0:01.0–0:05.5"]);
    expect([grid.parse("0:05.5"), grid.parse("2.2"), grid.parse("1:00")]).toEqual([5.5, 5, null]);
    units.times = "bars";
  });

  it("has inks for night paper, and dashes where colours do not tell", () => {
    const day = inkOf(0);
    expect(dashOf(1)).toEqual([]);
    palette.night = palette.apart = true;
    expect(inkOf(0)).not.toBe(day);
    expect(new Set([0, 1, 2, 3].map((ink) => JSON.stringify(dashOf(ink)))).size).toBe(4);
    palette.night = palette.apart = false;
    expect(alpha("#20262b", 0.5)).toBe("rgba(32,38,43,0.5)");
  });

  it("is shown round every desk once, in the order of the work", () => {
    expect(MARKS.map((one) => one.desk)).toEqual(["place", "move", "pulse", "balance", "hand-over"]);
  });
});
