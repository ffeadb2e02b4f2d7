/** The chart: what is drawn of crowded lines, bands and waves, how near one looks, two fingers, points that crowd. */
import { axisFor } from "@/ui/drawing/axis";
import { beatSeconds, paintPaper, placing } from "@/ui/drawing/paint";
import { paintLine, paintLook, paintWay, type Line, type Scene } from "@/ui/drawing/paintLines";
import { usePinch } from "@/desks/move/chart/pinch";
import { bent, reshaped } from "@/desks/move/chart/shapes";
import { useChartView } from "@/session/view";
import { Grid } from "@/domain/grid";
import { endsOfSend, kindAndId, ownerAndParameter } from "@/domain/owners";
import { Desk, source } from "./desk";

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));

/** A canvas that remembers the corners of what is stroked and filled on it. */
class Sheet {
  paths: { kind: "stroke" | "fill"; corners: [number, number][]; colour: string; alpha: number }[] = [];
  texts: string[] = [];
  rects: number[][] = [];
  globalAlpha = 1;
  strokeStyle = "";
  fillStyle = "";
  private corners: [number, number][] = [];
  beginPath(): void {
    this.corners = [];
  }
  moveTo(x: number, y: number): void {
    this.corners.push([x, y]);
  }
  lineTo(x: number, y: number): void {
    this.corners.push([x, y]);
  }
  rect(...box: number[]): void {
    this.rects.push(box);
  }
  setLineDash(): void {}
  fillText(text: string): void {
    this.texts.push(text);
  }
  stroke(): void {
    this.paths.push({
      kind: "stroke",
      corners: this.corners,
      colour: this.strokeStyle,
      alpha: this.globalAlpha,
    });
  }
  fill(): void {
    this.paths.push({ kind: "fill", corners: this.corners, colour: this.fillStyle, alpha: this.globalAlpha });
  }
}

const bars = Array.from({ length: 16 }, (_, i) => ({
  bar: i + 1, times: [0, 0.5, 1, 1.5].map((at) => i * 2 + at), beat: i * 4, unit: 4,
})); // prettier-ignore

const scene = (values: Partial<Scene> = {}): Scene => ({
  width: 700,
  height: 400,
  top: 0,
  scale: 20,
  axis: axisFor("pan", 700),
  grid: new Grid(bars, 32),
  length: 32,
  lean: null,
  shapes: { steps: 3, shapes: { ease: [[0, 0.5, 1]], straight: [[0, 0.5, 1]], hold: [[0, 0, 0]] } },
  ...values,
});
const line = (values: Partial<Line>): Line => ({
  colour: "#123456", chosen: false, silent: false, points: [], value: 0, shift: 0, ...values,
}); // prettier-ignore
const point = (t: number, value: number, shape = "straight") => ({ t, value, shape, tension: 0 }) as never;
const painted = (act: (sheet: CanvasRenderingContext2D) => void): Sheet => {
  const sheet = new Sheet();
  act(sheet as unknown as CanvasRenderingContext2D);
  return sheet;
};

describe("a line on the paper", () => {
  const across = axisFor("pan", 700).x;

  it("goes through its points, left at the left, and stays where it has none", () => {
    const sheet = painted((on) => paintLine(on, scene(), line({ points: [point(2, -1), point(6, 1)] })));
    const [{ corners }] = sheet.paths as [Sheet["paths"][0]];
    expect(corners).toContainEqual([across(-1), 40]);
    expect(corners).toContainEqual([across(1), 120]);
    const still = painted((on) => paintLine(on, scene(), line({ value: 0.5, shift: 0.25 })));
    expect(still.paths[0]!.corners.every(([x]) => x === across(0.75))).toBe(true);
  });

  it("shows of crowded points how far they go in each row, and loses no extreme", () => {
    const points = Array.from({ length: 4000 }, (_, i) => point(i / 200, Math.sin(i * 1.7) * 0.5));
    points[2001] = point(2001 / 200, 0.93);
    const sheet = painted((on) => paintLine(on, scene(), line({ points })));
    const [{ corners }] = sheet.paths as [Sheet["paths"][0]];
    expect(corners.length).toBeLessThan(500);
    expect(Math.max(...corners.map(([x]) => x))).toBeCloseTo(across(0.93));
    const downwards = corners.slice(1).every(([, y], i) => y >= corners[i]![1]);
    expect(downwards).toBe(true);
  });

  it("is kept faintly where its automation is off, beside the place that holds", () => {
    const off = line({ points: [point(2, -1), point(6, 1)], value: 0.2, off: true });
    const [kept, holds] = painted((on) => paintLine(on, scene(), off)).paths;
    expect(kept!.alpha).toBeLessThan(holds!.alpha);
    expect(new Set(holds!.corners.map(([x]) => x))).toEqual(new Set([across(0.2)]));
  });

  it("carries its waveform, left to the left and right to the right, only where it sounds", () => {
    const wave = { start: 5, perSecond: 10, channels: [Array(20).fill(1), Array(20).fill(0.5)] };
    const { rects } = painted((on) => paintLine(on, scene(), line({ value: 0, wave })));
    expect(rects.length).toBeGreaterThan(15);
    for (const [x, y, width] of rects) {
      expect(across(0) - x!).toBeCloseTo(26);
      expect(width).toBeCloseTo(39);
      expect(y!).toBeGreaterThanOrEqual(100 - 2);
      expect(y!).toBeLessThanOrEqual(140);
    }
  });

  it("covers the band between its ends where it is spread", () => {
    const spread = line({ value: 0.5 });
    const { paths } = painted((on) => paintLine(on, scene(), line({ value: 0, spread })));
    const band = paths.find((one) => one.kind === "fill")!;
    expect(Math.min(...band.corners.map(([x]) => x))).toBeCloseTo(across(-0.5));
    expect(Math.max(...band.corners.map(([x]) => x))).toBeCloseTo(across(0.5));
  });

  it("shows looks over it, and a hand's way in steps", () => {
    const look = painted((on) => paintLook(on, scene(), [point(1, 0), point(3, 1)], 0, "#aa0000"));
    expect(look.paths.map((one) => one.colour)).toEqual(["#f7f3e8", "#aa0000"]);
    const steps = painted((on) => paintWay(on, scene(), [[1, 0], [2, 1]], 0, "#aa0000", true)); // prettier-ignore
    expect(steps.paths[0]!.corners).toEqual([[across(0), 20], [across(0), 40], [across(1), 40]]); // prettier-ignore
  });
});

describe("the paper", () => {
  it("numbers its bars, tells the clock, and shows the grid's parts where there is room", () => {
    const near = painted((on) => paintPaper(on, scene({ scale: 60, parts: 3, clock: (at) => `${at}s` })));
    expect(near.texts).toContain("1");
    expect(near.texts).toContain("2s");
    const far = painted((on) => paintPaper(on, scene({ scale: 4, parts: 3 })));
    expect(far.paths.length).toBeLessThan(near.paths.length);
    expect(far.texts.length).toBeLessThan(16);
    expect(beatSeconds(scene().grid)).toBe(0.5);
    expect(placing(scene({ top: 1 }))(2)).toBe(20);
  });
});

describe("how near one looks", () => {
  it("fits a stretch, zooms about a place, and follows two fingers", async () => {
    await new Desk({ sources: { oars: source("oars", 0) } }, 60).open();
    const view = useChartView();
    view.height = 424;
    view.fit(2, 6);
    expect(view.scale).toBe(100);
    expect(view.top).toBeCloseTo(2 - 0.12);
    const under = view.top + 200 / view.scale;
    view.zoom(0.5, 200);
    expect(view.top + 200 / view.scale).toBeCloseTo(under);
    const pinch = usePinch();
    const finger = (pointerId: number, clientX: number, clientY: number) =>
      ({ pointerId, clientX, clientY, pointerType: "touch" }) as PointerEvent;
    pinch.down(finger(1, 0, 100));
    expect(pinch.move(finger(1, 0, 110), 0)).toBe(false);
    pinch.down(finger(2, 0, 210));
    expect(pinch.two()).toBe(true);
    const before = view.scale;
    expect(pinch.move(finger(2, 0, 310), 0)).toBe(true);
    expect(view.scale).toBeCloseTo(before * 2);
    pinch.up(finger(1, 0, 0));
    expect(pinch.two()).toBe(false);
    vi.unstubAllGlobals();
  });
});

describe("names and shapes", () => {
  it("tells what a lane belongs to", () => {
    expect(kindAndId("oars")).toEqual(["source", "oars"]);
    expect(kindAndId("send:oars/hull")).toEqual(["send", "oars/hull"]);
    expect(endsOfSend("oars/hull")).toEqual(["oars", "hull"]);
    expect(ownerAndParameter("send:oars/hull/level")).toEqual(["send:oars/hull", "level"]);
  });

  it("makes a point whole again when it is reshaped, and bends it within its limits", () => {
    const cut = { t: 0, value: 0, shape: "ease" as const, tension: 0, shape_start: 0.2, shape_end: 0.7 };
    expect(reshaped(cut, "straight")).toMatchObject({ shape: "straight", shape_start: 0, shape_end: 1 });
    expect(bent(cut, 0.1)).toMatchObject({ shape: "curve", tension: 0.1 });
    expect(bent({ ...cut, shape: "curve", tension: 1 }, 0.1).tension).toBe(1);
    expect(bent({ ...cut, shape: "curve", tension: 0.1 }, -0.2).tension).toBe(-0.1);
  });
});
