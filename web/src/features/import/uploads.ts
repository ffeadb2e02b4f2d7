/** Files on their way in, and the sources that become of them. */
import { must } from "@/domain/must";
import { t } from "@/words";
import { defineStore } from "pinia";
import { computed, reactive } from "vue";
import { post, type Schemas } from "@/api/http";
import { freshId, operation, batch, useEdits } from "@/session/edits";
import { useSession } from "@/session/session";
import { INKS } from "@/ui/theme";
import { sendFile, type Sent } from "./sending";

export interface Arrival extends Sent {
  key: number;
  name: string;
  asset: Schemas["AssetOut"] | null;
  /** Channels kept together, or each a mono source of its own. */
  split: boolean;
  start: number;
  gain: boolean;
}

const AT_ONCE = 2;

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
  /** What the server says of the room that is left, once it becomes little. */
  const notice = computed(() => arrivals.findLast((one) => one.notice)?.notice ?? "");
  const open = computed(() =>
    arrivals.some((one) => ["waiting", "receiving", "reading", "away"].includes(one.status)),
  );

  function take(files: Iterable<File>): void {
    for (const file of files)
      arrivals.push({
        key: (key += 1), base: `/api/sessions/${session.id}/uploads`, file, name: sourceName(file.name), status: "waiting", share: 0, trouble: "", notice: "", upload: null,
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
      await sendFile(one);
      one.asset = must(one.upload).asset ?? null;
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
      const { id: asset, channels, seconds, character } = must(one.asset);
      const parts = one.split ? Array.from({ length: channels }, (_, i) => i) : [0];
      return parts.map((first) => {
        order += 1;
        ink += 1;
        const count = one.split ? 1 : channels;
        const name = one.split ? `${one.name} ${partName(first, channels)}` : one.name;
        return operation("add-source", {
          source: {
            id: freshId(name), name, colour: (ink - 1) % INKS.length, order, asset, channels: count, first_channel: first, seconds,
            start: one.start, gain: one.gain ? character.gain : 0, level: 0, muted: false,
            mode: count === 1 ? "pan" : count === 2 ? "balance" : "span", pan: 0,
          },
        }); // prettier-ignore
      });
    });
    if (!operations.length) return;
    const what = t("uploads.sourcesImported", { count: operations.length }, operations.length);
    edits.make(batch(what, operations));
    for (const one of [...ready.value]) drop(one);
  }

  const partName = (index: number, channels: number): string =>
    channels === 2 ? must(["left", "right"][index]) : String(index + 1);

  return { arrivals, ready, notice, open, take, stop, again, drop, intoSession, leave };
});
