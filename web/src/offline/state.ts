/** What the page keeps of sessions for when the server cannot be reached; and that it may be opened at all then. */
import { useThrottleFn } from "@vueuse/core";
import type { Schemas } from "@/api/http";
import { STATES } from "./answers";

/** The state of a session is kept this often (ms) at the most. */
const KEPT_EVERY = 3000;

const hasCaches = (): boolean => typeof caches !== "undefined" && !!globalThis.navigator?.serviceWorker;

/** Keep what is needed to open the page without the server. Browsers let only secure pages do so. */
export async function install(): Promise<void> {
  if (!hasCaches()) return;
  // One that cannot be installed is missed by nobody who has a line.
  await navigator.serviceWorker.register("/worker.js").catch(() => undefined);
}

/** When (ms) all was forgotten last. */
let forgottenAt = -Infinity;

const keep = useThrottleFn(
  async (session: string, state: Schemas["OpenSession"], at: number): Promise<void> => {
    if (!hasCaches() || !navigator.serviceWorker.controller || at < forgottenAt) return;
    const answer = new Response(JSON.stringify(state), { headers: { "Content-Type": "application/json" } });
    const states = await caches.open(STATES);
    await states.put(new URL(`/api/sessions/${session}`, location.origin).href, answer);
  },
  KEPT_EVERY,
  true,
);

/** Keep a session as it is now. */
export const keepState = (session: string, state: Schemas["OpenSession"]): void =>
  void keep(session, state, performance.now());

/** Forget all that was told: somebody else may be here next. */
export async function forget(): Promise<void> {
  forgottenAt = performance.now();
  if (hasCaches()) await caches.delete(STATES);
}
