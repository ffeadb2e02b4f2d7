/** An engineer's intents as operations: place, set the level, mute, and write points. */
import type { Point } from "@/geometry/lanes";
import { useSession, type Parameter, type Source } from "./session";

/** Two points nearer than this (s) are the same moment. */
const SAME_MOMENT = 1e-6;

export function useEdits() {
  const session = useSession();

  function writeRange(
    source: string,
    parameter: Parameter,
    start: number,
    end: number,
    fresh: Point[],
    held?: string,
  ): void {
    const old = session.points(source, parameter);
    const kept = old.filter((point) => point.t < start || point.t > end);
    const before = kept.filter((point) => point.t < start);
    const after = kept.filter((point) => point.t > end);
    const lane = session.laneKey(source, parameter);
    const points = fresh as never;
    const operation = { kind: "write-points", source, parameter, start, end, points } as const;
    session.change(lane, [...before, ...fresh, ...after], operation, held);
  }

  /** Put a point at a time, in place of one that is already there; it takes the shape of the one before. */
  function addPoint(source: string, parameter: Parameter, at: number, value: number, held?: string): void {
    const old = session.points(source, parameter);
    const there = old.filter((point) => Math.abs(point.t - at) < SAME_MOMENT);
    const model = there.at(-1) ?? old.filter((point) => point.t < at).at(-1);
    const t = there[0]?.t ?? at;
    const fresh = { t, value, shape: model?.shape ?? "ease", tension: model?.tension ?? 0 };
    writeRange(source, parameter, t, t, [fresh], held);
  }

  /** Put the point with an index where `point` says; points it passes stay. */
  function movePoint(source: string, parameter: Parameter, index: number, point: Point): void {
    const old = session.points(source, parameter);
    const was = old[index];
    if (!was) return;
    const [start, end] = [Math.min(was.t, point.t), Math.max(was.t, point.t)];
    const others = old.filter((other, i) => i !== index && other.t >= start && other.t <= end);
    const at = others.filter(
      (other) => other.t < point.t || (other.t === point.t && old.indexOf(other) < index),
    );
    writeRange(source, parameter, start, end, [
      ...at,
      point,
      ...others.filter((other) => !at.includes(other)),
    ]);
  }

  function deletePoint(source: string, parameter: Parameter, index: number): void {
    const old = session.points(source, parameter);
    const was = old[index];
    if (!was) return;
    const others = old.filter((other, i) => i !== index && other.t === was.t);
    writeRange(source, parameter, was.t, was.t, others);
  }

  function clearLane(source: string, parameter: Parameter): void {
    const old = session.points(source, parameter);
    if (old.length) writeRange(source, parameter, 0, old.at(-1)!.t, []);
  }

  /** Give a source a value: its static one, or, where it is automated, a point at the playhead. */
  function setValue(source: Source, parameter: Parameter, value: number, at: number): void {
    const thing = `${source.id}.${parameter}`;
    if (session.points(source.id, parameter).length) {
      addPoint(source.id, parameter, at, value, thing);
    } else if (parameter === "pan") {
      session.change(thing, value, { kind: "place-source", source: source.id, pan: value });
    } else {
      session.change(thing, value, { kind: "set-level", source: source.id, level: value });
    }
  }

  function setMuted(source: Source, muted: boolean): void {
    session.change(`${source.id}.muted`, muted, { kind: "mute-source", source: source.id, muted });
  }

  return { addPoint, movePoint, deletePoint, clearLane, setValue, setMuted };
}
