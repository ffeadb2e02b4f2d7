/** The lean through the whole piece: asked of the server after each change, filled in as it becomes known. */
import { defineStore } from "pinia";
import { shallowRef, watch } from "vue";
import { get, type Schemas } from "@/api/http";
import { useSession } from "./session";

/** What is heard goes first (ms). */
const AFTER_CHANGE = 250;

export const useLean = defineStore("lean", () => {
  const session = useSession();
  const lean = shallowRef<Schemas["LeanOut"] | null>(null);
  let abort = new AbortController();
  let timer: ReturnType<typeof setTimeout> | undefined;

  async function ask(): Promise<void> {
    abort.abort();
    abort = new AbortController();
    const { signal } = abort;
    try {
      for (;;) {
        const path = `/api/sessions/${session.id}/lean?revision=${session.revision}`;
        const found = await get<Schemas["LeanOut"]>(path, signal);
        if (signal.aborted) return;
        if (found.done >= 1 || !lean.value || lean.value.done < 1) lean.value = found;
        if (found.done >= 1) return;
      }
    } catch {
      /* aborted, or the connection is down: the next revision or reconnection asks again */
    }
  }

  watch(
    () => [session.id, session.revision, session.connected] as const,
    ([id], [before]) => {
      if (id !== before) lean.value = null;
      clearTimeout(timer);
      abort.abort();
      if (id) timer = setTimeout(() => void ask(), AFTER_CHANGE);
    },
  );

  return { lean };
});
