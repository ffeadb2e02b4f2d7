/** What things of the session show and sound here: held by a hand, automated, or as they stand. */
import {
  isOfPulse,
  ofPulse,
  type LaneName,
  type Parameter,
  type Pending,
  type Send,
  type Source,
  type Value,
  type Point,
  type ShapeTables,
} from "@/domain/model";
import type { Ref, ShallowRef } from "vue";
import type { Schemas } from "@/api/http";
import { laneValue } from "@/domain/lanes";
import { clamp, OFF_DB } from "@/domain/format";
import { defaultsOf, ownOf } from "@/domain/parameters";
import type { Preview } from "@/collab/previews";
import { kindAndId, ownerAndParameter } from "@/domain/owners";

/** Parameters that a group's shift moves. */
const PLACES: Parameter[] = ["pan", "pan_left", "pan_right"];

export function useValues({
  document,
  pending,
  previews,
  tried,
  shapes,
  at,
}: {
  document: ShallowRef<Schemas["DocumentOut"] | null>;
  /** What this hand holds or has let go but not yet seen come back, by thing. */
  pending: Map<string, Pending>;
  /** What colleagues hold, by thing. */
  previews: Map<string, Preview>;
  /** Lanes as this person hears them on trial, by key. */
  tried: ShallowRef<ReadonlyMap<string, Point[]>>;
  shapes: ShallowRef<ShapeTables>;
  /** Where the playhead is (s). */
  at: Ref<number>;
}) {
  const laneKey = (source: string, parameter: Parameter): string => `${source}/${parameter}`;

  /** The lane of a key. */
  function laneOf(key: string): LaneName {
    const [source, parameter] = ownerAndParameter(key);
    return { owner: source, parameter: parameter as Parameter };
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
      source: "sources", return: "returns", group: "groups", send: "sends", layer: "layers", room: "room",
    } as const; // prettier-ignore
    if (isOfPulse(parameter)) {
      const name = ofPulse(parameter);
      const sent = pending.get(`pulse:${owner}.${name}`);
      return (sent?.value as number | undefined) ?? document.value?.pulses[owner]?.[name] ?? 1;
    }
    const thing = document.value?.[parts[kind]][key] as Partial<Record<Parameter, number>> | undefined;
    const sent = pending.get(`${owner}.${parameter}`);
    if (sent?.ids.size) return sent.value as number;
    return thing?.[parameter] ?? (defaultsOf(kind) as Partial<Record<Parameter, number>>)[parameter] ?? 0;
  }

  /** What the line of anything that has lanes says at a time, or its static value, whatever is held. */
  function lineValueAt({ owner: source, parameter }: LaneName, at: number): number {
    const lane = followed(source, parameter);
    return lane.length ? laneValue(shapes.value, lane, at) : staticOf(source, parameter);
  }

  /** The value of anything that has lanes at a time: held, automated, or static; a group's shift left out. */
  function laneValueAt(lane: LaneName, at: number): number {
    const name = `${lane.owner}.${lane.parameter}`;
    const held = pending.get(name) ?? previews.get(name);
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
    laneValueAt({ owner: owner, parameter }, at.value);

  /** How far a source's group shifts its place. */
  function shiftOf(source: Source): number {
    const group = document.value?.groups[source.group];
    return group ? shown(`group:${group.id}.shift`, group.shift) : 0;
  }

  /** A source's own value at a time: held, automated, or static; its group's shift left out. */
  const ownValueAt = (source: Source, parameter: Parameter, at: number): number =>
    laneValueAt({ owner: source.id, parameter }, at);

  /** The value that results and sounds: a place is shifted with its group, within the field. */
  function valueAt(source: Source, parameter: Parameter, at: number): number {
    const own = ownValueAt(source, parameter, at);
    return PLACES.includes(parameter) ? clamp(own + shiftOf(source), -1, 1) : own;
  }

  /** The level that sounds (dB): its own, its trim and its group's. */
  function soundingLevelAt(source: Source, at: number): number {
    const group = source.group in (document.value?.groups ?? {}) ? `group:${source.group}` : "";
    const levels = [
      ownValueAt(source, "level", at),
      ownValueAt(source, "trim", at),
      group ? laneValueAt({ owner: group, parameter: "level" }, at) : 0,
    ];
    return levels.some((level) => level <= OFF_DB) ? OFF_DB : levels.reduce((sum, level) => sum + level, 0);
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
      id: key, source, return: to, pre: false, place: "same" as const, ...defaultsOf("send"),
    }; // prettier-ignore
    return {
      ...stands,
      pre: shown(`send:${key}.pre`, stands.pre),
      place: shown(`send:${key}.place`, stands.place as string) as Send["place"],
      ...(Object.fromEntries(
        ownOf("send").map((name) => [name, valueNow(`send:${key}`, name)]),
      ) as ReturnType<typeof defaultsOf<"send">>),
    };
  }

  return {
    laneKey, laneOf, isOff, followed, follows, staticOf, lineValueAt, laneValueAt, points, shown, valueNow, shiftOf, ownValueAt,
    valueAt, soundingLevelAt, muted, sendKey, send,
  }; // prettier-ignore
}
