/** What the installed page answers where the server cannot be reached, and what it leaves alone. */
import { answerFile, answerPage, answerState, kindOf } from "@/offline/answers";

const HERE = "https://here.example";
const session = "00000000-0000-4000-8000-000000000001";

/** A browser's cache in memory. */
class Kept {
  readonly all = new Map<string, string>();
  put = async (url: string, answer: Response) => void this.all.set(url, await answer.text());
  delete = (url: string) => Promise.resolve(this.all.delete(url));
  match(url: string): Promise<Response | undefined> {
    const found = this.all.get(url);
    return Promise.resolve(found === undefined ? undefined : new Response(found));
  }
}

const request = (path: string) => new Request(HERE + path);
const gives =
  (status: number, body = "fresh") =>
  () =>
    Promise.resolve(new Response(body, { status }));
const away = () => Promise.reject(new TypeError("no line"));
let kept: Kept;
const cache = () => kept as unknown as Cache;
const text = async (answer: Promise<Response>) => (await answer).text();

beforeEach(() => void (kept = new Kept()));
afterEach(() => void vi.useRealTimers());

describe("the installed page", () => {
  it.each([
    ["/sessions/1/move", "navigate", "page"],
    ["/", "navigate", "page"],
    ["/guide/first/", "navigate", null],
    ["/admin", "navigate", null],
    ["/assets/index-abc.js", "no-cors", "file"],
    [`/api/sessions/${session}`, "cors", "state"],
    [`/api/sessions/${session}/frame`, "cors", "state"],
    [`/api/sessions/${session}/segments/3`, "cors", null],
    [`/api/sessions/${session}/operations`, "cors", null],
    ["/api/preferences", "cors", "state"],
    ["/api/people", "cors", null],
  ])("answers for %s (%s): %s", (path, mode, kind) => {
    expect(kindOf({ method: "GET", mode: mode as RequestMode, url: HERE + path }, HERE)).toBe(kind);
    expect(kindOf({ method: "POST", mode: mode as RequestMode, url: HERE + path }, HERE)).toBeNull();
    expect(
      kindOf({ method: "GET", mode: mode as RequestMode, url: "https://there.example" + path }, HERE),
    ).toBeNull();
  });

  it("has its files, and asks for those that it has not", async () => {
    const asked = request("/assets/a.js");
    expect(await text(answerFile(asked, cache(), gives(200)))).toBe("fresh");
    await kept.put(asked.url, new Response("installed"));
    expect(await text(answerFile(asked, cache(), away))).toBe("installed");
  });

  it("is the server's, unless that is not there, answers through something else, or takes too long", async () => {
    await kept.put("/", new Response("installed"));
    const asked = request("/sessions/1/move");
    expect(await text(answerPage(asked, cache(), gives(200)))).toBe("fresh");
    expect(await text(answerPage(asked, cache(), gives(500, "broken")))).toBe("broken");
    expect(await text(answerPage(asked, cache(), gives(502)))).toBe("installed");
    expect(await text(answerPage(asked, cache(), away))).toBe("installed");
    vi.useFakeTimers();
    const late = text(answerPage(asked, cache(), () => new Promise<Response>(() => undefined)));
    await vi.runAllTimersAsync();
    expect(await late).toBe("installed");
  });

  it("gives what the server said last where it says nothing now", async () => {
    const asked = request("/api/preferences");
    await expect(answerState(asked, cache(), away)).rejects.toThrow("no line");
    expect(await text(answerState(asked, cache(), gives(200)))).toBe("fresh");
    expect(await text(answerState(asked, cache(), away))).toBe("fresh");
    expect(await text(answerState(asked, cache(), gives(503, "down")))).toBe("fresh");
    expect(await text(answerState(asked, cache(), gives(200, "fresher")))).toBe("fresher");
    expect(await text(answerState(asked, cache(), gives(429, "slower")))).toBe("slower");
    expect(kept.all.get(asked.url)).toBe("fresher");
  });

  it.each([401, 403, 404])("forgets what is refused (%i)", async (status) => {
    const asked = request(`/api/sessions/${session}`);
    await answerState(asked, cache(), gives(200));
    expect((await answerState(asked, cache(), gives(status))).status).toBe(status);
    expect(kept.all.size).toBe(0);
  });
});
