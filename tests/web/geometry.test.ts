/** Numbers and times as engineers write them, lanes looked up in tables, and the chart's axes. */
import type { Point, ShapeTables } from "@/domain/model";
import { axisFor, labelled } from "@/ui/drawing/axis";
import { partOf, widthTo } from "@/domain/ends";
import { lanePath, laneValue, pointBefore } from "@/domain/lanes";
import {
  clamp,
  decibels,
  leanText,
  levelText,
  OFF_DB,
  panText,
  parseBeats,
  parseLevel,
  parsePan,
  sideClass,
} from "@/domain/format";
import { FACES, tidy } from "@/domain/parameters";
import { clockText, Grid } from "@/domain/grid";

const steps = 65;
const shares = Array.from({ length: steps }, (_, i) => i / (steps - 1));
const tables: ShapeTables = {
  steps,
  shapes: {
    hold: [shares.map(() => 0)],
    straight: [shares],
    ease: [shares.map((x) => x * x * (3 - 2 * x))],
  },
};
const point = (t: number, value: number, shape: Point["shape"] = "straight"): Point => ({
  t,
  value,
  shape,
  tension: 0,
});

describe("the length of a cycle", () => {
  it("is typed in beats, as a note, dotted, in triplets, or in bars", () => {
    const typed = ["1.5", "1/8", "1/6", "2/3", "1/8t", "1/4.", "1/4d", "2b", "1 bar", ".5", "0.25 beats"];
    const beats = [1.5, 0.5, 2 / 3, 8 / 3, 1 / 3, 1.5, 1.5, 6, 3, 0.5, 0.25];
    typed.forEach((text, i) => expect(parseBeats(text, 3), text).toBeCloseTo(beats[i]!, 9));
    for (const wrong of ["", "x", "1/0", "1/8x", "-1", "b"]) expect(parseBeats(wrong, 4)).toBeNull();
  });
});

describe("pan", () => {
  it("is written as L, C, R", () => {
    expect([-1, -0.31, 0, 0.0004, 0.5, 1].map(panText)).toEqual(["L100", "L31", "C", "C", "R50", "R100"]);
  });

  it.each([
    ["L30", -0.3],
    ["30L", -0.3],
    ["-30", -0.3],
    ["r30", 0.3],
    [" 30 R ", 0.3],
    ["30", 0.3],
    ["c", 0],
    ["C", 0],
    ["100", 1],
  ])("understands %s", (text, value) => expect(parsePan(text)).toBeCloseTo(value));

  it.each(["", "left", "L", "L30R", "101", "L200", "3O", "1e9"])("refuses “%s”", (text) =>
    expect(parsePan(text)).toBeNull(),
  );

  it("reads back what it writes", () => {
    for (let whole = -100; whole <= 100; whole += 1)
      expect(parsePan(panText(whole / 100))).toBeCloseTo(whole / 100);
  });
});

describe("level", () => {
  it("is written in decibels, or as off", () => {
    expect([-8, -5.5, 0, 3, OFF_DB].map(levelText)).toEqual(["−8 dB", "−5.5 dB", "0 dB", "+3 dB", "off"]);
  });

  it("is read back, with either minus", () => {
    for (const level of [-96, -30, -8.5, 0, 3, 12]) expect(parseLevel(levelText(level))).toBe(level);
    expect(parseLevel("-8,5")).toBeNull();
    expect(parseLevel("13")).toBeNull();
    expect(parseLevel("-97")).toBeNull();
    expect(parseLevel("loud")).toBeNull();
  });

  it("is rounded to whole units by hand only", () => {
    expect(tidy("level", -7.26)).toBe(-7.5);
    expect(tidy("level", 40)).toBe(12);
    expect(tidy("pan", 0.123)).toBe(0.12);
    expect(tidy("pan", 0.29)).toBe(0.29);
    expect(FACES.level.parse("-7.3")).toBe(-7.3);
  });
});

describe("a lean", () => {
  it("is told with its side", () => {
    expect([1.72, -0.3, 0.01, null, Number.NaN].map(leanText)).toEqual([
      "R 1.7 dB",
      "L 0.3 dB",
      "even",
      "–",
      "–",
    ]);
    expect([-1, 0, 1, null].map(sideClass)).toEqual(["side-left", "", "side-right", ""]);
    expect(decibels(-0.04)).toBe("0.0");
    expect(clamp(3, -1, 1)).toBe(1);
  });
});

describe("the grid", () => {
  const bars = [
    { bar: 1, times: [0, 0.5, 1, 1.5], beat: 0, unit: 4 },
    { bar: 2, times: [2, 2.5, 3, 3.5], beat: 4, unit: 4 },
    { bar: 3, times: [4, 4.25, 4.5, 4.75, 5, 5.25], beat: 8, unit: 8 },
  ];
  const grid = new Grid(bars, 5.5);

  it("writes bars and beats, and reads them back", () => {
    expect([0, 0.5, 1.25, 3.5, 4.25, 3.999].map((at) => grid.text(at))).toEqual([
      "1.1",
      "1.2",
      "1.3.50",
      "2.4",
      "3.2",
      "3.1",
    ]);
    expect(grid.parse("2.3")).toBe(3);
    expect(grid.parse("2")).toBe(2);
    expect(grid.parse("1.3.50")).toBe(1.25);
    // The bar after the last begins where the piece ends.
    expect(grid.parse("4")).toBe(5.5);
    expect([grid.parse("4.2"), grid.parse("1.5"), grid.parse("one"), grid.parse("")]).toEqual([
      null,
      null,
      null,
      null,
    ]);
  });

  it("snaps to parts of the beat that sounds, or to nothing", () => {
    expect(grid.snap(0.61, 4)).toBeCloseTo(0.625);
    expect(grid.snap(0.68, 3)).toBeCloseTo(0.5 + 1 / 6);
    expect(grid.snap(4.3, 1)).toBe(4.25);
    expect(grid.snap(0.61, 0)).toBe(0.61);
    expect(grid.snap(9, 4)).toBe(5.5);
  });

  it("goes by lines and by bars, and stays in the piece", () => {
    expect(grid.step(0.5, 1, 4)).toBeCloseTo(0.625);
    expect(grid.step(0, -1, 4)).toBe(0);
    expect([grid.barFrom(2.7, 1), grid.barFrom(2.7, -1), grid.barFrom(0, -1), grid.barFrom(5, 4)]).toEqual([
      4, 0, 0, 4,
    ]);
  });

  it("knows where beats of the piece fall through a change of metre", () => {
    expect([0, 4, 5, 8, 8.5, 11, 40].map((beat) => grid.secondsOfBeat(beat))).toEqual([
      0, 2, 2.5, 4, 4.25, 5.5, 5.5,
    ]);
  });

  it("says nothing wrong of an empty piece", () => {
    const empty = new Grid([], 0);
    expect(empty.text(0)).toBe("1.1");
    expect(empty.secondsOfBeat(3)).toBe(0);
    expect(empty.snap(1, 4)).toBe(1);
  });

  it("goes from seconds to quarter notes and back, and finds the nearest bar", () => {
    [0, 0.7, 1.9, 2.3, 4.4].forEach((at) =>
      expect(grid.secondsOfBeat(grid.quarterAt(at))).toBeCloseTo(at, 5),
    );
    expect(grid.nearestBar(1.2)).toBe(2);
    expect(grid.nearestBar(5.4)).toBe(5.5);
  });

  it("writes the clock", () => {
    expect([0, 43.66, 61.05, 599.99].map(clockText)).toEqual(["0:00.0", "0:43.6", "1:01.0", "9:59.9"]);
  });
});

describe("the part of the field that a side stands over", () => {
  it("lies about its place, as far as the field has room", () => {
    expect(partOf(0.2, 0)).toBeUndefined();
    expect(partOf(0.25, 0.5)).toEqual({ from: -0.25, to: 0.75 });
    expect(partOf(-1, 0.5)).toEqual({ from: -1, to: 0 });
    expect(partOf(0.7, 1)).toEqual({ from: -1, to: 1 });
  });

  it("reaches as far as one of its ends is pulled", () => {
    for (const at of [-1, -0.6, 0, 0.3, 1])
      for (const reach of [-1, -0.8, 0.1, 0.9, 1]) {
        const part = partOf(at, widthTo(at, reach)) ?? { from: at, to: at };
        expect(reach < at ? part.from : part.to).toBeCloseTo(reach, 9);
      }
  });
});

describe("a lane", () => {
  const points = [point(1, -1, "ease"), point(2, 1, "hold"), point(3, 0), point(3, 0.5), point(4, -0.5)];

  it("holds before and after, and follows its shapes between", () => {
    const values = [0, 1, 1.5, 2, 2.9, 3, 3.5, 4, 9].map((at) => laneValue(tables, points, at));
    const wanted = [-1, -1, 0, 1, 1, 0.5, 0, -0.5, -0.5];
    values.forEach((value, i) => expect(value).toBeCloseTo(wanted[i]!, 6));
  });

  it("finds the point before a time", () => {
    expect([0.5, 1, 2.5, 3, 9].map((at) => pointBefore(points, at))).toEqual([-1, 0, 1, 3, 4]);
  });

  it("is drawn with its jumps, within what is asked", () => {
    const path = lanePath(tables, points, 0, 5, 0.25);
    const times = path.map(([at]) => at);
    expect(times).toEqual([...times].sort((a, b) => a - b));
    expect(path.at(0)).toEqual([0, -1]);
    expect(path.at(-1)).toEqual([5, -0.5]);
    expect(path.filter(([at]) => at === 3).map(([, value]) => value)).toEqual([1, 0, 0.5]);
    const part = lanePath(tables, points, 1.4, 1.6, 0.05);
    expect(part.every(([at]) => at >= 1.4 && at <= 1.6)).toBe(true);
  });
});

describe("the axis", () => {
  it("has left at the left, the centre in the middle, and goes both ways", () => {
    const axis = axisFor("pan", 720);
    expect(axis.x(0)).toBeCloseTo((axis.x(-1) + axis.x(1)) / 2);
    for (const pan of [-1, -0.4, 0, 0.7, 1]) expect(axis.value(axis.x(pan))).toBeCloseTo(pan);
    expect(axis.ticks.map((tick) => tick.label).join(" ")).toBe("L100 L75 L50 L25 C R25 R50 R75 R100");
    expect(axis.value(-500)).toBe(-1);
  });

  it("has a scale of its own for levels, least at the left", () => {
    const axis = axisFor("level", 720);
    const places = [-96, -48, -24, 0, 12].map(axis.x);
    expect(places).toEqual([...places].sort((a, b) => a - b));
    expect(axis.value(axis.x(-12))).toBeCloseTo(-12);
    expect([labelled(720, 1), labelled(390, 1), labelled(390, 2)]).toEqual([true, false, true]);
  });
});
