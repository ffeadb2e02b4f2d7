/**
 * The shared session as this browser knows it: the document at its latest revision, what is held by hands
 * here and elsewhere, who is present, and changes on their way.
 */
import { defineStore } from "pinia";
import { computed, reactive, ref, shallowRef } from "vue";
import { get, type Schemas } from "@/api/http";
import { laneValue, type Point, type ShapeTables } from "@/geometry/lanes";
import { clamp, OFF_DB } from "@/geometry/pan";
import { Grid } from "@/geometry/time";
import { LiveChannel, type Incoming, type Person, type Revision } from "@/live/channel";
import { Outbox, type Operation } from "@/live/outbox";
import { say } from "@/ui/say";
import { kindAndId, ownerAndParameter } from "./owners";

export type Source = Schemas["StoredSource"];
export type Passage = Schemas["StoredPassage"];
export type Group = Schemas["StoredGroup"];
export type Return = Schemas["StoredReturn"];
export type Send = Schemas["StoredSend"];
export type Layer = Schemas["StoredLayer"];
export type Parameter =
  | "pan"
  | "level"
  | "trim"
  | "pan_left"
  | "pan_right"
  | "level_left"
  | "level_right"
  | "span"
  | "width"
  | RoomParameter
  | PulseParameter;
/** What tells a place in a room of loudspeakers, besides left to right. */
export type RoomParameter =
  | "front"
  | "height"
  | "front_left"
  | "front_right"
  | "height_left"
  | "height_right"
  | "spread"
  | "rotation"
  | "centre"
  | "lfe";
/** What can be automated of a pulse, whatever it moves. */
export type PulseParameter = "pulse_depth" | "pulse_period" | "pulse_rate";

/** What a parameter is called among the values of a pulse. */
export const ofPulse = (parameter: PulseParameter): "depth" | "period" | "rate" =>
  parameter.slice("pulse_".length) as "depth" | "period" | "rate";
export const isOfPulse = (parameter: Parameter): parameter is PulseParameter =>
  parameter.startsWith("pulse_");

/** A lane: what it belongs to (a source's id, `send:…`, `return:…`, `group:…`) and the parameter. */
export interface LaneName {
  source: string;
  parameter: Parameter;
}

/** Parameters that a group's shift moves. */
const PLACES: Parameter[] = ["pan", "pan_left", "pan_right"];

export interface GainTable {
  positions: number;
  law: number[][];
  balance: number[][];
  /** The gain of every level from off to the highest, in even steps. */
  levels: number[];
}

type Value = number | boolean | string | Point[];

interface Pending {
  value: Value;
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
  const gains = shallowRef<GainTable>({ positions: 2, law: [], balance: [], levels: [] });
  const length = ref(0);
  /** Where the playhead is (s). */
  const at = ref(0);
  const connected = ref(false);
  const lost = ref("");
  const waiting = ref(0);
  /** How many changes of this hand were refused: what showed or sounded of them is taken back. */
  const refusals = ref(0);
  const me = ref<Person | null>(null);
  const people = reactive(new Map<string, Person>());
  /** What this hand holds or has let go but not yet seen come back, by thing. */
  const pending = reactive(new Map<string, Pending>());
  /** Lanes as this person hears them on trial, by key. */
  const tried = shallowRef<ReadonlyMap<string, Point[]>>(new Map());
  /** What colleagues hold, by thing. */
  const previews = reactive(new Map<string, { value: number; tab: string }>());

  let channel: LiveChannel | undefined;
  let outbox: Outbox;
  const early = new Map<number, Revision>();
  const previewed = new Map<string, { at: number; later: ReturnType<typeof setTimeout> | undefined }>();

  const mayEdit = computed(() => role.value !== "listener");
  const sources = computed(() => inOrder(document.value?.sources));
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
    document.value = found.document;
    revision.value = found.revision;
    role.value = found.role;
    measureBy(found.frame);
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

  /** Take what the page measures by from the core: length, bars, tables. */
  function measureBy(frame: Schemas["Frame"]): void {
    length.value = frame.length;
    grid.value = new Grid(frame.bars, frame.length);
    shapes.value = frame.shapes as unknown as ShapeTables;
    gains.value = frame.gains as unknown as GainTable;
  }

  async function measureAgain(): Promise<void> {
    try {
      const frame = await get<Schemas["Frame"]>(`/api/sessions/${id.value}/frame`);
      if (frame.revision >= revision.value) measureBy(frame);
      else void measureAgain();
    } catch {
      /* the connection is down: the next change asks again */
    }
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
    tried.value = new Map();
  }

  function hear(incoming: Incoming): void {
    if (incoming.type === "revision") take(incoming);
    else if (incoming.type === "welcome") me.value = incoming.you;
    else if (incoming.type === "presence") people.set(incoming.person.tab, incoming.person);
    else if (incoming.type === "refused") say.careful(incoming.detail);
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
    let measures = false;
    for (const change of told.changes) {
      if (change.part === "session") {
        next.session = change.value as Schemas["SettingsOut"];
        measures = true;
        continue;
      }
      measures ||= current.session.length === 0 && !["lanes", "passages", "groups"].includes(change.part);
      const part = { ...(next[change.part] as Record<string, unknown>) };
      if (change.value === null) delete part[change.key];
      else part[change.key] = change.value;
      (next as Record<string, unknown>)[change.part] = part;
    }
    document.value = next;
    revision.value = told.revision;
    if (measures) void measureAgain();
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
    const told = previewed.get(thing) ?? { at: 0, later: undefined };
    clearTimeout(told.later);
    const wait = told.at + PREVIEW_EVERY - performance.now();
    const send = (): void => {
      told.at = performance.now();
      if (pending.get(thing)?.ids.size === 0) channel?.send({ type: "preview", thing, value });
    };
    // A hand that rests is seen where it rests, however quickly it came there.
    if (wait <= 0) send();
    else told.later = setTimeout(send, wait);
    previewed.set(thing, told);
  }

  /** Let go without changing anything. */
  function letGo(thing: string): void {
    pending.delete(thing);
    channel?.send({ type: "preview", thing, value: null });
  }

  /**
   * Make a change that shows at once as the values of things and is sent; it shows until it has come back. Colleagues
   * see what was `held` until then, so that nothing jumps back in between.
   */
  function change(values: Record<string, Value>, operation: Operation, held = Object.keys(values)): void {
    const wereHeld = held.filter((thing) => pending.get(thing)?.ids.size === 0);
    const carried = Object.keys(values).map((thing) => ({
      thing,
      ids: pending.get(thing)?.ids ?? new Set<string>(),
    }));
    const mine = outbox;
    const sent = outbox.submit(operation, revision.value, (answer, refusal) => {
      // An answer that comes after another session was opened is kept there, and is not this one's.
      if (mine !== outbox) return;
      if (answer) take(answer.revision as unknown as Revision);
      for (const thing of wereHeld) channel?.send({ type: "preview", thing, value: null });
      if (!refusal) return;
      say.wrong(refusal);
      refusals.value += 1;
      for (const { thing, ids } of carried) {
        ids.delete(sent);
        if (!ids.size) pending.delete(thing);
      }
    });
    for (const thing of held) if (!(thing in values)) pending.delete(thing);
    for (const { thing, ids } of carried) {
      ids.add(sent);
      pending.set(thing, { value: values[thing]!, ids });
    }
  }

  function turnBack(which: "undo" | "redo"): void {
    if (!mayEdit.value) return;
    const mine = outbox;
    outbox[which]((answer, refusal) => {
      if (mine !== outbox) return;
      if (answer) take(answer.revision as unknown as Revision);
      if (refusal || answer?.notice) say.know(refusal || answer!.notice);
    });
  }

  function tell(chosen: string | null, playhead: number, playing: boolean): void {
    channel?.send({ type: "presence", chosen, playhead, playing });
  }

  const laneKey = (source: string, parameter: Parameter): string => `${source}/${parameter}`;

  /** The lane of a key. */
  function laneOf(key: string): LaneName {
    const [source, parameter] = ownerAndParameter(key);
    return { source, parameter: parameter as Parameter };
  }

  /** Whether a lane's automation is switched off. */
  const isOff = (source: string, parameter: Parameter): boolean =>
    !!document.value?.lanes[laneKey(source, parameter)]?.off;

  /** The points that a parameter follows as it is heard here; none where its static value holds. */
  function followed(source: string, parameter: Parameter): Point[] {
    const other = tried.value.get(laneKey(source, parameter));
    return other ?? (isOff(source, parameter) ? [] : points(source, parameter));
  }

  /** Whether moving a parameter means writing points. */
  const follows = (source: string, parameter: Parameter): boolean =>
    !isOff(source, parameter) && points(source, parameter).length > 0;

  /** The value without automation of anything that has lanes; what a hand holds does not stand yet. */
  function staticOf(owner: string, parameter: Parameter): number {
    const [kind, key] = kindAndId(owner);
    const parts = {
      source: "sources", return: "returns", group: "groups", send: "sends", layer: "layers", room: "turns",
    } as const; // prettier-ignore
    if (isOfPulse(parameter)) {
      const name = ofPulse(parameter);
      const sent = pending.get(`pulse:${owner}.${name}`);
      return (sent?.value as number | undefined) ?? document.value?.pulses[owner]?.[name] ?? 1;
    }
    const thing = document.value?.[parts[kind]][key] as Partial<Record<Parameter, number>> | undefined;
    const sent = pending.get(`${owner}.${parameter}`);
    if (sent?.ids.size) return sent.value as number;
    const unsent: Partial<Record<Parameter, number>> = { level: OFF_DB, front: 1 };
    return thing?.[parameter] ?? (kind === "send" ? (unsent[parameter] ?? 0) : 0);
  }

  /** What the line of anything that has lanes says at a time, or its static value, whatever is held. */
  function lineValueAt({ source, parameter }: LaneName, at: number): number {
    const lane = followed(source, parameter);
    return lane.length ? laneValue(shapes.value, lane, at) : staticOf(source, parameter);
  }

  /** The value of anything that has lanes at a time: held, automated, or static; a group's shift left out. */
  function laneValueAt(lane: LaneName, at: number): number {
    const thing = `${lane.source}.${lane.parameter}`;
    const held = pending.get(thing) ?? previews.get(thing);
    return held ? (held.value as number) : lineValueAt(lane, at);
  }

  /** The points of a lane as they show here; none if it has no automation. */
  function points(source: string, parameter: Parameter): Point[] {
    const key = laneKey(source, parameter);
    const held = pending.get(key);
    return held ? (held.value as Point[]) : (document.value?.lanes[key]?.points ?? []);
  }

  /** A thing's value as it shows here: held by this hand, by a colleague's, or as it stands. */
  function shown<T extends Value>(thing: string, stands: T): T {
    return ((pending.get(thing) ?? previews.get(thing))?.value as T | undefined) ?? stands;
  }

  /** The value that anything with lanes has at the playhead. */
  const valueNow = (owner: string, parameter: Parameter): number =>
    laneValueAt({ source: owner, parameter }, at.value);

  /** How far a source's group shifts its place. */
  function shiftOf(source: Source): number {
    const group = document.value?.groups[source.group];
    return group ? shown(`group:${group.id}.shift`, group.shift) : 0;
  }

  /** A source's own value at a time: held, automated, or static; its group's shift left out. */
  const ownValueAt = (source: Source, parameter: Parameter, at: number): number =>
    laneValueAt({ source: source.id, parameter }, at);

  /** The value that results and sounds: a place is shifted with its group, within the field. */
  function valueAt(source: Source, parameter: Parameter, at: number): number {
    const own = ownValueAt(source, parameter, at);
    return PLACES.includes(parameter) ? clamp(own + shiftOf(source), -1, 1) : own;
  }

  /** Whether a source is muted for everybody, itself or with its group. */
  function muted(source: Source): boolean {
    const group = document.value?.groups[source.group];
    const itself = shown(`${source.id}.muted`, source.muted);
    return itself || (!!group && shown(`group:${group.id}.muted`, group.muted));
  }

  const sendKey = (source: string, to: string): string => `${source}/${to}`;

  /** What a source gives to a return as it shows here. */
  function send(source: string, to: string): Send {
    const key = sendKey(source, to);
    const found = document.value?.sends[key];
    const stands = found ?? {
      id: key, source, return: to, level: OFF_DB, before: false, place: "same" as const, pan: 0, front: 1,
      height: 0,
    }; // prettier-ignore
    return {
      ...stands,
      level: valueNow(`send:${key}`, "level"),
      before: shown(`send:${key}.before`, stands.before),
      place: shown(`send:${key}.place`, stands.place as string) as Send["place"],
      pan: valueNow(`send:${key}`, "pan"),
      front: valueNow(`send:${key}`, "front"),
      height: valueNow(`send:${key}`, "height"),
    };
  }

  /** The colleague who holds a thing, if one does. */
  function holder(thing: string): Person | undefined {
    const preview = previews.get(thing);
    return preview && people.get(preview.tab);
  }

  return {
    id, revision, role, document, grid, shapes, gains, connected, lost, waiting, refusals, me, people, pending, previews,
    mayEdit, sources, passages, groups, returns, settings, length, at, tried,
    open, close, hold, letGo, change, turnBack, tell, points, followed, follows, isOff, staticOf, lineValueAt, laneValueAt, valueNow, shown, shiftOf, ownValueAt, valueAt, muted, send, sendKey,
    holder, laneKey, laneOf,
  }; // prettier-ignore
});
