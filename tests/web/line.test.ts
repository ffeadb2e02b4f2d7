/** What the line carries, and in which form sound comes because of that. */
import { useLine } from "@/audio/line";
import { wishedForm } from "@/domain/sound";

describe("the line", () => {
  let now: number;
  let resources: Partial<PerformanceResourceTiming>[];

  beforeEach(() => {
    [now, resources] = [100_000, []];
    wishedForm.value = "auto";
    vi.spyOn(performance, "now").mockImplementation(() => now);
    vi.spyOn(performance, "getEntriesByType").mockImplementation(() => resources as PerformanceEntryList);
  });
  afterEach(() => void vi.restoreAllMocks());

  const stereo = () => useLine(() => ({ channels: 2, rate: 48000 }));

  /** Bodies of half a second come over a line that carries so many bit/s. */
  function carry(line: ReturnType<typeof useLine>, speed: number, seconds: number): void {
    for (let i = 0; i < 2 * seconds; i += 1) {
      const bytes = Math.max(line.need(line.form.value) / 16, 5000);
      line.note({ bytes, from: now, to: now + (8000 * bytes) / speed });
      now += 500;
    }
  }

  it("begins with what the page itself has shown of it", () => {
    for (const [speed, form] of [[40e6, "float"], [4.4e6, "flac"], [0.8e6, "opus-256"], [0.5e6, "opus-160"], [0.1e6, "opus-96"]] as const) {
      const line = stereo();
      resources = [{ transferSize: 50_000, responseStart: 1000, responseEnd: 1000 + 400_000_000 / speed }];
      line.begin();
      expect(line.form.value).toBe(form);
    }
  }); // prettier-ignore

  it("begins lightly where nothing is known, and takes what it carries as soon as that is seen", () => {
    const line = stereo();
    line.begin();
    expect(line.form.value).toBe("opus-160");
    carry(line, 50e6, 1);
    expect(line.form.value).toBe("float");
  });

  it("goes lighter at once, and heavier only after a while", () => {
    const line = stereo();
    resources = [{ transferSize: 50_000, responseStart: 1000, responseEnd: 1010 }];
    line.begin();
    carry(line, 1e6, 6);
    expect(line.form.value).toMatch(/^opus/);
    now += 10_000;
    const changes: string[] = [];
    for (let i = 0; i < 30; i += 1) {
      carry(line, 50e6, 0.5);
      if (changes.at(-1) !== line.form.value) changes.push(line.form.value);
    }
    expect(changes.at(-1)).toBe("float");
    expect(changes.length).toBeLessThan(4);
  });

  it("does not sway between two forms at a border", () => {
    const line = stereo();
    resources = [{ transferSize: 50_000, responseStart: 1000, responseEnd: 1010 }];
    line.begin();
    let changes = 0;
    for (let i = 0; i < 120; i += 1) {
      const before = line.form.value;
      carry(line, i % 2 ? 5.4e6 : 4.8e6, 0.5);
      if (before !== line.form.value) changes += 1;
    }
    expect(changes).toBeLessThan(3);
  });

  it("counts what comes side by side as one, and pays no heed to crumbs", () => {
    const line = stereo();
    line.note({ bytes: 3000, from: 0, to: 1 });
    expect(line.speed.value).toBeNull();
    line.note({ bytes: 100_000, from: 0, to: 100 });
    line.note({ bytes: 100_000, from: 0, to: 100 });
    expect(line.speed.value).toBeCloseTo(16e6);
  });

  it("steps down where sound ran out, stays there, and says where even the lightest is too much", () => {
    const line = stereo();
    resources = [{ transferSize: 50_000, responseStart: 1000, responseEnd: 1010 }];
    line.begin();
    now += 5000;
    line.lacked();
    expect(line.form.value).toBe("flac");
    carry(line, 50e6, 20);
    expect(line.form.value).toBe("flac");
    expect(line.tooSlow.value).toBe(false);
    carry(line, 0.06e6, 10);
    expect([line.form.value, line.tooSlow.value]).toEqual(["opus-96", true]);
  });

  it("is as one wishes", () => {
    const line = stereo();
    line.begin();
    wishedForm.value = "flac";
    expect(line.form.value).toBe("flac");
    expect(line.need("opus-96")).toBeLessThan(line.need("opus-256"));
  });
});
