/** The list of one's sessions: searched, sorted, put away; copies, and sessions that come in as files. */
import { must } from "@/domain/must";
import { sentences, t } from "@/words";
import { useLocalStorage } from "@vueuse/core";
import { computed, reactive, ref } from "vue";
import { get, patch, post, remove, type Schemas } from "@/api/http";
import { useAttempt } from "@/api/attempt";
import { sendFile, type Sent } from "@/features/import/sending";

export type SessionRow = Schemas["SessionRow"];
export type Order = "name" | "changed" | "length" | "sources";
type Coming = Sent<Schemas["ImportOut"]>;

const BY: Record<Order, (a: SessionRow, b: SessionRow) => number> = {
  name: (a, b) => a.name.localeCompare(b.name, undefined, { numeric: true, sensitivity: "base" }),
  changed: (a, b) => b.changed_at.localeCompare(a.changed_at),
  length: (a, b) => b.length - a.length,
  sources: (a, b) => b.sources - a.sources,
};

/** Whether a session answers to every word: its name, and who is in it. */
export function answers(row: SessionRow, words: string): boolean {
  const told = [row.name, ...row.people.map((one) => one.name)].join(" ").toLowerCase();
  return words
    .toLowerCase()
    .split(/\s+/)
    .every((word) => told.includes(word));
}

export function useSessionList() {
  const rows = ref<SessionRow[] | null>(null);
  const words = ref("");
  const away = ref(false);
  const order = useLocalStorage<Order>("sessions-by", "changed");
  const backwards = useLocalStorage("sessions-backwards", false);
  const { trouble, busy, attempt } = useAttempt();
  /** A file that is to become a session. */
  const coming = ref<Coming | null>(null);

  const kept = computed(() => (rows.value ?? []).filter((one) => one.archived === away.value));
  const shown = computed(() => {
    const found = kept.value.filter((one) => answers(one, words.value)).sort(BY[order.value] ?? BY.changed);
    return backwards.value ? found.reverse() : found;
  });
  const putAway = computed(() => (rows.value ?? []).filter((one) => one.archived).length);

  /** Sessions that one is asked to come into. */
  const invitations = ref<Schemas["OwnInvitation"][]>([]);

  const look = (): Promise<boolean> =>
    attempt(async () => {
      rows.value = await get<SessionRow[]>("/api/sessions");
      invitations.value = await get<Schemas["OwnInvitation"][]>("/api/invitations");
    });

  /** Come in where one is asked to, or not. */
  const accept = (id: string): Promise<boolean> =>
    attempt(async () => {
      await post(`/api/invitations/${id}/accept`);
      await look();
    });
  const decline = (id: string): Promise<boolean> =>
    attempt(async () => {
      await remove(`/api/invitations/${id}`);
      await look();
    });

  /** Sort by something; once more turns it round. */
  function sortBy(wanted: Order): void {
    backwards.value = order.value === wanted && !backwards.value;
    order.value = wanted;
  }
  const sorted = (by: Order): "ascending" | "descending" | "none" => {
    if (order.value !== by) return "none";
    return (by === "name") !== backwards.value ? "ascending" : "descending";
  };

  const put = (row: SessionRow, wanted: boolean): Promise<boolean> =>
    attempt(async () => {
      rows.value = await patch<SessionRow[]>(`/api/sessions/${row.id}/membership`, { archived: wanted });
      if (!putAway.value) away.value = false;
    });

  /** Delete a session of one's own for everybody. */
  const destroy = (row: SessionRow): Promise<boolean> =>
    attempt(async () => {
      await remove(`/api/sessions/${row.id}`);
      rows.value = (rows.value ?? []).filter(({ id }) => id !== row.id);
    });

  async function copy(row: SessionRow): Promise<string> {
    let made = "";
    await attempt(async () => {
      const name = t("sessions.nameCopy", { name: row.name.slice(0, 112) });
      made = (await post<Schemas["Started"]>(`/api/sessions/${row.id}/copy`, { name })).id;
    });
    return made;
  }

  /** Open a file as a session; its id and what to know of it, or nothing if it was refused or stopped. */
  async function open(file: File): Promise<{ id: string; notes: string } | null> {
    const one = reactive<Coming>({
      base: "/api/imports", file, status: "receiving", share: 0, trouble: "", notice: "", upload: null,
    }) as Coming; // prettier-ignore
    coming.value = one;
    trouble.value = "";
    try {
      await sendFile(one);
    } catch (error) {
      if (one.status !== "cancelled") trouble.value = (error as Error).message;
    }
    coming.value = null;
    if (one.status === "failed") trouble.value = one.trouble;
    const id = one.upload?.session;
    return id
      ? { id, notes: [one.notice, sentences(must(one.upload).messages)].filter(Boolean).join(" ") }
      : null;
  }

  async function stop(): Promise<void> {
    const one = coming.value;
    if (!one) return;
    one.status = "cancelled";
    coming.value = null;
    if (one.upload) await post(`${one.base}/${one.upload.id}/cancel`).catch(() => undefined);
  }

  return {
    rows, invitations, accept, decline, shown, kept, putAway, words, away, trouble, busy, coming, look, sortBy, sorted, put, destroy, copy, open, stop,
  }; // prettier-ignore
}
