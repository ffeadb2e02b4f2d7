/** Freezing sources in the background: how far it is, and stopping it. */
import { sentences } from "@/words";
import type { Source } from "@/domain/model";
import { defineStore } from "pinia";
import { reactive } from "vue";
import { get, post, type Schemas } from "@/api/http";
import { say } from "@/ui/say";
import { operation } from "./edits";
import { useSession } from "./session";

type Freezing = Schemas["FreezeOut"];

/** How often it is asked how far it is (ms). */
const ASK_EVERY = 300;
const OPEN = ["waiting", "running"];

export const useFreezing = defineStore("freezing", () => {
  const session = useSession();
  const going = reactive(new Map<string, Freezing>());

  async function freeze(source: Source): Promise<void> {
    const base = `/api/sessions/${session.id}`;
    try {
      const revision = await session.settled();
      let found = await post<Freezing>(`${base}/sources/${source.id}/freeze`, { revision });
      while (OPEN.includes(found.status)) {
        going.set(source.id, found);
        await new Promise((done) => setTimeout(done, ASK_EVERY));
        found = await get<Freezing>(`${base}/freezes/${found.id}`);
      }
      if (found.status === "failed") say.wrong(sentences(found.messages));
    } catch (error) {
      say.wrong((error as Error).message);
    } finally {
      going.delete(source.id);
    }
  }

  async function stop(source: Source): Promise<void> {
    const found = going.get(source.id);
    if (!found) return;
    try {
      await post(`/api/sessions/${session.id}/freezes/${found.id}/cancel`);
    } catch (error) {
      say.wrong((error as Error).message);
    }
  }

  const thaw = (source: Source): void =>
    session.change(
      {},
      operation("freeze-source", { source: source.id, frozen_asset: "", frozen_fingerprint: "" }),
    );

  return { going, freeze, stop, thaw };
});
