/**
 * The shared session as this browser knows it: the document at its latest revision, what is held by hands
 * here and elsewhere, who is present, and changes on their way.
 */
import { message } from "ant-design-vue";
import { defineStore } from "pinia";
import { computed, reactive, ref, shallowRef } from "vue";
import { get, type Schemas } from "@/api/http";
import { laneValue, type Point, type ShapeTables } from "@/geometry/lanes";
import { Grid } from "@/geometry/time";
import { LiveChannel, type Incoming, type Person, type Revision } from "@/live/channel";
import { Outbox, type Operation } from "@/live/outbox";

export type Source = Schemas["SourceOut"];
export type Passage = Schemas["PassageOut"];
export type Parameter = "pan" | "level";

export interface GainTable {
  positions: number;
  modes: Record<string, number[][]>;
}

interface Pending {
  value: number | boolean | Point[];
  /** Ids of the operations that carry it; none while the hand still holds it. */
  ids: Set<string>;
}

const PREVIEW_EVERY = 1000 / 30;

export const useSession = defineStore("session", () => {
  const id = ref("");
  const revision = ref(0);
  const role = ref("listener");
  const document = shallowRef<Schemas["DocumentOut"] | null>(null);
  const grid = shallowRef(new Grid([], 0));
  const shapes = shallowRef<ShapeTables>({ steps: 2, shapes: {} });
  const gains = shallowRef<GainTable>({ positions: 2, modes: {} });
  const connected = ref(false);
  const lost = ref("");
  const waiting = ref(0);
  /** How many changes of this hand were refused: what showed or sounded of them is taken back. */
  const refusals = ref(0);
  const me = ref<Person | null>(null);
  const people = reactive(new Map<string, Person>());
  /** What this hand holds or has let go but not yet seen come back, by thing. */
  const pending = reactive(new Map<string, Pending>());
  /** What colleagues hold, by thing. */
  const previews = reactive(new Map<string, { value: number; tab: string }>());

  let channel: LiveChannel | undefined;
  let outbox: Outbox;
  const early = new Map<number, Revision>();
  let lastPreview = 0;
  let laterPreview: ReturnType<typeof setTimeout> | undefined;

  const mayEdit = computed(() => role.value !== "listener");
  const sources = computed(() =>
    Object.values(document.value?.sources ?? {}).sort(
      (a, b) => a.order - b.order || a.id.localeCompare(b.id),
    ),
  );
  const passages = computed(() =>
    Object.values(document.value?.passages ?? {}).sort((a, b) => a.start - b.start),
  );
  const settings = computed(() => document.value?.session);
  const length = computed(() => settings.value?.length ?? 0);

  async function open(sessionId: string): Promise<void> {
    close();
    id.value = sessionId;
    const base = `/api/sessions/${sessionId}`;
    const [found, tables] = await Promise.all([
      get<Schemas["OpenSession"]>(base),
      get<Schemas["Tables"]>(`${base}/tables`),
    ]);
    if (id.value !== sessionId) return;
    document.value = found.document;
    revision.value = found.revision;
    role.value = found.role;
    grid.value = new Grid(found.bars, found.document.session.length);
    shapes.value = tables.shapes as unknown as ShapeTables;
    gains.value = tables.gains as unknown as GainTable;
    outbox = new Outbox(sessionId, (count) => (waiting.value = count));
    channel = new LiveChannel(sessionId, {
      revision: () => revision.value,
      message: hear,
      state: (up) => {
        connected.value = up;
        if (up) outbox.hurry();
        else {
          people.clear();
          previews.clear();
        }
      },
      closedForGood: () => (lost.value = "You are not in this session any more."),
    });
  }

  function close(): void {
    channel?.close();
    channel = undefined;
    id.value = lost.value = "";
    document.value = null;
    people.clear();
    pending.clear();
    previews.clear();
    early.clear();
  }

  function hear(incoming: Incoming): void {
    if (incoming.type === "revision") take(incoming);
    else if (incoming.type === "welcome") me.value = incoming.you;
    else if (incoming.type === "presence") people.set(incoming.person.tab, incoming.person);
    else if (incoming.type === "refused") void message.warning(incoming.detail);
    else if (incoming.type === "gone") {
      people.delete(incoming.tab);
      for (const [thing, preview] of previews) if (preview.tab === incoming.tab) previews.delete(thing);
    } else if (incoming.type === "preview") {
      if (incoming.value === null) previews.delete(incoming.thing);
      else previews.set(incoming.thing, { value: incoming.value, tab: incoming.tab });
    }
  }

  /** Take in a revision; those that come too early wait for the ones before. */
  function take(told: Revision): void {
    if (told.revision <= revision.value) return;
    early.set(told.revision, told);
    for (let next = early.get(revision.value + 1); next; next = early.get(revision.value + 1)) {
      early.delete(next.revision);
      apply(next);
    }
    if (early.size) void fetchMissing();
  }

  function apply(told: Revision): void {
    const current = document.value;
    if (!current) return;
    const next = { ...current };
    for (const change of told.changes) {
      const part = { ...(next[change.part] as Record<string, unknown>) };
      if (change.value === null) delete part[change.key];
      else part[change.key] = change.value;
      (next as Record<string, unknown>)[change.part] = part;
    }
    document.value = next;
    revision.value = told.revision;
    for (const [thing, held] of pending)
      if (held.ids.delete(told.client_id) && held.ids.size === 0) pending.delete(thing);
  }

  async function fetchMissing(): Promise<void> {
    try {
      const found = await get<Revision[]>(`/api/sessions/${id.value}/operations?since=${revision.value}`);
      found.forEach(take);
    } catch {
      /* the connection is down: what is missing comes when it is back */
    }
  }

  /** Show a value at once while a hand holds it, and tell colleagues. */
  function hold(thing: string, value: number): void {
    pending.set(thing, { value, ids: new Set() });
    clearTimeout(laterPreview);
    const wait = lastPreview + PREVIEW_EVERY - performance.now();
    const send = (): void => {
      lastPreview = performance.now();
      if (pending.get(thing)?.ids.size === 0) channel?.send({ type: "preview", thing, value });
    };
    // A hand that rests is seen where it rests, however quickly it came there.
    if (wait <= 0) send();
    else laterPreview = setTimeout(send, wait);
  }

  /** Let go without changing anything. */
  function letGo(thing: string): void {
    pending.delete(thing);
    channel?.send({ type: "preview", thing, value: null });
  }

  /**
   * Make a change that shows at once as `value` of `thing` and is sent; it shows until it has come back. Colleagues
   * see what was `held` until then, so that nothing jumps back in between.
   */
  function change(thing: string, value: Pending["value"], operation: Operation, held = thing): void {
    const ids = pending.get(thing)?.ids ?? new Set<string>();
    const wasHeld = pending.get(held)?.ids.size === 0;
    const mine = outbox;
    const sent = outbox.submit(operation, revision.value, (answer, refusal) => {
      // An answer that comes after another session was opened is kept there, and is not this one's.
      if (mine !== outbox) return;
      if (answer) take(answer.revision as unknown as Revision);
      if (wasHeld) channel?.send({ type: "preview", thing: held, value: null });
      if (!refusal) return;
      void message.error(refusal);
      refusals.value += 1;
      ids.delete(sent);
      if (!ids.size) pending.delete(thing);
    });
    ids.add(sent);
    if (held !== thing) pending.delete(held);
    pending.set(thing, { value, ids });
  }

  function turnBack(which: "undo" | "redo"): void {
    if (!mayEdit.value) return;
    const mine = outbox;
    outbox[which]((answer, refusal) => {
      if (mine !== outbox) return;
      if (answer) take(answer.revision as unknown as Revision);
      if (refusal || answer?.notice) void message.info(refusal || answer!.notice);
    });
  }

  function tell(chosen: string | null, playhead: number, playing: boolean): void {
    channel?.send({ type: "presence", chosen, playhead, playing });
  }

  const laneKey = (source: string, parameter: Parameter): string => `${source}/${parameter}`;

  /** The points of a lane as they show here; none if it has no automation. */
  function points(source: string, parameter: Parameter): Point[] {
    const key = laneKey(source, parameter);
    const held = pending.get(key);
    return held ? (held.value as Point[]) : (document.value?.lanes[key]?.points ?? []);
  }

  /** A source's value at a time as it shows here: held by this hand, by a colleague's, automated, or static. */
  function valueAt(source: Source, parameter: Parameter, at: number): number {
    const thing = `${source.id}.${parameter}`;
    const held = pending.get(thing) ?? previews.get(thing);
    if (held) return held.value as number;
    const lane = points(source.id, parameter);
    return lane.length ? laneValue(shapes.value, lane, at) : source[parameter];
  }

  function muted(source: Source): boolean {
    return (pending.get(`${source.id}.muted`)?.value as boolean | undefined) ?? source.muted;
  }

  /** The colleague who holds a thing, if one does. */
  function holder(thing: string): Person | undefined {
    const preview = previews.get(thing);
    return preview && people.get(preview.tab);
  }

  return {
    id, revision, role, document, grid, shapes, gains, connected, lost, waiting, refusals, me, people, pending, previews,
    mayEdit, sources, passages, settings, length,
    open, close, hold, letGo, change, turnBack, tell, points, valueAt, muted, holder, laneKey,
  }; // prettier-ignore
});
