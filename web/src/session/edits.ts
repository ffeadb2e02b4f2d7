/** An engineer's intents as operations: place, set the level, mute, write points, change several together. */
import { uuid } from "@/domain/ids";
import { must } from "@/domain/must";
import {
  isOfPulse,
  ofPulse,
  type Group,
  type LaneName,
  type Layer,
  type Parameter,
  type Return,
  type Send,
  type Source,
  type Point,
} from "@/domain/model";
import { parameterTitle, t } from "@/words";
import { replaced } from "@/domain/lanes";
import { parametersOf, type Values } from "@/domain/ends";
import { setsAutomated } from "@/domain/automated";
import { clamp } from "@/domain/format";
import { FACES } from "@/domain/parameters";
import type { Operation } from "@/collab/outbox";
import { usePlayer } from "@/audio/player";
import { useNotices } from "@/ui/notices";
import { effectControl, endsOfSend, kindAndId } from "@/domain/owners";
import { useSession } from "./session";

/** Two points nearer than this (s) are the same moment. */
const SAME_MOMENT = 1e-6;

type Kind = Operation["kind"];
/** What is left out is as it is at first, however deep it lies: the types made from the server's ask for all of it. */
type Given<T> = T extends (infer Item)[]
  ? Given<Item>[]
  : T extends object
    ? { [Name in keyof T]?: Given<T[Name]> }
    : T;
type Fields<K extends Kind> = Given<Omit<Extract<Operation, { kind: K }>, "kind">>;

/** An operation of a kind with the fields that it sets. */
export function operation<K extends Kind>(kind: K, fields: Fields<K>): Operation {
  return { kind, ...fields } as unknown as Operation;
}

/** Several operations as one change. */
export function batch(summary: string, operations: Operation[]): Operation {
  return operations.length === 1 ? must(operations[0]) : operation("batch", { summary, operations });
}

/** A fresh id for a thing, told by its name. */
export function freshId(name: string): string {
  const plain = name
    .normalize("NFKD")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 40);
  return `${plain || "one"}-${uuid().slice(0, 8)}`;
}

/** What placing a source may set besides its parameters. */
export type Placing = Values &
  Partial<
    Pick<
      Source,
      | "mode" | "swap_channels" | "invert_left" | "invert_right" | "delay_panning" | "delay_panning_ms" | "level_share"
      | "double" | "double_ms" | "double_trim" | "snap"
    >
  >; // prettier-ignore

export function useEdits() {
  const session = useSession();
  const player = usePlayer();
  const notices = useNotices();

  const pointsWith = (source: string, parameter: Parameter, start: number, end: number, fresh: Point[]) =>
    replaced(session.points(source, parameter), start, end, fresh);

  const writing = (
    source: string,
    parameter: Parameter,
    start: number,
    end: number,
    fresh: Point[],
  ): Operation => operation("write-points", { owner: source, parameter, start, end, points: fresh });

  function writeRange(
    source: string,
    parameter: Parameter,
    start: number,
    end: number,
    fresh: Point[],
    held?: string[],
  ): void {
    const lane = session.laneKey(source, parameter);
    const points = pointsWith(source, parameter, start, end, fresh);
    session.change({ [lane]: points }, writing(source, parameter, start, end, fresh), held);
  }

  /** A point at a time, in place of one that is already there; it takes the shape of the one before. */
  function pointAt(source: string, parameter: Parameter, at: number, value: number): Point {
    const old = session.points(source, parameter);
    const there = old.filter((point) => Math.abs(point.t - at) < SAME_MOMENT);
    const model = there.at(-1) ?? old.filter((point) => point.t < at).at(-1);
    const t = there[0]?.t ?? at;
    return { t, value, shape: model?.shape ?? "ease", tension: model?.tension ?? 0 };
  }

  function addPoint(source: string, parameter: Parameter, at: number, value: number): void {
    const fresh = pointAt(source, parameter, at, value);
    writeRange(source, parameter, fresh.t, fresh.t, [fresh]);
  }

  /** Put the point with an index where `point` says, or take it away; points it passes stay, a colleague's too. */
  function turnPoint(source: string, parameter: Parameter, index: number, point: Point | null): void {
    const old = session.points(source, parameter);
    const was = old[index];
    if (!was) return;
    const others = old.filter((_, i) => i !== index);
    const before = point
      ? others.filter((other) => other.t < point.t || (other.t === point.t && old.indexOf(other) < index))
      : [];
    const shown = point ? [...before, point, ...others.slice(before.length)] : others;
    session.change(
      { [session.laneKey(source, parameter)]: shown },
      operation("move-point", {
        owner: source,
        parameter,
        before: was,
        before_rank: old.slice(0, index).filter((other) => other.t === was.t).length,
        ...(point && {
          after: point,
          after_rank: before.filter((other) => other.t === point.t).length,
        }),
      }),
    );
  }

  const movePoint = (source: string, parameter: Parameter, index: number, point: Point): void =>
    turnPoint(source, parameter, index, point);

  const deletePoint = (source: string, parameter: Parameter, index: number): void =>
    turnPoint(source, parameter, index, null);

  /** Put the points with these indexes where `turned` says, or take them away; those between them stay. */
  function turnPoints(
    source: string,
    parameter: Parameter,
    indexes: number[],
    turned: (point: Point) => Point | null,
  ): Point[] {
    const old = session.points(source, parameter);
    const were = indexes.map((index) => must(old[index]));
    const fresh = were.flatMap((point) => turned(point) ?? []);
    const times = [...were, ...fresh].map((point) => point.t);
    const [start, end] = [Math.min(...times), Math.max(...times)];
    const between = old.filter((point) => point.t >= start && point.t <= end && !were.includes(point));
    const points = [...between, ...fresh].sort((a, b) => a.t - b.t);
    writeRange(source, parameter, start, end, points);
    return fresh;
  }

  function clearLane(source: string, parameter: Parameter): void {
    const old = session.points(source, parameter);
    if (old.length) writeRange(source, parameter, 0, must(old.at(-1)).t, []);
  }

  /** A source's own value for a place that is to result: its group's shift is taken off again. */
  function ownOf(source: Source, parameter: Parameter, result: number): number {
    const shift = parameter.startsWith("pan") ? session.shiftOf(source) : 0;
    return shift ? clamp(Math.round((result - shift) * 1e6) / 1e6, -1, 1) : result;
  }

  /** What setting a value does that follows a line: the line moves as a whole, or gets a point at that time. */
  function setFollowed({ owner, parameter }: LaneName, at: number, value: number): [Point[], Operation] {
    if (setsAutomated.value === "point") {
      const fresh = pointAt(owner, parameter, at, value);
      const shown = pointsWith(owner, parameter, fresh.t, fresh.t, [fresh]);
      return [shown, writing(owner, parameter, fresh.t, fresh.t, [fresh])];
    }
    const by = value - session.lineValueAt({ owner, parameter }, at);
    const { low, high } = FACES[parameter];
    const shown = session
      .points(owner, parameter)
      .map((point) => ({ ...point, value: clamp(point.value + by, low, high) }));
    if (setsAutomated.value === "ask") ask(parameter);
    const moved =
      session.sourceById(owner) && !isOfPulse(parameter)
        ? operation("shift-values", { sources: [owner], parameter, by })
        : writing(owner, parameter, must(shown[0]).t, must(shown.at(-1)).t, shown);
    return [shown, moved];
  }

  /** Ask, once, what setting a value of something automated is to do. */
  function ask(parameter: Parameter): void {
    notices.tell(t("edits.automatedLineMoved", { what: parameterTitle(parameter) }), {
      about: "automated",
      action: { title: t("edits.moveTheLine"), run: () => (setsAutomated.value = "line") },
      other: { title: t("edits.setAPoint"), run: () => (setsAutomated.value = "point") },
    });
  }

  /**
   * Give a source values that are to result: static ones, or, where it is automated, by way of its lines. All of them
   * are one change.
   */
  function setValues(source: Source, values: Values, at: number): void {
    const shown: Record<string, number | Point[]> = {};
    const operations: Operation[] = [];
    const fixed: Values = {};
    const held: string[] = [];
    for (const [name, result] of Object.entries(values)) {
      const parameter = name as Parameter;
      const value = ownOf(source, parameter, result);
      held.push(`${source.id}.${parameter}`);
      if (session.follows(source.id, parameter) && !session.isHolding()) {
        const [points, change] = setFollowed({ owner: source.id, parameter }, at, value);
        operations.push(change);
        shown[session.laneKey(source.id, parameter)] = points;
      } else {
        shown[`${source.id}.${parameter}`] = value;
        if (["level", "trim", "lfe"].includes(parameter))
          operations.push(operation("set-level", { source: source.id, [parameter]: value }));
        else fixed[parameter] = value;
      }
    }
    if (Object.keys(fixed).length)
      operations.push(operation("place-source", { source: source.id, ...fixed }));
    if (operations.length) session.change(shown, batch(`${source.name} placed`, operations), held);
  }

  const setValue = (source: Source, parameter: Parameter, value: number, at: number): void =>
    setValues(source, { [parameter]: value }, at);

  /** Change what placing a source means, or how it is done; nothing here is automated. */
  function place(source: Source, values: Placing): void {
    const shown = Object.fromEntries(
      Object.entries(values).map(([name, value]) => [`${source.id}.${name}`, value as number]),
    );
    session.change(shown, operation("place-source", { source: source.id, ...values }));
  }

  function setMuted(source: Source, muted: boolean): void {
    session.change({ [`${source.id}.muted`]: muted }, operation("mute-source", { source: source.id, muted }));
  }

  function setGain(source: Source, gain: number): void {
    session.change({ [`${source.id}.gain`]: gain }, operation("set-gain", { source: source.id, gain }));
  }

  /** Add the same to a parameter of several sources, lanes bodily. */
  function shift(sources: Source[], parameter: Parameter, by: number, held: string[] = []): void {
    const shown: Record<string, number | Point[]> = {};
    const { low, high } = FACES[parameter];
    for (const source of sources) {
      const lane = session.followed(source.id, parameter);
      if (lane.length)
        shown[session.laneKey(source.id, parameter)] = lane.map((point) => ({
          ...point,
          value: clamp(point.value + by, low, high),
        }));
      else shown[`${source.id}.${parameter}`] = clamp(session.staticOf(source.id, parameter) + by, low, high);
    }
    const ids = sources.map((source) => source.id);
    session.change(shown, operation("shift-values", { sources: ids, parameter, by }), [
      ...held,
      ...Object.keys(shown),
    ]);
  }

  function shiftingPlaces(sources: Source[], by: number): Operation[] {
    return (["pan", "pan_left", "pan_right"] as Parameter[]).flatMap((parameter) => {
      const ids = sources.filter((source) => parametersOf(source).includes(parameter)).map((one) => one.id);
      return ids.length ? [operation("shift-values", { sources: ids, parameter, by })] : [];
    });
  }

  /** Move several sources by the same, wherever each of them stands. */
  function shiftPlaces(sources: Source[], by: number): void {
    const operations = shiftingPlaces(sources, by);
    if (operations.length)
      session.change(
        {},
        batch(t("edits.sourceCountSourcesMoved", { sourceCount: sources.length }), operations),
      );
  }

  /** Move and level several sources by the same, as one change; what a hand holds of them shows until it is back. */
  function shiftAll(sources: Source[], pan: number, level: number): void {
    const ids = sources.map((source) => source.id);
    const operations = pan ? shiftingPlaces(sources, pan) : [];
    if (level) operations.push(operation("shift-values", { sources: ids, parameter: "level", by: level }));
    sendHeld(sources, operations);
  }

  /** Move several sources in the room by the same, as one change; what a hand holds of them shows until it is back. */
  function shiftInRoom(sources: Source[], by: { pan: number; front: number; height: number }): void {
    const operations = by.pan ? shiftingPlaces(sources, by.pan) : [];
    for (const kind of ["front", "height"] as const)
      for (const [parameter, moved] of [
        [kind, sources.filter((one) => one.mode !== "sides")],
        [`${kind}_left`, sources.filter((one) => one.mode === "sides")],
        [`${kind}_right`, sources.filter((one) => one.mode === "sides")],
      ] as const)
        if (by[kind] && moved.length)
          operations.push(
            operation("shift-values", { sources: moved.map((one) => one.id), parameter, by: by[kind] }),
          );
    sendHeld(sources, operations);
  }

  /** Make one change of what hands hold of sources; without any operation they let go. */
  function sendHeld(sources: Source[], operations: Operation[]): void {
    const ids = sources.map((source) => source.id);
    const held = [...session.pending].filter(
      ([thing, { ids: sent }]) => !sent.size && ids.includes(must(thing.split(".")[0])),
    );
    if (operations.length)
      session.change(
        Object.fromEntries(held.map(([thing, { value }]) => [thing, value])),
        batch(t("edits.sourceCountSourcesMoved", { sourceCount: sources.length }), operations),
      );
    else for (const [thing] of held) session.letGo(thing);
  }

  const flip = (sources: Source[]): void =>
    session.change({}, operation("flip-sources", { sources: sources.map((source) => source.id) }));

  /**
   * Change values of a group, a return or a send: those that follow a line by way of it, the others are set by
   * `setting`.
   */
  function setOf(
    owner: string,
    values: Record<string, unknown>,
    setting: (fixed: object) => Operation,
  ): void {
    const controls = Object.keys(values).map((name) => `${owner}.${name}`);
    if (session.isHolding()) {
      const held = Object.values(values).map((value, i) => [must(controls[i]), value as number]);
      session.change(Object.fromEntries(held) as Record<string, number>, setting(values));
      return;
    }
    const shown: Record<string, number | Point[]> = {};
    const fixed: Record<string, unknown> = {};
    const operations: Operation[] = [];
    for (const [name, value] of Object.entries(values)) {
      if (session.follows(owner, name as Parameter)) {
        const lane: LaneName = { owner, parameter: name as Parameter };
        const [points, change] = setFollowed(lane, player.playhead, value as number);
        operations.push(change);
        shown[session.laneKey(owner, lane.parameter)] = points;
      } else {
        fixed[name] = value;
        shown[`${owner}.${name}`] = value as number;
      }
    }
    if (Object.keys(fixed).length) operations.push(setting(fixed));
    const held = [...Object.keys(shown), ...controls];
    if (operations.length) session.change(shown, batch(t("edits.valuesSet"), operations), held);
  }

  const setGroup = (group: Group, values: Partial<Omit<Group, "id">>): void =>
    setOf(`group:${group.id}`, values, (fixed) => operation("set-group", { group: group.id, ...fixed }));

  const setReturn = (one: Return, values: Partial<Omit<Return, "id" | "effects">>): void =>
    setOf(`return:${one.id}`, values, (fixed) => operation("set-return", { to: one.id, ...fixed }));

  function setSend(
    source: string,
    to: string,
    values: Partial<Omit<Send, "id" | "source" | "return">>,
  ): void {
    setOf(`send:${session.sendKey(source, to)}`, values, (fixed) =>
      operation("set-send", { source, to, ...fixed }),
    );
  }

  const setLayer = (layer: Layer, values: Partial<Omit<Layer, "id" | "source">>): void =>
    setOf(`layer:${layer.id}`, values, (fixed) => operation("set-layer", { layer: layer.id, ...fixed }));

  /** Change settings of an effect of a return or a layer by an operation that does so. */
  function setEffect(
    owner: string,
    effect: string,
    settings: Record<string, number | string>,
    setting: Operation,
  ): void {
    const shown = Object.entries(settings).map(([name, value]) => [
      effectControl(owner, effect, name),
      value,
    ]);
    session.change(Object.fromEntries(shown) as Record<string, number | string>, setting);
  }

  /** Turn the whole room. */
  const setRoom = (values: { rotation?: number }): void =>
    setOf("room:mix", values, (fixed) => operation("set-room", fixed));

  /** Give anything that has lanes a value at the playhead: by way of its line where it follows one, else its own. */
  function setLane({ owner: owner, parameter }: LaneName, value: number): void {
    if (isOfPulse(parameter))
      return setOf(owner, { [parameter]: value }, () =>
        operation("set-pulse", { owner: owner, [ofPulse(parameter)]: value }),
      );
    const source = session.sourceById(owner);
    if (source) return setValues(source, { [parameter]: value }, player.playhead);
    const [kind, key] = kindAndId(owner);
    const values = { [parameter]: value };
    if (kind === "send") setSend(...endsOfSend(key), values);
    if (kind === "return") setReturn(must(session.returns.find((one) => one.id === key)), values);
    if (kind === "layer") setLayer(must(must(session.document).layers[key]), values);
    if (kind === "room") setRoom(values);
    if (kind === "group") setGroup(must(session.groups.find((one) => one.id === key)), values);
  }

  /** Switch a lane's automation off, so that the static value holds, or on again. */
  const switchLane = ({ owner: source, parameter }: LaneName, on: boolean): void =>
    make(operation("switch-lane", { owner: source, parameter, on }));

  /** Take a lane away and leave the value that it has at a time in its place. */
  const makeStatic = ({ owner: source, parameter }: LaneName, at: number): void =>
    make(operation("set-fixed-value", { owner: source, parameter, at }));

  /** Any change that shows only when it has come back. */
  const make = (change: Operation): void => session.change({}, change);

  return {
    addPoint, movePoint, deletePoint, turnPoints, clearLane, setValue, setValues, place, setMuted, setGain, shift, shiftPlaces, shiftAll, shiftInRoom, flip,
    setGroup, setReturn, setSend, setLayer, setEffect, setRoom, setLane, switchLane, makeStatic, make, ownOf,
  }; // prettier-ignore
}
