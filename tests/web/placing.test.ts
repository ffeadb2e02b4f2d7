/** Where ends stand and what dragging one changes, a held source's ways to both sides, and names that leave room. */
import { sourceName } from "@/features/import/uploads";
import { laidOut, type Named } from "@/desks/place/labels";
import { channelPlaces, dragged, endsOf, type Look } from "@/domain/ends";
import { parsePercent, percentText } from "@/domain/format";
import { handTaps, type HandReading } from "@/audio/heldSource";

const looking =
  (values: Record<string, number>): Look =>
  (parameter) =>
    values[parameter] ?? 0;

describe("ends", () => {
  const sides = looking({ pan_left: -0.4, pan_right: 0.7 });
  const span = looking({ pan: 0.5, span: 0.8 });

  it("are one place, two sides, or a span within the field", () => {
    expect(endsOf("pan", looking({ pan: -0.3 }))).toEqual([{ side: "whole", at: -0.3 }]);
    expect(endsOf("balance", looking({ pan: 0.2 }))).toHaveLength(1);
    expect(endsOf("sides", sides).map((end) => end.at)).toEqual([-0.4, 0.7]);
    const [left, right] = endsOf("span", span);
    expect(left!.at).toBeCloseTo(-0.3);
    expect(right!.at).toBe(1);
  });

  it("a negative span exchanges its sides", () => {
    const [left, right] = endsOf("span", looking({ pan: 0, span: -0.5 }));
    expect([left!.at, right!.at]).toEqual([0.5, -0.5]);
  });

  it("dragging an end of a span leaves the other where it is", () => {
    const narrow = looking({ pan: 0.1, span: 0.4 });
    const values = dragged("span", "right", 0.9, narrow);
    const [left, right] = endsOf("span", looking(values));
    expect(left!.at).toBeCloseTo(-0.3);
    expect(right!.at).toBeCloseTo(0.9);
    const crossed = dragged("span", "left", 0.8, narrow);
    expect(crossed.span).toBeLessThan(0);
  });

  it("dragging the whole of two sides moves both, as far as the field goes", () => {
    const values = dragged("sides", "whole", 0.65, sides);
    expect(values.pan_left).toBeCloseTo(0.1);
    expect(values.pan_right).toBe(1);
    expect(dragged("sides", "left", -2, sides)).toEqual({ pan_left: -1 });
  });

  it("every channel of a wide source has a place of its own", () => {
    const places = channelPlaces("span", 5, looking({ pan: 0, span: 1 }));
    expect(places).toEqual([-1, -0.5, 0, 0.5, 1]);
    expect(channelPlaces("mono", 3, looking({ pan: 0.3 }))).toEqual([0.3, 0.3, 0.3]);
  });
});

describe("a held source", () => {
  const gains = {
    positions: 3,
    law: [
      [1, 0],
      [0.7, 0.7],
      [0, 1],
    ],
    balance: [
      [1, 0],
      [1, 1],
      [0, 1],
    ],
    levels: [0, 1],
  };
  const rowOf = (channel: number) => ({ channel, most: 1, taps: [{ offset: 0, gain: 1 }] });
  const reading: HandReading = {
    two_sided: false, rows: [rowOf(0)], room: null, weights: [1], table: "law", on_its_side: false, share: 1, here: 1, opposite: 0, most: 0, far: false,
    monitor: [[1, 0], [0, 1]],
  }; // prettier-ignore

  it("is as strong as the core's table says, on both sides", () => {
    expect(handTaps(reading, gains, [-1], 48000).map((tap) => tap.gain)).toEqual([1, 0]);
    expect(handTaps({ ...reading, weights: [0.5] }, gains, [0], 48000)[1]!.gain).toBeCloseTo(0.35);
  });

  it("stays on its own side where it is balanced", () => {
    const balance: HandReading = {
      ...reading,
      rows: [0, 1].map(rowOf),
      weights: [1, 1],
      table: "balance",
      on_its_side: true,
    };
    const taps = handTaps(balance, gains, [1, 1], 48000);
    expect(taps.map((tap) => tap.gain)).toEqual([0, 0, 0, 1]);
  });

  it("is heard opposite too where it is doubled", () => {
    const taps = handTaps({ ...reading, here: 0.5, opposite: 0.25 }, gains, [1], 48000);
    expect(taps.map((tap) => tap.gain)).toEqual([0.25, 0.5]);
  });

  it("of a side that has a width has it about the place that the hand gives it", () => {
    const beside = [{ offset: 0.5, gain: 2 }, { offset: -0.5, gain: -2 }]; // prettier-ignore
    const rows = [
      { ...rowOf(0), most: 0.5 },
      { channel: 0, most: 0.5, taps: beside },
    ];
    const taps = handTaps({ ...reading, rows }, gains, [-1], 48000);
    expect(taps.map((tap) => tap.input)).toEqual([0, 0, 1, 1, 1, 1]);
    // It stands no farther out than half way: from there to the centre and to the end.
    expect(taps.slice(2).map((tap) => tap.gain)).toEqual([1.4, 1.4, -2, -0]);
  });

  it("arrives later on the far side where timing tells its place", () => {
    const timing: HandReading = { ...reading, share: 0, most: 0.001, far: true };
    const [left, right] = handTaps(timing, gains, [0.5], 48000);
    expect([left!.delay, right!.delay]).toEqual([24, 0]);
    expect([left!.gain, right!.gain]).toEqual([0.7, 0.7]);
    const both = handTaps({ ...timing, far: false }, gains, [-1], 48000);
    expect(both.map((tap) => tap.delay)).toEqual([0, 48]);
  });

  it("reaches the ears as this person listens: in mono half of each side on both", () => {
    const mono = [[0.5, 0.5], [0.5, 0.5]]; // prettier-ignore
    const taps = handTaps({ ...reading, share: 0, most: 0.001, far: true, monitor: mono }, gains, [1], 48000);
    const at = (output: number) => taps.filter((tap) => tap.output === output && tap.gain);
    expect(at(0).map((tap) => [tap.gain, tap.delay])).toEqual(at(1).map((tap) => [tap.gain, tap.delay]));
    expect(at(0).map((tap) => tap.delay)).toEqual([48, 0]);
    expect(at(0).reduce((sum, tap) => sum + tap.gain, 0)).toBeCloseTo(0.7);
  });
});

describe("names in the field", () => {
  const named = (id: string, x: number, y: number, first = false, quiet = false): Named => ({
    id, text: `Source ${id}`, x, left: x, y, first, quiet,
  }); // prettier-ignore
  const box = (text: string, label: { x: number; y: number; anchor: string }) => {
    const long = text.length * 6.7;
    const left =
      label.anchor === "start" ? label.x : label.anchor === "end" ? label.x - long : label.x - long / 2;
    return { left, right: left + long, top: label.y - 7, bottom: label.y + 7 };
  };

  it("do not cover each other, and stay inside", () => {
    const names = [0, 1, 2, 3, 4, 5].map((i) =>
      named(String(i), 300 + (i % 3) * 30, 200 + Math.floor(i / 3) * 26),
    );
    const found = laidOut(names, 720, 40, 600);
    const boxes = names.map((one) => box(one.text, found.get(one.id)!));
    boxes.forEach((a, i) =>
      boxes.slice(i + 1).forEach((b) => {
        const apart = a.right <= b.left || b.right <= a.left || a.bottom <= b.top || b.bottom <= a.top;
        expect(apart).toBe(true);
      }),
    );
    const edge = laidOut([named("edge", 712, 100)], 720, 40, 600).get("edge")!;
    expect(edge.anchor).toBe("end");
  });

  it("quiet ones give way where there is no room", () => {
    const crowd = Array.from({ length: 40 }, (_, i) => named(String(i), 200 + i * 3, 580, false, true));
    expect(laidOut(crowd, 720, 560, 600).size).toBeLessThan(40);
  });
});

describe("words", () => {
  it("a file's name becomes a source's", () => {
    expect(sourceName("03_Lead Vox.wav")).toBe("Lead Vox");
    expect(sourceName("12 - Snare top.flac")).toBe("Snare top");
    expect(sourceName("808.wav")).toBe("808");
  });

  it("shares are written and read as percentages", () => {
    expect(percentText(-0.5)).toBe("−50 %");
    expect(parsePercent("80 %", 0, 2)).toBe(0.8);
    expect(parsePercent("−50", -1, 1)).toBe(-0.5);
    expect(parsePercent("300", 0, 2)).toBeNull();
    expect(parsePercent("wide", 0, 2)).toBeNull();
  });
});
