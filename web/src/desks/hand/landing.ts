/** Moves from a file: what is in it, where each lane lands, heard as B, and written as one change. */
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";
import { postFile, type Schemas } from "@/api/http";
import { useAttempt } from "@/api/attempt";
import { useMoves } from "@/session/moves";
import { useSession } from "@/session/session";

export type Found = Schemas["FoundOut"];

/** A lane of the file, and where it lands; an owner that is empty leaves it out. */
export interface Row extends Found {
  owner: string;
  to: string;
}

export const useLanding = defineStore("landing", () => {
  const session = useSession();
  const moves = useMoves();
  const file = shallowRef<File | null>(null);
  const rows = ref<Row[]>([]);
  const over = ref<"stretch" | "all">("stretch");
  /** The bar on which the file's beginning lands. */
  const bar = ref(1);
  const draft = shallowRef<Schemas["DraftOut"] | null>(null);
  const { trouble, busy, attempt } = useAttempt();

  const base = computed(() => `/api/sessions/${session.id}/moves`);
  const landing = computed(() => rows.value.filter((one) => one.owner));
  const fields = (): Record<string, string> => ({ revision: String(session.revision) });

  const open = (chosen: File): Promise<boolean> =>
    attempt(async () => {
      leave();
      const found = await postFile<Found[]>(`${base.value}/found`, chosen, fields());
      file.value = chosen;
      rows.value = found.map((one) => ({
        ...one,
        owner: one.lands?.source ?? "",
        to: one.lands?.parameter ?? (one.parameter || "pan"),
      }));
    });

  /** See what would be written, and offer to hear it. */
  const look = (): Promise<boolean> =>
    attempt(async () => {
      moves.show(null);
      draft.value = null;
      const lands = landing.value.map(({ index, owner, to }) => ({ index, source: owner, parameter: to }));
      const start = session.grid.bars[bar.value - 1]?.times[0] ?? 0;
      const found = await postFile<Schemas["DraftOut"]>(`${base.value}/land`, file.value!, {
        ...fields(),
        lands: JSON.stringify(lands),
        over: over.value,
        at: String(start),
      });
      draft.value = found;
      moves.show(found);
    });

  function apply(): void {
    const found = draft.value;
    leave();
    if (found) moves.make(found);
  }

  function leave(): void {
    if (draft.value) moves.show(null);
    file.value = draft.value = null;
    rows.value = [];
    bar.value = 1;
    over.value = "stretch";
  }

  // What was looked at is not what would be written any more.
  watch([rows, over, bar], () => draft.value && (moves.show(null), (draft.value = null)), { deep: true });
  watch(() => session.id, leave);

  return { file, rows, over, bar, draft, trouble, busy, landing, open, look, apply, leave };
});
