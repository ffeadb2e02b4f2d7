/** Something long that is asked of the server for this desk: how far it is, what it came to, or why it did not. */
import { onScopeDispose, ref, shallowRef } from "vue";
import { long } from "@/api/long";
import { useSession } from "@/session/session";

export function useMeasurement<T extends { done: number; revision: number }>(kind: string) {
  const session = useSession();
  const found = shallowRef<T | null>(null);
  const done = ref(1);
  const trouble = ref("");
  let abort = new AbortController();

  async function ask(query: Record<string, string>): Promise<void> {
    stop();
    if (!session.id) return;
    const { signal } = abort;
    done.value = 0;
    const given = new URLSearchParams({ revision: String(session.revision), ...query });
    try {
      const path = `/api/sessions/${session.id}/${kind}?${given}`;
      found.value = await long<T>(path, signal, (share) => (done.value = share));
    } catch (error) {
      if (signal.aborted) return;
      found.value = null;
      trouble.value = (error as Error).message;
    }
    if (!signal.aborted) done.value = 1;
  }

  /** Ask no more: the server gives up what nobody asks for. */
  function stop(): void {
    abort.abort();
    abort = new AbortController();
    trouble.value = "";
    done.value = 1;
  }

  function clear(): void {
    stop();
    found.value = null;
  }

  onScopeDispose(stop);
  return { found, done, trouble, ask, stop, clear };
}
