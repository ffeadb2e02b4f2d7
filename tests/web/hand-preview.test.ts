/** A source in a hand: heard through the core's gains until it is let go, and from the render again after that. */
import { source } from "./desk";
import { PlayerBench, settle } from "./player-setup";

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));

describe("a source in a hand", () => {
  let bench: PlayerBench;
  beforeEach(async () => void (bench = await PlayerBench.open()));
  afterEach(() => bench.end());

  const oars = () => bench.session.sources.find((one) => one.id === "oars")!;

  it("hears it through the core's gains at once, and again from the render when it has come back", async () => {
    const node = await bench.play();
    const before = bench.asked.length;
    bench.player.grasp(oars(), ["pan"]);
    await settle();
    expect(bench.asked.slice(before).map((one) => one.query.get("hand"))).toEqual([
      "oars",
      "oars",
      "oars",
      "oars",
    ]);
    // In the middle to begin with, then where the hand goes, without anything asked.
    expect(node.gains).toEqual([0.7, 0.7]);
    bench.session.pending.set("oars.pan", { value: -1, ids: new Set() } as never);
    bench.player.moveHand(oars());
    const beforeRelease = bench.asked.length;
    expect(node.gains).toEqual([1, 0]);
    bench.player.release(true);
    await settle();
    expect(bench.asked.length).toBe(beforeRelease);
    bench.desk.hear(
      bench.desk.told([{ part: "sources", key: "oars", value: source("oars", 0, { pan: -1 }) }]),
    );
    await settle();
    const after = bench.asked
      .slice(beforeRelease)
      .map((one) => [one.query.get("hand"), one.query.get("revision")]);
    expect(after).toEqual([0, 1, 2, 3].map(() => [null, "6"]));
  });

  it("hears the render again when nothing was changed", async () => {
    await bench.play();
    bench.player.grasp(oars(), ["pan"]);
    await settle();
    const before = bench.asked.length;
    bench.player.release(false);
    await settle();
    expect(bench.asked.slice(before).every((one) => !one.query.has("hand"))).toBe(true);
    expect(bench.asked.length).toBe(before + 4);
  });

  it("takes the level along where the hand holds it", async () => {
    await bench.play();
    bench.player.grasp(oars(), ["pan", "level"]);
    await settle();
    expect(bench.asked.at(-1)!.query.get("free")).toBe("true");
    bench.player.release(false);
  });

  it("leaves alone what is frozen, and what does not play", async () => {
    bench.player.grasp(oars(), ["pan"]);
    expect(bench.asked).toEqual([]);
    await bench.play();
    const before = bench.asked.length;
    bench.player.grasp({ ...oars(), frozen_asset: "f".repeat(64) }, ["pan"]);
    await settle();
    expect(bench.asked.length).toBe(before);
  });

  it("leaves to the render what its tables do not tell", async () => {
    await bench.play();
    expect(bench.player.grasp(oars(), ["width"])).toBe(false);
    expect(bench.player.grasp(oars(), ["pan"])).toBe(true);
    expect(bench.player.grasp(oars(), ["pan", "height"])).toBe(false);
    await settle();
    expect(bench.asked.at(-1)!.query.has("hand")).toBe(false);
  });

  it("is not disturbed by what colleagues change meanwhile", async () => {
    await bench.play();
    bench.player.grasp(oars(), ["pan"]);
    await settle();
    const before = bench.asked.length;
    bench.desk.hear(
      bench.desk.told([{ part: "sources", key: "gulls", value: source("gulls", 1, { pan: 0.5 }) }]),
    );
    await settle();
    expect(bench.asked.length).toBe(before);
    bench.player.release(false);
  });
});
