/**
 * The shared session as this browser knows it: the document at its latest revision, what is held by hands
 * here and elsewhere, who is present, and changes on their way.
 */
import type { GainTable, Source, Value, Point, ShapeTables } from "@/domain/model";
import { sentence, t } from "@/words";
import { defineStore } from "pinia";
import { createEventHook, until, useEventListener } from "@vueuse/core";
import { computed, reactive, ref, shallowRef, watch } from "vue";
import { get, Unreachable, type Schemas } from "@/api/http";
import { Grid } from "@/domain/grid";
import { LiveChannel, type Incoming, type Outgoing, type Person, type Revision } from "@/collab/channel";
import { Outbox, type Operation, type Outcome, type UndoHow } from "@/collab/outbox";
import { keepState } from "@/offline/state";
import { useNotices } from "@/ui/notices";
import { say } from "@/ui/say";
import { useAccount } from "@/account/account";
import { applyDelta } from "@/domain/deltas";
import { usePreviews } from "@/collab/previews";
import { useHeld } from "./held";
import { useValues } from "./values";

/** An undo that a colleague's change stands in the way of. */
export interface BlockedUndo {
  detail: string;
  /** One's own change that it would have taken back. */
  revision: number;
  summary: string;
  /** Whether some of it can still be taken back. */
  partly: boolean;
}

/** After how long missing revisions are asked for again (ms). */
const MISSING_RETRY = 1000;

export const useSession = defineStore("session", () => {
  const account = useAccount();
  const id = ref("");
  const revision = ref(0);
  /** The latest revision that was told of; those before it may still be on their way. */
  const latest = ref(0);
  const role = ref("listener");
  const document = shallowRef<Schemas["DocumentOut"] | null>(null);
  const grid = shallowRef(new Grid([], 0));
  const shapes = shallowRef<ShapeTables>({ steps: 2, shapes: {} });
  const gains = shallowRef<GainTable>({ positions: 2, law: [], balance: [], levels: [] });
  /** The ways of panning that a source is offered, by its number of channels. */
  const modes = shallowRef<Schemas["Frame"]["modes"]>({});
  const length = ref(0);
  /** Where the playhead is (s). */
  const at = ref(0);
  const connected = ref(false);
  /** Whether the live channel was closed, or could not be opened: not merely not open yet. */
  const severed = ref(false);
  const lost = ref("");
  /** Changes that have not been answered, each in a few words. */
  const unsent = shallowRef<string[]>([]);
  const waiting = computed(() => unsent.value.length);
  const isSettled = computed(() => !waiting.value && revision.value >= latest.value);
  /** What became of changes that had waited for the connection, once it was back. */
  const outcomes = shallowRef<Outcome[]>([]);
  /** What comes in over the live channel, and every revision as it is taken in. */
  const incoming = createEventHook<Incoming>();
  const revised = createEventHook<Revision>();
  /** Something that a colleague holds was reached for. */
  const reached = createEventHook<string>();
  /** What one's next undo and redo would take back. */
  const turns = shallowRef<Schemas["TurnsOut"]>({ undo: null, redo: null });
  /** An undo that a colleague's change stands in the way of: what the server said of it. */
  const blocked = createEventHook<BlockedUndo>();
  /** How many changes of this hand were refused: what showed or sounded of them is taken back. */
  const refusals = ref(0);
  const me = ref<Schemas["Identity"] | null>(null);
  const people = reactive(new Map<string, Person>());
  const held = useHeld({
    isTaken,
    held: () => previews,
    tell: (control, value) =>
      value === null ? channel?.send({ type: "preview", control, value }) : sendPreview(control, value),
  });
  const { pending, hold, letGo } = held;
  /** Lanes as this person hears them on trial, by key. */
  const tried = shallowRef<ReadonlyMap<string, Point[]>>(new Map());

  let channel: LiveChannel | undefined;
  let outbox: Outbox | undefined;
  /** The session as it was when it was opened: what changes of it is known besides. */
  let opened: Schemas["OpenSession"] | undefined;
  /** Outboxes of sessions that were left, until they send no more. */
  const leaving = new Map<string, Promise<void>>();
  const early = new Map<number, Revision>();
  const { previews, hear: takePreview, tell: sendPreview, forget: forgetPreviews } = usePreviews({
    send: (control, value) => channel?.send({ type: "preview", control, value }),
    pending: () => [...pending].flatMap(([control, { ids, value }]) => (ids.size ? [] : [[control, value as number]])),
  }); // prettier-ignore

  /** Whether closing the tab would lose a change. */
  const wouldLose = (): boolean => unsent.value.length > 0 && !outbox?.keeps;
  const mayEdit = computed(() => role.value !== "listener");
  const sources = computed(() => inOrder(document.value?.sources));
  const sourceById = (sourceId: string | null | undefined): Source | undefined =>
    sources.value.find((source) => source.id === sourceId);
  const passages = computed(() =>
    Object.values(document.value?.passages ?? {}).sort((a, b) => a.start - b.start),
  );
  const groups = computed(() => inOrder(document.value?.groups));
  const returns = computed(() => inOrder(document.value?.returns));
  const settings = computed(() => document.value?.session);

  function inOrder<T extends { order: number; id: string }>(things: Record<string, T> | undefined): T[] {
    return Object.values(things ?? {}).sort((a, b) => a.order - b.order || a.id.localeCompare(b.id));
  }

  async function open(sessionId: string): Promise<void> {
    close();
    id.value = sessionId;
    const base = `/api/sessions/${sessionId}`;
    const found = await get<Schemas["OpenSession"]>(base);
    if (id.value !== sessionId) return;
    opened = found;
    document.value = found.document;
    revision.value = latest.value = found.revision;
    role.value = found.role;
    turns.value = found.turns;
    measureBy(found.frame);
    const person = account.me?.id ?? 0;
    outbox = new Outbox(
      sessionId,
      person,
      {
        waiting: (said) => (unsent.value = said),
        returned: (found) => (outcomes.value = found),
        failing: tellOfFailing,
        isSignedIn: () => !person || account.me?.id === person,
      },
      undefined,
      leaving.get(sessionId),
    );
    channel = new LiveChannel(sessionId, {
      revision: () => revision.value,
      message: hear,
      state: (up) => {
        connected.value = up;
        severed.value = !up;
        if (up) outbox?.hurry();
        else {
          people.clear();
          forgetPreviews();
        }
      },
      closedForGood: (signedOut) =>
        (lost.value = signedOut ? t("session.youAreSignedOutHere") : t("session.youAreNoLongerIn")),
    });
    const mine = outbox;
    void outbox.adopt(
      (sent) => (answer, refusal, more) => {
        if (refusal) held.settle(sent);
        settledBy(mine)(answer, refusal, more);
      },
      (sent, values) => held.carry(sent, values, []),
    );
  }

  /** The server fails at a change again and again: whoever made it may give it up, for the sake of those after it. */
  function tellOfFailing(said: string, discard: () => void): void {
    useNotices().tell(t("session.theServerFailsAt", { said }), {
      kind: "wrong",
      about: "failing",
      action: { title: t("session.discardTheChange"), run: discard },
    });
  }

  /** Take what the page measures by from the core: length, bars, tables. */
  function measureBy(frame: Schemas["Frame"]): void {
    length.value = frame.length;
    grid.value = new Grid(frame.bars, frame.length);
    shapes.value = frame.shapes as unknown as ShapeTables;
    gains.value = frame.gains as unknown as GainTable;
    modes.value = frame.modes;
  }

  async function measureAgain(): Promise<void> {
    try {
      const mine = id.value;
      const frame = await get<Schemas["Frame"]>(`/api/sessions/${mine}/frame`);
      if (mine !== id.value) return;
      if (frame.revision >= revision.value) measureBy(frame);
      else void measureAgain();
    } catch {
      /* the connection is down: the next change asks again */
    }
  }

  function close(): void {
    if (outbox) leaving.set(id.value, outbox.close());
    outbox = undefined;
    channel?.close();
    channel = undefined;
    connected.value = severed.value = false;
    id.value = lost.value = "";
    document.value = null;
    people.clear();
    held.forget();
    forgetPreviews();
    early.clear();
    outcomes.value = [];
    unsent.value = [];
    tried.value = new Map();
  }

  function hear(told: Incoming): void {
    if (told.type === "revision") take(told);
    else if (told.type === "welcome") me.value = told.you;
    else if (told.type === "presence") people.set(told.person.tab, told.person);
    else if (told.type === "refused") say.careful(sentence(told.message));
    else if (told.type === "people") becomes(told.role);
    else if (told.type === "gone") people.delete(told.tab);
    takePreview(told);
    void incoming.trigger(told);
  }

  /** One's own part in the session, or somebody else's, is another now. */
  function becomes(now: string): void {
    if (now === role.value) return;
    role.value = now;
    if (me.value) me.value = { ...me.value, role: now };
    say.know(
      t("session.youAreNowNowIn", {
        now: t(`sessionRole.${now}`),
      }),
    );
  }

  /** Take in a revision; those that come too early wait for the ones before. */
  function take(told: Revision): void {
    // What is sent after the session was left changes nothing that is shown.
    if (!document.value || told.revision <= revision.value) return;
    latest.value = Math.max(latest.value, told.revision);
    early.set(told.revision, told);
    for (let next = early.get(revision.value + 1); next; next = early.get(revision.value + 1)) {
      early.delete(next.revision);
      apply(next);
    }
    if (early.size && !fetching) void fetchMissing();
  }

  function apply(told: Revision): void {
    const current = document.value;
    if (!current) return;
    // Where the length follows the sources, what sounds may change it.
    const follows = current.session.length === 0;
    const measures = told.delta.some(
      ({ part }) => part === "session" || (follows && !["lanes", "passages", "groups"].includes(part)),
    );
    document.value = applyDelta(current, told.delta);
    revision.value = told.revision;
    for (const change of told.delta)
      if (change.part === "sources" && !(change.key in document.value.sources)) letGoOf(change.key, told);
    if (told.author.id === account.me?.id && !outbox?.sent(told.client_id)) void lookAtTurns();
    if (measures) void measureAgain();
    held.settle(told.client_id);
    if (opened)
      keepState(id.value, {
        ...opened,
        document: document.value,
        revision: revision.value,
        role: role.value,
      });
    void revised.trigger(told);
  }

  /** A source is removed: nobody holds it any more, and whose hand it was is told. */
  function letGoOf(source: string, removal: Revision): void {
    const isOf = (control: string): boolean => control.startsWith(`${source}.`);
    for (const control of previews.keys()) if (isOf(control)) previews.delete(control);
    const mine = [...pending].filter(([control, { ids }]) => isOf(control) && !ids.size);
    for (const [control] of mine) letGo(control);
    if (mine.length)
      say.careful(
        t("session.nameRemovedWhatYouWere", { name: removal.author.name, summary: removal.summary }),
      );
  }

  let fetching = false;
  async function fetchMissing(): Promise<void> {
    fetching = true;
    try {
      const mine = id.value;
      let since: number;
      // What came meanwhile may leave another gap.
      do {
        since = revision.value;
        const found = await get<Revision[]>(`/api/sessions/${mine}/operations?since=${since}`);
        if (mine !== id.value) return;
        found.forEach(take);
      } while (early.size && revision.value > since);
    } catch {
      /* asked again below, or by the next revision once the connection is back */
    } finally {
      fetching = false;
    }
    const mine = id.value;
    if (early.size && connected.value)
      setTimeout(() => void (mine === id.value && early.size && !fetching && fetchMissing()), MISSING_RETRY);
  }

  /** Whether a colleague has hold of a control that this hand has not: whoever reaches for it is told. */
  function isTaken(control: string): boolean {
    if (pending.has(control) || !holder(control)) return false;
    void reached.trigger(control);
    return true;
  }

  /**
   * Make a change that shows at once as the values of things and is sent; it shows until it has come back. Colleagues
   * see the `controls` that were held until then, so that nothing jumps back in between.
   */
  function change(values: Record<string, Value>, operation: Operation, controls = Object.keys(values)): void {
    if (Object.keys(values).some(isTaken)) return;
    if (held.isHolding()) return held.holdNumbers(values);
    const mine = outbox;
    if (!mine) return;
    const wereHeld = controls.filter(held.isHeld);
    const sent = mine.submit(
      operation,
      revision.value,
      (answer, refusal) => {
        // An answer that comes after another session was opened is kept there, and is not this one's.
        if (mine !== outbox) return;
        if (answer) takeAnswer(answer);
        for (const control of wereHeld) channel?.send({ type: "preview", control, value: null });
        if (!refusal) return;
        say.wrong(refusal);
        refusals.value += 1;
        held.settle(sent);
      },
      values,
    );
    held.carry(sent, values, controls);
  }

  /** Takes an answer in, and says what there is to say of it. */
  const settledBy =
    (mine: Outbox) =>
    (answer: Schemas["Answer"] | null, refusal: string, more: Record<string, unknown> = {}): void => {
      if (mine !== outbox) return;
      if (answer) takeAnswer(answer);
      if ("partly" in more) void blocked.trigger({ ...(more as unknown as BlockedUndo), detail: refusal });
      else if (refusal) say.know(refusal);
      else if (answer?.notice) say.know(sentence(answer.notice));
    };

  function takeAnswer(answer: Schemas["Answer"]): void {
    take(answer.revision);
    turns.value = answer.turns;
  }

  /** Another tab of the same person has changed something: what an undo would take back is another now. */
  async function lookAtTurns(): Promise<void> {
    const mine = id.value;
    const answer = await get<Schemas["TurnsOut"]>(`/api/sessions/${mine}/turns`).catch(() => null);
    if (answer && mine === id.value) turns.value = answer;
  }

  function turnBack(which: "undo" | "redo", how: UndoHow = {}): void {
    if (!mayEdit.value || !outbox) return;
    if (which === "undo") outbox.undo(settledBy(outbox), how);
    else outbox.redo(settledBy(outbox));
  }

  /** Have the server put something as it was: `path` says what, `said` in a few words. */
  function putBack(path: string, said: string, body: object = {}): void {
    if (mayEdit.value && outbox) outbox.putBack(path, body, said, settledBy(outbox));
  }

  /** The revision that everything changed here is part of: for what is made of the session as one sees it. */
  async function settled(): Promise<number> {
    const mine = id.value;
    await until(() => isSettled.value || !connected.value || id.value !== mine).toBe(true);
    if (id.value !== mine || !isSettled.value) throw new Unreachable(t("session.yourLastChangesAreWaiting"));
    return revision.value;
  }

  // Who was signed out may have signed in again, here or in another tab.
  const goOn = (): void => outbox?.hurry();
  watch(() => account.me?.id, goOn);
  useEventListener(globalThis.window, "focus", goOn);

  const tell = (message: Outgoing): void => channel?.send(message);

  const values = useValues({ document, pending, previews, tried, shapes, at });

  /** The controls that colleagues hold; which they are, not where they stand. */
  const controlledByOthers = computed(() => new Set(previews.keys()));

  /** The colleague who holds a control, if one does. */
  function holder(control: string): Person | undefined {
    const preview = previews.get(control);
    return preview && people.get(preview.tab);
  }

  return {
    id, revision, role, document, grid, shapes, gains, modes, connected, severed, lost, waiting, isSettled, refusals, me, people, pending, previews,
    mayEdit, sources, sourceById, passages, groups, returns, settings, length, at, tried,
    unsent, outcomes, wouldLose, turns, onBlocked: blocked.on, onHeard: incoming.on, onRevised: revised.on, onReached: reached.on,
    open, close, hold, letGo, whileHeld: held.whileHeld, dropHeld: held.dropHeld, isHolding: held.isHolding, heardAsHeld: held.heardAsHeld, change, turnBack, putBack, settled, tell,
    holder, controlledByOthers, ...values,
  }; // prettier-ignore
});
