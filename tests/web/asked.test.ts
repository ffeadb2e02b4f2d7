/** What is asked of the server: one answer for all, the last question counts, and a server that is away is asked again. */
import { effectScope, nextTick, ref, type EffectScope } from "vue";
import { questions, useAsked } from "@/api/asked";
import { useAccount } from "@/account/account";
import { createPinia, setActivePinia } from "pinia";

// There is no page here on which paper could be laid.
vi.mock("@/ui/palette", async (original) => ({ ...(await original<object>()), layPaper: () => undefined }));

interface Request {
  path: string;
  aborted: () => boolean;
  answer: (body: unknown, status?: number) => Promise<void>;
  lose: () => Promise<void>;
}

describe("a question", () => {
  let scope: EffectScope;
  let requests: Request[];
  const paths = (): string[] => requests.map((request) => request.path);

  async function settle(): Promise<void> {
    for (let i = 0; i < 20; i += 1) await nextTick();
    await vi.advanceTimersByTimeAsync(1);
  }
  function ask<Answer>(...given: Parameters<typeof useAsked<Answer>>): ReturnType<typeof useAsked<Answer>> {
    return scope.run(() => useAsked<Answer>(...given))!;
  }

  beforeEach(() => {
    vi.useFakeTimers();
    vi.stubGlobal("document", { cookie: "" });
    [requests, scope] = [[], effectScope()];
    vi.stubGlobal(
      "fetch",
      (path: string, { signal }: RequestInit) =>
        new Promise<Response>((resolve, reject) => {
          signal?.addEventListener("abort", () => reject(new DOMException("left", "AbortError")));
          requests.push({
            path,
            aborted: () => !!signal?.aborted,
            answer: async (body, status = 200) => {
              resolve(new Response(JSON.stringify(body), { status }));
              await settle();
            },
            lose: async () => {
              reject(new TypeError("no line"));
              await settle();
            },
          });
        }),
    );
  });
  afterEach(() => {
    scope.stop();
    questions.clear();
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  it("is asked once for all who ask it, and only while there is one", async () => {
    const path = ref<string | null>(null);
    const [one, other] = [ask<number>(() => path.value), ask<number>(() => path.value)];
    await one.again();
    await settle();
    expect(paths()).toEqual([]);
    path.value = "/a";
    await settle();
    await requests[0]!.answer(3);
    expect([one.answer.value, other.answer.value, paths()]).toEqual([3, 3, ["/a"]]);
  });

  it("is left for the next one, whose answer alone counts; the answer before stays if it is to", async () => {
    const path = ref("/a");
    const [fresh, steady] = [ask<number>(() => path.value), ask<number>(() => path.value, { keeps: true })];
    await settle();
    await requests[0]!.answer(1);
    path.value = "/b";
    await settle();
    expect([fresh.answer.value, steady.answer.value, steady.late.value]).toEqual([undefined, 1, true]);
    path.value = "/c";
    await settle();
    expect(requests[1]!.aborted()).toBe(true);
    await requests[2]!.answer(3);
    expect([fresh.answer.value, steady.answer.value, steady.late.value]).toEqual([3, 3, false]);
  });

  it("is asked again while the server is away, and a refusal is told", async () => {
    const { answer, trouble } = ask<number>(() => "/a");
    await settle();
    await requests[0]!.lose();
    expect([answer.value, trouble.value]).toEqual([undefined, ""]);
    await vi.advanceTimersByTimeAsync(1000);
    await requests[1]!.answer({ detail: "That file is empty." }, 422);
    await vi.advanceTimersByTimeAsync(5000);
    expect([trouble.value, paths().length]).toEqual(["That file is empty.", 2]);
  });

  it("rests until it has stood for a while, and is asked anew when what it depends on has changed", async () => {
    const [at, revision] = [ref(0), ref(1)];
    ask<number>(() => `/at/${at.value}`, { rests: 100, whenever: () => revision.value });
    await settle();
    await requests[0]!.answer(0);
    for (at.value = 1; at.value < 5; at.value += 1) await settle();
    expect(paths()).toEqual(["/at/0"]);
    await vi.advanceTimersByTimeAsync(150);
    expect(paths()).toEqual(["/at/0", "/at/5"]);
    await requests[1]!.answer(5);
    revision.value = 2;
    await settle();
    expect(paths()).toEqual(["/at/0", "/at/5", "/at/5"]);
  });

  it("is forgotten with whoever asked it: the next person is shown nothing of it", async () => {
    setActivePinia(createPinia());
    const account = useAccount();
    account.me = { id: 1, username: "rowan", name: "Rowan" };
    ask<number>(() => "/mine");
    await settle();
    await requests.find((request) => request.path === "/mine")!.answer(7);
    expect(questions.getQueryCache().getAll()).toHaveLength(1);
    account.me = null;
    await settle();
    expect(questions.getQueryCache().getAll()).toHaveLength(0);
  });
});
