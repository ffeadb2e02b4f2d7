/** Deltas: what the server tells of a change makes the document the next one, and leaves the one before alone. */
import { applyDelta, type Change } from "@/domain/deltas";

const point = (t: number) => ({
  t,
  value: t / 10,
  shape: "straight",
  tension: 0,
  shape_start: 0,
  shape_end: 1,
});
const before = () =>
  ({
    session: { name: "Test", length: 0 },
    sources: { oars: { id: "oars", pan: 0, level: -6 }, bell: { id: "bell", pan: 1 } },
    lanes: { "oars/pan": { id: "oars/pan", off: true, points: [0, 1, 2, 3].map(point) } },
  }) as never;
const change = (part: string, key: string, more: object): Change => ({ part, key, ...more });

describe("a delta", () => {
  it("sets, adds and removes rows and fields, and shares what stays", () => {
    const old = before();
    const next = applyDelta(old, [
      change("sources", "oars", { fields: { pan: 0.5 } }),
      change("sources", "bell", { value: null }),
      change("sources", "drum", { value: { id: "drum" } }),
      change("session", "settings", { fields: { name: "Other" } }),
    ]) as unknown as Record<string, Record<string, unknown>>;
    expect(next.sources).toEqual({ oars: { id: "oars", pan: 0.5, level: -6 }, drum: { id: "drum" } });
    expect(next.session).toEqual({ name: "Other", length: 0 });
    expect(next.lanes).toBe((old as Record<string, unknown>).lanes);
    expect(old).toEqual(before());
  });

  it.each([
    ["moves one point", { at: 1, removed: 1, inserted: [point(1.5)] }, [0, 1.5, 2, 3]],
    ["adds points", { at: 4, removed: 0, inserted: [point(4), point(5)] }, [0, 1, 2, 3, 4, 5]],
    ["removes points", { at: 0, removed: 3, inserted: [] }, [3]],
  ])("%s of a lane", (_, points, times) => {
    const old = before();
    const next = applyDelta(old, [change("lanes", "oars/pan", { points, cleared: ["off"] })]);
    const lane = next.lanes["oars/pan"]!;
    expect(lane.points.map(({ t }) => t)).toEqual(times);
    expect("off" in lane).toBe(false);
    expect(old).toEqual(before());
  });
});
