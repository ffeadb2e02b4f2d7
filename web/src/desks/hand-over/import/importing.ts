/** Moves from a file: what is in it, where each lane lands, heard as B, and written as one change. */
import { must } from "@/domain/must";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";
import { postFile, type Schemas } from "@/api/http";
import { useAttempt } from "@/api/attempt";
import { useMoves } from "@/session/moves";
import { useSession } from "@/session/session";

export type Found = Schemas["ImportedLane"];
export type Landable = Schemas["DestinationOut"];

/** A lane of the file, and where it lands; an owner that is empty leaves it out. */
export interface Row extends Found {
  owner: string;
  to: string;
}

export const useImporting = defineStore("landing", () => {
  const session = useSession();
  const moves = useMoves();
  const file = shallowRef<File | null>(null);
  const rows = ref<Row[]>([]);
  /** Everything on which a lane can land, with what is heard of it. */
  const places = shallowRef<Landable[]>([]);
  const over = ref<"stretch" | "all">("stretch");
  /** The bar on which the file's beginning lands. */
  const bar = ref(1);
  const draft = shallowRef<Schemas["DraftOut"] | null>(null);
  const { trouble, busy, attempt } = useAttempt();

  const base = computed(() => `/api/sessions/${session.id}/moves`);
  const landing = computed(() => rows.value.filter((one) => one.owner));
  const fields = async (): Promise<Record<string, string>> => ({ revision: String(await session.settled()) });

  const open = (chosen: File): Promise<boolean> =>
    attempt(async () => {
      leave();
      const preview = await postFile<Schemas["LanesOut"]>(
        `${base.value}/import/preview`,
        chosen,
        await fields(),
      );
      file.value = chosen;
      places.value = preview.places;
      rows.value = preview.lanes.map((lane) => ({
        ...lane,
        owner: lane.lands?.owner ?? "",
        to: lane.lands?.parameter ?? lane.parameter,
      }));
    });

  /** As what a lane can land where it lands now: what is heard there, and what it was meant for. */
  function parametersOf(row: Row): string[] {
    const offered = places.value.find(({ owner }) => owner === row.owner)?.parameters ?? [];
    const intended = row.lands?.owner === row.owner ? [row.lands.parameter] : [];
    return [...new Set([...offered, ...intended])];
  }

  /** A lane lands elsewhere; as what it was there, if that can be. */
  function land(row: Row, owner: string): void {
    row.owner = owner;
    const possible = parametersOf(row);
    row.to =
      [row.parameter, row.to].find((parameter) => possible.includes(parameter)) ?? possible[0] ?? row.to;
  }

  /** See what would be written, and offer to hear it. */
  const look = (): Promise<boolean> =>
    attempt(async () => {
      moves.show(null);
      draft.value = null;
      const lands = landing.value.map(({ index, owner, to }) => ({ index, owner, parameter: to }));
      const start = session.grid.bars[bar.value - 1]?.times[0] ?? 0;
      const written = await postFile<Schemas["DraftOut"]>(`${base.value}/import`, must(file.value), {
        ...(await fields()),
        lands: JSON.stringify(lands),
        over: over.value,
        at: String(start),
      });
      draft.value = written;
      moves.show(written);
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
    places.value = [];
    bar.value = 1;
    over.value = "stretch";
  }

  // What was looked at is not what would be written any more.
  watch([rows, over, bar], () => draft.value && (moves.show(null), (draft.value = null)), { deep: true });
  watch(() => session.id, leave);

  return {
    file,
    rows,
    places,
    over,
    bar,
    draft,
    trouble,
    busy,
    landing,
    parametersOf,
    open,
    land,
    look,
    apply,
    leave,
  };
});
