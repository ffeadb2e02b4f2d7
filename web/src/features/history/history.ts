/** The session's history: read page by page, an earlier revision looked at and heard as B, put back. */
import { must } from "@/domain/must";
import type { Point } from "@/domain/model";
import { t } from "@/words";
import { useDebounceFn } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";
import { useAttempt } from "@/api/attempt";
import { get, post, remove, type Schemas } from "@/api/http";
import { latest } from "@/api/latest";
import { long } from "@/api/long";
import { useSession } from "@/session/session";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";

type Row = Schemas["HistoryRow"];

/** In place of hours: from a first day to a last one, both with their whole day. */
export const BETWEEN_DAYS = -1;

export const useHistory = defineStore("history", () => {
  const session = useSession();
  const monitor = useMonitor();
  const player = usePlayer();
  const rows = shallowRef<Row[]>([]);
  const more = ref(0);
  const author = ref(0);
  const source = ref("");
  /** From how long ago (hours); 0: from the beginning; or between days. */
  const hours = ref(0);
  const first = ref("");
  const last = ref("");
  const versions = ref<Schemas["VersionOut"][]>([]);
  const compared = shallowRef<Schemas["ComparedOut"] | null>(null);
  const { trouble, attempt, busy } = useAttempt();
  /** How far the matching of loudness is (0…1), and whether it came to an end. */
  const matching = ref(1);
  const matched = ref(false);
  let abort = new AbortController();
  const base = (): string => `/api/sessions/${session.id}`;

  /** The moments between which the rows are; days are those of this person's calendar. */
  function within(): [since: Date | null, until: Date | null] {
    if (hours.value === 0) return [null, null];
    if (hours.value !== BETWEEN_DAYS) return [new Date(Date.now() - hours.value * 3_600_000), null];
    const midnight = (day: string, after: number): Date | null => {
      if (!day) return null;
      const [year, month, date] = day.split("-").map(Number);
      return new Date(must(year), must(month) - 1, must(date) + after);
    };
    return [midnight(first.value, 0), midnight(last.value, 1)];
  }

  function query(before: number): string {
    const found = new URLSearchParams();
    if (before) found.set("before", String(before));
    if (author.value) found.set("author", String(author.value));
    if (source.value) found.set("source", source.value);
    const [since, until] = within();
    if (since) found.set("since", since.toISOString());
    if (until) found.set("until", until.toISOString());
    return String(found);
  }

  /** Whether the history is looked at at all. */
  const shown = ref(false);

  const readVersions = async (): Promise<void> => {
    versions.value = await get<Schemas["VersionOut"][]>(`${base()}/versions`);
  };

  const looking = latest();
  const catching = latest();
  /** Whether the list asked for is still the one that is wanted. */
  let isWanted = looking();
  /** The latest rows from the top; what is shown already stays until they are there. */
  const look = (): Promise<boolean> =>
    attempt(async () => {
      const isLast = (isWanted = looking());
      shown.value = true;
      const found = await get<Schemas["HistoryOut"]>(`${base()}/history?${query(0)}`);
      await readVersions();
      if (!isLast()) return;
      rows.value = found.rows;
      more.value = found.more;
    });

  /** What is new comes on top; who has gone back to read stays where they are. */
  const catchUp = (): Promise<boolean> =>
    attempt(async () => {
      const isLast = catching();
      const stillWanted = isWanted;
      const found = await get<Schemas["HistoryOut"]>(`${base()}/history?${query(0)}`);
      if (!isLast() || !stillWanted()) return;
      const oldest = found.rows.at(-1)?.revision ?? 0;
      const before = rows.value.filter((row) => row.revision < oldest);
      if (!before.length) more.value = found.more;
      rows.value = [...found.rows, ...before];
      if (compared.value) await compare(compared.value.revision);
    });

  const lookFurther = (): Promise<boolean> =>
    attempt(async () => {
      const stillWanted = isWanted;
      const found = await get<Schemas["HistoryOut"]>(`${base()}/history?${query(more.value)}`);
      if (!stillWanted()) return;
      rows.value = [...rows.value, ...found.rows];
      more.value = found.more;
    });

  watch([author, source, hours, first, last], () => shown.value && void look());

  const differences = (revision: number): Promise<Schemas["ComparedOut"]> =>
    get(`${base()}/history/${revision}/differences?revision=${session.revision}`);

  /** Look at a revision beside the present, and offer it as B: as loud as before until it has been matched anew. */
  async function compare(revision: number): Promise<void> {
    abort.abort();
    abort = new AbortController();
    const { signal } = abort;
    const found = await differences(revision);
    if (signal.aborted) return;
    compared.value = found;
    const lanes = new Map(Object.entries(found.lanes) as [string, Point[]][]);
    const offer = (by: number): void =>
      monitor.offerMoves(
        { words: [], lanes, title: `r${revision}`, earlier: { revision, trim: by } },
        monitor.comparing,
      );
    offer(monitor.moves?.earlier?.revision === revision ? trim.value : 0);
    void match(revision, signal, offer);
  }

  async function match(revision: number, signal: AbortSignal, offer: (by: number) => void): Promise<void> {
    matching.value = 0;
    matched.value = false;
    const span = player.roundSpan;
    const stretch = span ? `&start=${span.start}&end=${span.end}` : "";
    const path = `${base()}/history/${revision}/loudness-match?revision=${session.revision}${stretch}`;
    try {
      offer((await long<Schemas["MatchedOut"]>(path, signal, (done) => (matching.value = done))).trim);
      matched.value = true;
    } catch (error) {
      if (signal.aborted) return;
      trouble.value = t("history.theLoudnessCouldNotBe", { message: (error as Error).message });
    }
    matching.value = 1;
  }

  const choose = (revision: number): Promise<boolean> => attempt(() => compare(revision));

  function leave(): void {
    abort.abort();
    compared.value = null;
    matching.value = 1;
    if (monitor.moves?.earlier) monitor.offerMoves(null);
  }

  /** How much louder the revision is heard, so that it is as loud as the present (dB). */
  const trim = computed(() => monitor.moves?.earlier?.trim ?? 0);

  function restore(what: { source?: string; start?: number; end?: number }, said: string): void {
    const found = compared.value;
    if (!found) return;
    session.putBack(`history/${found.revision}/restore`, said, what);
    leave();
  }

  const lookAtVersions = (): Promise<boolean> => attempt(readVersions);

  const name = (revision: number | Promise<number>, called: string): Promise<boolean> =>
    attempt(async () => {
      await post(`${base()}/versions`, { revision: await revision, name: called });
      await readVersions();
    });

  const unname = (id: string): Promise<boolean> =>
    attempt(async () => {
      await remove(`${base()}/versions/${id}`);
      versions.value = versions.value.filter((one) => one.id !== id);
    });

  // While colleagues change things all the time, it is read now and then.
  const catchUpSoon = useDebounceFn(() => shown.value && void catchUp(), 300, { maxWait: 2000 });
  session.onRevised(() => void catchUpSoon());

  /** Nobody looks any more: nothing is asked for any more either. */
  function close(): void {
    leave();
    isWanted = looking();
    shown.value = false;
    rows.value = [];
  }
  watch(
    () => session.id,
    () => {
      close();
      versions.value = [];
      author.value = hours.value = 0;
      source.value = first.value = last.value = "";
    },
  );

  return {
    rows, more, author, source, hours, first, last, versions, compared, trouble, busy, matching, matched, trim,
    look, lookFurther, choose, leave, close, restore, name, unname, lookAtVersions,
  }; // prettier-ignore
});
