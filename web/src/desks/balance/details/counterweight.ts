/** The counterweight in the making: who may give way and how far, what was worked out, and how it is applied. */
import { must } from "@/domain/must";
import type { Parameter } from "@/domain/model";
import { defineStore } from "pinia";
import { computed, reactive, ref, shallowRef, watch } from "vue";
import type { Schemas } from "@/api/http";
import { long } from "@/api/long";
import { parametersOf } from "@/domain/ends";
import { operation, batch, useEdits } from "@/session/edits";
import { useLibrary } from "@/session/library";
import { useTolerance } from "@/audio/lean";
import { useSession } from "@/session/session";
import { useMonitor } from "@/audio/monitor";
import { useCauses } from "@/audio/causes";
import { useStretch } from "@/desks/balance/overview/stretch";

export interface Giver {
  level: number;
  place: number;
}

export const useCounterweight = defineStore("counterweight", () => {
  const session = useSession();
  const library = useLibrary();
  const tolerance = useTolerance();
  const monitor = useMonitor();
  const causes = useCauses();
  const chosen = useStretch();
  const edits = useEdits();

  /** Who may give way, once somebody has said so; until then those that pull. */
  const said = reactive(new Map<string, Giver>());
  const own = ref(false);
  const found = shallowRef<Schemas["CounterweightFound"] | null>(null);
  /** The revision that it was worked out for, and how far it is (0…1; 1 when nothing is under way). */
  const of = ref(-1);
  const done = ref(1);
  const trouble = ref("");
  let abort = new AbortController();

  const usual = computed<Giver>(() => ({
    level: library.library?.giving.level ?? 0,
    place: library.library?.giving.place ?? 0,
  }));
  const givers = computed<Map<string, Giver>>(() =>
    own.value
      ? new Map([...said].filter(([id]) => session.document?.sources[id]))
      : new Map(causes.pulling.map((id) => [id, usual.value])),
  );
  const stale = computed(() => found.value !== null && of.value !== session.revision);

  function setGiver(id: string, giver: Giver | null): void {
    if (!own.value) {
      said.clear();
      for (const [one, limits] of givers.value) said.set(one, { ...limits });
      own.value = true;
    }
    if (giver) said.set(id, giver);
    else said.delete(id);
  }

  /** Leave it to those that pull again. */
  function leaveToCauses(): void {
    own.value = false;
    said.clear();
  }

  /** Work it out for the stretch that is looked into, or for all that lean. */
  async function workOut(all: boolean): Promise<void> {
    stop();
    const everywhere = all || chosen.number < 0;
    const { signal } = abort;
    const [revision, { start, end }] = [session.revision, chosen.stretch];
    done.value = 0;
    const query = new URLSearchParams({
      revision: String(revision),
      givers: [...givers.value].map(([id, giver]) => `${id}:${giver.level}:${giver.place}`).join(","),
      start: everywhere ? "0" : start.toFixed(3),
      end: everywhere ? "0" : end.toFixed(3),
      ...tolerance.query,
    });
    try {
      const path = `/api/sessions/${session.id}/counterweight?${query}`;
      const answer = await long<Schemas["CounterweightOut"]>(path, signal, (share) => (done.value = share));
      found.value = answer.counterweight;
      of.value = revision;
      monitor.offer(
        must(found.value).changes.length
          ? { changes: must(found.value).changes, trim: must(found.value).trim }
          : null,
      );
    } catch (error) {
      if (signal.aborted) return;
      trouble.value = (error as Error).message;
    }
    done.value = 1;
  }

  /** Stop working it out, and forget what was. */
  function stop(): void {
    abort.abort();
    abort = new AbortController();
    done.value = 1;
    trouble.value = "";
    found.value = null;
    monitor.offer(null);
  }

  /** One change of everything that it proposes. */
  function apply(): void {
    if (!found.value) return;
    const operations = found.value.changes.flatMap(({ source, level, place }) => {
      const row = must(must(session.document).sources[source]);
      const places = (["pan", "pan_left", "pan_right"] as Parameter[]).filter((one) =>
        parametersOf(row).includes(one),
      );
      return [
        ...(level ? [operation("shift-values", { sources: [source], parameter: "level", by: level })] : []),
        ...(place
          ? places.map((one) => operation("shift-values", { sources: [source], parameter: one, by: place }))
          : []),
      ];
    });
    edits.make(batch("Counterweight", operations));
    stop();
  }

  watch(() => session.id, () => (stop(), leaveToCauses())); // prettier-ignore
  watch([() => chosen.stretch.start, () => chosen.stretch.end], stop);
  // What was worked out for an earlier revision is neither heard nor applied.
  watch(stale, (now) => now && monitor.offer(null));

  return { givers, own, usual, found, stale, done, trouble, setGiver, leaveToCauses, workOut, stop, apply };
});
