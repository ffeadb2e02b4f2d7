/** A hand on the plan: a source, or one end of it, dragged, stepped or recorded in two coordinates at once. */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import type { Parameter, Source } from "@/domain/model";
import { dragged, type End, type Values } from "@/domain/ends";
import { clamp } from "@/domain/format";
import { FACES, tidy } from "@/domain/parameters";
import { useEdits } from "@/session/edits";
import { useHolding } from "./holding";
import { useRoom } from "@/session/room";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";

/** A place that is wished, or how far to move: what is not told stays. */
export type Wish = { across?: number; depth?: number; height?: number };

export function usePlanHand() {
  const session = useSession();
  const player = usePlayer();
  const selection = useSelection();
  const room = useRoom();
  const hand = useHolding();
  const edits = useEdits();

  const look = (source: Source) => (parameter: Parameter) =>
    session.valueAt(source, parameter, player.playhead);

  /** The parameters that tell an end's depth or height. */
  function along(source: Source, kind: "front" | "height", side: End["side"]): Parameter[] {
    if (source.mode !== "sides") return [kind];
    return side === "whole" ? [`${kind}_left`, `${kind}_right`] : [`${kind}_${side}`];
  }

  /** The values with which a source's end stands where it is wished. */
  function valuesFor(source: Source, side: End["side"], wish: Wish): Values {
    const values: Values =
      wish.across === undefined || room.locked.across
        ? {}
        : dragged(source.mode, side, tidy("pan", wish.across), look(source));
    const put = (kind: "front" | "height", to: number | undefined, locked: boolean): void => {
      if (to === undefined || locked) return;
      const names = along(source, kind, side);
      const now = names.map((name) => look(source)(name));
      const by = to - now.reduce((sum, one) => sum + one, 0) / now.length;
      names.forEach((name, i) => (values[name] = tidy(name, clamp(must(now[i]) + by, -1, 1))));
    };
    put("front", wish.depth, room.locked.along);
    put("height", wish.height, false);
    return values;
  }

  function move(source: Source, side: End["side"], wish: Wish): Values {
    const values = valuesFor(source, side, wish);
    if (Object.keys(values).length) {
      hand.move(source, values);
      void room.holding(source, values);
    }
    return values;
  }

  /** All that the hand takes along with a source; what a colleague holds stays. */
  const takenAlong = (source: Source): Source[] =>
    selection.all.includes(source.id) && selection.all.length > 1
      ? session.sources.filter((one) => selection.all.includes(one.id) && !hand.holderOf(one))
      : [];

  /** Several are moved by the same, each from where it stands. */
  function moveAll(sources: Source[], by: Wish): void {
    const stood = (one: Source, name: Parameter): number =>
      session.lineValueAt({ owner: one.id, parameter: name }, player.playhead);
    for (const one of sources) {
      const sides = one.mode === "sides";
      const put = (names: Parameter[], add: number | undefined): void => {
        if (add !== undefined)
          for (const name of names) session.hold(`${one.id}.${name}`, tidy(name, stood(one, name) + add));
      };
      put(sides ? ["pan_left", "pan_right"] : ["pan"], room.locked.across ? undefined : by.across);
      put(along(one, "front", "whole"), room.locked.along ? undefined : by.depth);
      put(along(one, "height", "whole"), by.height);
    }
  }

  function dropAll(sources: Source[], by: Wish): void {
    const whole = (value: number | undefined): number => Math.round((value ?? 0) * 100) / 100;
    edits.shiftInRoom(sources, {
      pan: room.locked.across ? 0 : whole(by.across),
      front: room.locked.along ? 0 : whole(by.depth),
      height: whole(by.height),
    });
  }

  function drop(source: Source, values: Values | null): void {
    if (values && Object.keys(values).length) hand.set(source, values);
    else {
      hand.drop(source);
      room.letGo();
    }
  }

  /** A step by a key: across, along, or up with Alt. */
  function step(source: Source, event: KeyboardEvent): boolean {
    const by = event.shiftKey ? 0.1 : 0.01;
    const ends = room.endsNow(source.id);
    if (!ends.length || !session.mayEdit || hand.holderOf(source)) return false;
    const now = (name: "pan" | "front" | "height"): number => {
      const sides = source.mode === "sides";
      const names = (sides ? [`${name}_left`, `${name}_right`] : [name]) as Parameter[];
      return names.reduce((sum, one) => sum + look(source)(one), 0) / names.length;
    };
    const wishes: Record<string, Wish> = event.altKey
      ? { ArrowUp: { height: now("height") + by }, ArrowDown: { height: now("height") - by } }
      : {
          ArrowLeft: { across: now("pan") - by },
          ArrowRight: { across: now("pan") + by },
          ArrowUp: { depth: now("front") + by },
          ArrowDown: { depth: now("front") - by },
          "0": { across: 0 },
        };
    const wish = wishes[event.key];
    if (!wish) return false;
    const values = valuesFor(source, "whole", wish);
    if (Object.keys(values).length) hand.set(source, values, false);
    return true;
  }

  /** Back to where sources begin: in the middle of the front. */
  function reset(source: Source): void {
    const names = ["pan", ...room.lanesOf(source)].filter((name) => name !== "lfe") as Parameter[];
    const own = source.mode === "sides" ? names.filter((name) => name !== "pan") : names;
    const values = Object.fromEntries(own.map((name) => [name, FACES[name].initial])) as Values;
    if (source.mode === "sides") Object.assign(values, { pan_left: -1, pan_right: 1 });
    hand.set(source, values, false);
  }

  return { takenAlong, move, moveAll, drop, dropAll, step, reset, valuesFor };
}
