// @vitest-environment happy-dom
/** The server's messages, told in the page's words as the server itself would tell them. */
import { Refusal, post } from "@/api/http";
import { sentence, sentences, sentencesLoaded, words, type Message } from "@/words";

const message = (code: string, parameters: Record<string, unknown>, text = ""): Message => ({
  code,
  parameters,
  text,
});

beforeAll(() => sentencesLoaded);

describe("a message of the server", () => {
  it("is told from the catalogue, with numbers, lists and messages in it", () => {
    expect(sentence(message("session.channel_count", { most: 16 }))).toBe("A source has 1 to 16 channels.");
    expect(sentence(message("pan_law.unknown", { name: "sine", choices: ["a", "b"] }))).toBe(
      "There is no pan law “sine”. Choose a, b.",
    );
    const inner = message("session.gain_out_of_range", { gain: 90.000000001, low: -60, high: 24 });
    expect(sentence(message("session.named", { name: "Bell", reason: inner }))).toBe(
      "Bell: A gain of 90 dB is out of range. Choose -60 to 24 dB.",
    );
  });

  it("has a form for one and one for several, and keeps braces that belong to it", () => {
    const undone = (names: string[]): string =>
      sentence(message("edit.undone_in_part", { names, count: names.length }));
    expect(undone(["Olga"])).toContain("Olga has");
    expect(undone(["Olga", "Emil"])).toContain("Olga, Emil have");
    expect(sentence(message("export.unknown_name_word", { unknown: "bar", choices: ["{part}"] }))).toContain(
      "“{bar}”",
    );
  });

  it("is told by its text where the page does not know its code", () => {
    expect(sentences([message("not.known", {}, "Told anyway."), message("upload.empty", {})])).toBe(
      "Told anyway. That file is empty.",
    );
  });

  it("is what a refusal says, in the language of the page", async () => {
    words.global.mergeLocaleMessage("xx", { messages: { upload: { empty: "[Leer]" } } });
    words.global.locale.value = "xx" as "en";
    const body = { detail: "That file is empty.", code: "upload.empty", parameters: {}, hint: "x" };
    vi.stubGlobal("fetch", () => Promise.resolve(new Response(JSON.stringify(body), { status: 413 })));
    const refusal = (await post("/api/x").catch((error: unknown) => error)) as Refusal;
    words.global.locale.value = "en";
    expect([refusal.message, refusal.status, refusal.more]).toEqual(["[Leer]", 413, { hint: "x" }]);
  });
});
