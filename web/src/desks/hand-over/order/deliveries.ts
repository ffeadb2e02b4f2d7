/** What has been handed over of a session, by anybody: ordered, followed, stopped, taken away. */
import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { useLocalStorage, watchDebounced } from "@vueuse/core";
import { get, post, Refusal, remove, type Schemas } from "@/api/http";
import { useAttempt } from "@/api/attempt";
import { latest } from "@/api/latest";
import { useTolerance } from "@/audio/lean";
import { useSession } from "@/session/session";

export type Delivery = Schemas["DeliveryOut"];
/** What is ordered; what counts as leaning is set beside the Balance desk. */
export type Order = Required<Omit<Schemas["Order"], "tolerance_db" | "tolerance_seconds">>;
export type Offer = Schemas["OfferOut"];

const WHILE_MADE = 400;
const OTHERWISE = 4000;
const AFTER_TYPING = 150;

/** What is chosen at first: the mix as it is, and what somebody needs to go on with it. */
export const FIRST: Order = {
  mix: true,
  folds: [],
  stems: "",
  format: "wav-24",
  loudness: null,
  adm: false,
  moves: [],
  bundle: false,
  report: false,
  chart: false,
  pattern: "",
};

export const isOpen = (one: Delivery): boolean => ["waiting", "running"].includes(one.status);

/** 12.4 MB */
export function bytesText(bytes: number): string {
  if (bytes < 1e6) return `${Math.max(Math.round(bytes / 1e3), 1)} kB`;
  return bytes < 1e9 ? `${(bytes / 1e6).toFixed(1)} MB` : `${(bytes / 1e9).toFixed(2)} GB`;
}

export const useDeliveries = defineStore("deliveries", () => {
  const session = useSession();
  const tolerance = useTolerance();
  const rows = ref<Delivery[] | null>(null);
  const offer = ref<Offer | null>(null);
  const order = useLocalStorage<Order>("order", FIRST, { mergeDefaults: true });
  const passage = ref("");
  const { trouble, busy, attempt } = useAttempt();
  const turn = latest();
  let timer: ReturnType<typeof setTimeout> | undefined;
  let watched = false;

  const base = computed(() => `/api/sessions/${session.id}/deliveries`);
  const stretch = computed(() => {
    const part = session.passages.find((one) => one.id === passage.value);
    return part
      ? { start: session.grid.secondsOfBeat(part.start), end: session.grid.secondsOfBeat(part.end) }
      : {};
  });

  function put(found: Delivery): void {
    const others = (rows.value ?? []).filter((one) => one.id !== found.id);
    rows.value = [found, ...others].sort((a, b) => b.created_at.localeCompare(a.created_at));
  }

  async function look(): Promise<void> {
    clearTimeout(timer);
    const isLast = turn();
    try {
      const found = await get<Delivery[]>(base.value);
      if (isLast()) rows.value = found;
    } catch {
      /* away: what is made goes on, and is looked at again */
    }
    if (isLast() && watched)
      timer = setTimeout(() => void look(), rows.value?.some(isOpen) ? WHILE_MADE : OTHERWISE);
  }

  /** Follow everything that is made for as long as somebody looks. */
  async function arrive(): Promise<void> {
    watched = true;
    void look();
    void nameIt();
    offer.value ??= await get<Offer>(`${base.value}/offer`).catch(() => null);
    order.value.pattern ||= offer.value?.pattern ?? "";
  }

  function leave(): void {
    watched = false;
    clearTimeout(timer);
  }

  const wanted = (revision: number) => ({
    ...order.value,
    ...stretch.value,
    pattern: order.value.pattern || undefined,
    tolerance_db: tolerance.db,
    tolerance_seconds: tolerance.seconds,
    revision,
  });

  const make = (): Promise<boolean> =>
    attempt(async () => {
      put(await post<Delivery>(base.value, wanted(await session.settled())));
      void look();
    });

  /** What the mix would be called; or why nothing can be called so. */
  const called = ref({ name: "", trouble: "" });
  const turnOfName = latest();
  async function nameIt(): Promise<void> {
    const isLast = turnOfName();
    if (!session.id) return;
    const { pattern, format } = wanted(session.revision);
    const asked = { pattern, format, ...stretch.value, revision: session.revision };
    try {
      const { name } = await post<Schemas["NameOut"]>(`${base.value}/name`, asked);
      if (isLast()) called.value = { name, trouble: "" };
    } catch (error) {
      // Away: the name stands as it was, and is asked for again with the next change.
      if (isLast() && error instanceof Refusal) called.value = { name: "", trouble: error.message };
    }
  }
  watchDebounced(
    [() => order.value.pattern, () => order.value.format, stretch, () => session.revision, () => session.id],
    () => watched && nameIt(),
    { debounce: AFTER_TYPING },
  );

  const stop = (one: Delivery): Promise<boolean> =>
    attempt(async () => put(await post<Delivery>(`${base.value}/${one.id}/cancel`)));

  const discard = (one: Delivery): Promise<boolean> =>
    attempt(async () => {
      turn();
      rows.value = await remove<Delivery[]>(`${base.value}/${one.id}`);
      void look();
    });

  const fileAddress = (one: Delivery, index: number): string => `${base.value}/${one.id}/files/${index}`;
  const archiveAddress = (one: Delivery): string => `${base.value}/${one.id}/archive`;

  return {
    rows, offer, order, passage, called, trouble, busy, arrive, leave, make, stop, discard, fileAddress, archiveAddress,
  }; // prettier-ignore
});
