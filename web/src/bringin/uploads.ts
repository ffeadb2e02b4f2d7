/** Files on their way in: sent part by part, gone on with after a lost connection, followed while they are read. */
import { defineStore } from "pinia";
import { computed, reactive } from "vue";
import { get, post, postBytes, Refusal, Unreachable, type Schemas } from "@/api/http";
import { freshId, operation, together, useEdits } from "@/session/edits";
import { useSession } from "@/session/session";
import { INKS } from "@/ui/theme";

export interface Arrival {
  key: number;
  /** Where its session takes files; a file stays with the session that it was given to. */
  base: string;
  file: File;
  name: string;
  /** From "waiting" on it follows the server's own words. */
  status: string;
  share: number;
  trouble: string;
  upload: Schemas["UploadOut"] | null;
  asset: Schemas["AssetOut"] | null;
  /** Channels kept together, or each a mono source of its own. */
  split: boolean;
  start: number;
  gain: boolean;
}

const AT_ONCE = 2;
const AGAIN_AFTER = 1000;
const LOOK_EVERY = 200;

/** "03_Lead Vox.L.wav" → "Lead Vox.L". */
export const sourceName = (file: string): string => {
  const plain = file.replace(/\.[a-z0-9]{2,4}$/i, "").replace(/_/g, " ");
  return plain.replace(/^\s*\d{1,3}[\s.-]+(?=\S)/, "").trim() || plain || "Source";
};

export const useArrivals = defineStore("arrivals", () => {
  const session = useSession();
  const edits = useEdits();
  const arrivals = reactive<Arrival[]>([]);
  let key = 0;
  let running = 0;

  const ready = computed(() => arrivals.filter((one) => one.status === "ready"));
  const open = computed(() =>
    arrivals.some((one) => ["waiting", "receiving", "reading", "away"].includes(one.status)),
  );

  function take(files: Iterable<File>): void {
    for (const file of files)
      arrivals.push({
        key: (key += 1), base: `/api/sessions/${session.id}/uploads`, file, name: sourceName(file.name), status: "waiting", share: 0, trouble: "", upload: null,
        asset: null, split: false, start: 0, gain: true,
      }); // prettier-ignore
    next();
  }

  function next(): void {
    for (const one of arrivals) {
      if (running >= AT_ONCE) return;
      if (one.status === "waiting") void bring(one);
    }
  }

  async function bring(one: Arrival): Promise<void> {
    running += 1;
    one.status = "receiving";
    try {
      one.upload ??= await patiently(one, () =>
        post<Schemas["UploadOut"]>(one.base, { name: one.file.name, size: one.file.size }),
      );
      await sendParts(one);
      await follow(one);
    } catch (error) {
      if (one.status !== "cancelled") fail(one, error as Error);
    } finally {
      running -= 1;
      next();
    }
  }

  function fail(one: Arrival, error: Error): void {
    one.status = "failed";
    one.trouble = error.message;
  }

  /** Ask again for as long as the server cannot be reached. */
  async function patiently<T>(one: Arrival, ask: () => Promise<T>): Promise<T> {
    for (;;) {
      try {
        const found = await ask();
        if (one.status === "away") one.status = "receiving";
        return found;
      } catch (error) {
        if (!(error instanceof Unreachable) || cancelled(one)) throw error;
        one.status = "away";
        await new Promise((resolve) => setTimeout(resolve, AGAIN_AFTER));
      }
    }
  }

  const cancelled = (one: Arrival): boolean => one.status === "cancelled";

  async function sendParts(one: Arrival): Promise<void> {
    while (one.upload!.received < one.file.size && one.upload!.status === "receiving") {
      if (cancelled(one)) throw new Error("Stopped.");
      const at = one.upload!.received;
      const part = one.file.slice(at, at + one.upload!.part_bytes);
      const path = `${one.base}/${one.upload!.id}`;
      try {
        one.upload = await patiently(one, () =>
          postBytes<Schemas["UploadOut"]>(`${path}/parts?offset=${at}`, part),
        );
      } catch (error) {
        // The part had arrived and only its answer was lost: go on from where the server is.
        if (!(error instanceof Refusal) || error.status !== 409) throw error;
        const there = await patiently(one, () => get<Schemas["UploadOut"]>(path));
        if (there.received === at && there.status === "receiving") throw error;
        one.upload = there;
      }
      one.share = one.upload!.received / one.file.size;
    }
  }

  async function follow(one: Arrival): Promise<void> {
    for (;;) {
      const found = await patiently(one, () => get<Schemas["UploadOut"]>(`${one.base}/${one.upload!.id}`));
      if (cancelled(one)) return;
      one.upload = found;
      one.status = found.status;
      one.share = found.progress;
      one.trouble = found.message;
      if (found.status !== "reading") {
        one.asset = found.asset ?? null;
        return;
      }
      await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY));
    }
  }

  async function stop(one: Arrival): Promise<void> {
    one.status = "cancelled";
    if (one.upload) await post(`${one.base}/${one.upload.id}/cancel`).catch(() => undefined);
  }

  function again(one: Arrival): void {
    Object.assign(one, { status: "waiting", share: 0, trouble: "", upload: null, asset: null });
    next();
  }

  function drop(one: Arrival): void {
    arrivals.splice(arrivals.indexOf(one), 1);
  }

  /** The session is left: what is still on its way is stopped, and nothing is taken along. */
  function leave(): void {
    for (const one of arrivals.splice(0))
      if (!["ready", "failed", "cancelled"].includes(one.status)) void stop(one);
  }

  /** Everything that is ready becomes sources, as one change. */
  function intoSession(): void {
    let order = Math.max(-1, ...session.sources.map((source) => source.order));
    let ink = session.sources.length;
    const operations = ready.value.flatMap((one) => {
      const { id: asset, channels, seconds, character } = one.asset!;
      const parts = one.split ? Array.from({ length: channels }, (_, i) => i) : [0];
      return parts.map((first) => {
        order += 1;
        ink += 1;
        const count = one.split ? 1 : channels;
        const name = one.split ? `${one.name} ${partName(first, channels)}` : one.name;
        return operation("add-source", {
          source: {
            id: freshId(name), name, ink: (ink - 1) % INKS.length, order, asset, channels: count, first, seconds,
            start: one.start, gain: one.gain ? character.gain : 0, level: 0, muted: false,
            mode: count === 1 ? "pan" : count === 2 ? "balance" : "span", pan: 0,
          },
        } as never); // prettier-ignore
      });
    });
    if (!operations.length) return;
    const what = operations.length === 1 ? "1 source brought in" : `${operations.length} sources brought in`;
    edits.make(together(what, operations));
    for (const one of [...ready.value]) drop(one);
  }

  const partName = (index: number, channels: number): string =>
    channels === 2 ? ["left", "right"][index]! : String(index + 1);

  return { arrivals, ready, open, take, stop, again, drop, intoSession, leave };
});
