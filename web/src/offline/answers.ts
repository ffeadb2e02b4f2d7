/**
 * What the page is answered where the server cannot be reached: itself, as it was installed, and what it was told last of
 * its sessions. Nothing else is kept, and nothing that changes anything is answered here.
 */

/** Where the page's own files are, and where what the server has told last. */
export const [FILES, TOLD] = ["needle-page", "needle-told"] as const;

const ID = "[0-9a-f-]{36}";
const KEPT = new RegExp(`^/api/(sign-in/options|preferences|library|sessions|sessions/${ID}(/frame)?)$`);
const OURS = /^\/(assets\/|needle\.svg$)/;
const ELSEWHERE = /^\/(api|admin|guide|live|static)\//;
/** So long (ms) the server is waited for before the page itself comes from here. */
const PATIENCE = 4000;
/** From this status on it is not the server that answers, but what stands before it. */
const UNREACHED = 502;

export type Ask = Pick<Request, "method" | "mode" | "url">;
type Fetch = (request: Request) => Promise<Response>;

/** What is asked for: the page, one of its files, something that is kept as it was told last, or nothing of ours. */
export function kindOf(request: Ask, origin: string): "page" | "file" | "told" | null {
  const url = new URL(request.url);
  if (request.method !== "GET" || url.origin !== origin) return null;
  if (OURS.test(url.pathname)) return "file";
  if (KEPT.test(url.pathname)) return "told";
  if (request.mode === "navigate" && !ELSEWHERE.test(`${url.pathname}/`)) return "page";
  return null;
}

/** A file of the page: they never change under their names. */
export async function file(request: Request, files: Cache, ask: Fetch): Promise<Response> {
  return (await files.match(request.url)) ?? ask(request);
}

/** The page itself: the server's, unless it takes too long or is not there. */
export async function page(request: Request, files: Cache, ask: Fetch): Promise<Response> {
  const kept = await files.match("/");
  if (!kept) return ask(request);
  const late = new Promise<Response>((answer) => setTimeout(() => answer(kept), PATIENCE));
  const fresh = ask(request).then((answer) => (answer.status < UNREACHED ? answer : kept));
  return Promise.race([fresh.catch(() => kept), late]);
}

/** What the server says now; where it cannot be reached, what it said last. What it refuses is forgotten. */
export async function told(request: Request, kept: Cache, ask: Fetch): Promise<Response> {
  let answer: Response;
  try {
    answer = await ask(request);
  } catch (error) {
    const last = await kept.match(request.url);
    if (last) return last;
    throw error;
  }
  if (answer.ok) await kept.put(request.url, answer.clone());
  else if (answer.status >= UNREACHED) return (await kept.match(request.url)) ?? answer;
  else if (answer.status !== 429) await kept.delete(request.url);
  return answer;
}
