/**
 * What the page is answered where the server cannot be reached: itself, as it was installed, and what it was told last of
 * its sessions. Nothing else is kept, and nothing that changes anything is answered here.
 */

/** Where the page's own files are, and where what the server has told last. */
export const [FILES, STATES] = ["needle-page", "needle-states"] as const;

const ID = "[0-9a-f-]{36}";
const STATE_PATHS = new RegExp(
  `^/api/(sign-in/options|preferences|library|sessions|sessions/${ID}(/frame)?)$`,
);
const FILE_PATHS = /^\/(assets\/|needle\.svg$)/;
const OTHER_PAGES = /^\/(api|admin|guide|live|static)\//;
/** So long (ms) the server is waited for before the page itself comes from here. */
const PATIENCE = 4000;
/** From this status on it is not the server that answers, but what stands before it. */
const UNREACHED = 502;

export type PageRequest = Pick<Request, "method" | "mode" | "url">;
type Fetch = (request: Request) => Promise<Response>;

/** What is asked for: the page, one of its files, something that is kept as it was told last, or nothing of ours. */
export function kindOf(request: PageRequest, origin: string): "page" | "file" | "state" | null {
  const url = new URL(request.url);
  if (request.method !== "GET" || url.origin !== origin) return null;
  if (FILE_PATHS.test(url.pathname)) return "file";
  if (STATE_PATHS.test(url.pathname)) return "state";
  if (request.mode === "navigate" && !OTHER_PAGES.test(`${url.pathname}/`)) return "page";
  return null;
}

/** A file of the page: they never change under their names. */
export async function answerFile(request: Request, files: Cache, ask: Fetch): Promise<Response> {
  return (await files.match(request.url)) ?? ask(request);
}

/** The page itself: the server's, unless it takes too long or is not there. */
export async function answerPage(request: Request, files: Cache, ask: Fetch): Promise<Response> {
  const installed = await files.match("/");
  if (!installed) return ask(request);
  const late = new Promise<Response>((answer) => setTimeout(() => answer(installed), PATIENCE));
  const fresh = ask(request).then((answer) => (answer.status < UNREACHED ? answer : installed));
  return Promise.race([fresh.catch(() => installed), late]);
}

/** What the server says now; where it cannot be reached, what it said last. What it refuses is forgotten. */
export async function answerState(request: Request, states: Cache, ask: Fetch): Promise<Response> {
  let answer: Response;
  try {
    answer = await ask(request);
  } catch (error) {
    const last = await states.match(request.url);
    if (last) return last;
    throw error;
  }
  if (answer.ok) await states.put(request.url, answer.clone());
  else if (answer.status >= UNREACHED) return (await states.match(request.url)) ?? answer;
  else if (answer.status !== 429) await states.delete(request.url);
  return answer;
}
