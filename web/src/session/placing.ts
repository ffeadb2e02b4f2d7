/** Whole sources: copied, split, put elsewhere in the list, grouped, taken away and brought back. */
import { useSelection } from "./selection";
import { must } from "@/domain/must";
import type { Parameter, Source } from "@/domain/model";
import { t } from "@/words";
import { channelPlaces } from "@/domain/ends";
import { ownOf } from "@/domain/parameters";
import type { Operation } from "@/collab/outbox";
import { usePlayer } from "@/audio/player";
import { freshId, operation, batch, useEdits } from "./edits";
import { useRoom } from "./room";
import { useSession } from "./session";

/** What a source's level is set by; all else that it has places it. */
const LEVELS: string[] = ["level", "trim", "lfe"];
/** What a placement is made of, besides where it stands in time. */
const PLACEMENT = [
  "mode", "swap_channels", "invert_left", "invert_right", "delay_panning", "delay_panning_ms", "level_share", "double", "double_ms",
  "double_trim", "snap", ...ownOf("source").filter((name) => !LEVELS.includes(name)),
] as (keyof Source)[]; // prettier-ignore

export function usePlacing() {
  const session = useSession();
  const edits = useEdits();
  const player = usePlayer();
  const selection = useSelection();
  const room = useRoom();

  const placementOf = (source: Source): Record<string, unknown> =>
    Object.fromEntries(PLACEMENT.map((name) => [name, source[name]]));

  const sendsOf = (source: Source, id: string) =>
    Object.values(session.document?.sends ?? {})
      .filter((send) => send.source === source.id)
      .map((send) => ({ ...send, id: session.sendKey(id, send.return), source: id }));

  function adding(source: Source, values: Partial<Source>): Operation {
    const made = { ...source, ...values };
    const lanes = Object.fromEntries(
      ownOf("source")
        .filter((parameter) => session.points(source.id, parameter).length)
        .map((parameter) => [parameter, session.points(source.id, parameter)]),
    );
    const layers = room
      .layersOf(source.id)
      .map((one) => ({ ...one, id: freshId(one.name), source: made.id }));
    return operation("add-source", {
      source: made, lanes, sends: sendsOf(source, made.id), routes: room.routes(source.id), layers,
    }); // prettier-ignore
  }

  function duplicate(source: Source): void {
    const id = freshId(source.name);
    edits.make(
      adding(source, { id, name: t("placing.nameCopy", { name: source.name }), order: source.order }),
    );
    selection.choose(id);
  }

  /** Every channel becomes a mono source where it stands now. */
  function split(source: Source): void {
    const look = (parameter: Parameter): number => session.ownValueAt(source, parameter, player.playhead);
    const places = source.mode === "balance" ? [-1, 1] : channelPlaces(source.mode, source.channels, look);
    const sides = source.channels === 2 ? ["left", "right"] : places.map((_, i) => String(i + 1));
    const added = places.map((pan, i) => {
      const id = freshId(`${source.name} ${sides[i]}`);
      const own = {
        ...source, id, name: `${source.name} ${sides[i]}`, first_channel: source.first_channel + i, channels: 1, mode: "pan", pan,
      }; // prettier-ignore
      const level = session.points(source.id, "level");
      return operation("add-source", {
        source: own, lanes: level.length ? { level } : {}, sends: sendsOf(source, id),
      }); // prettier-ignore
    });
    const removed = operation("remove-source", { source: source.id });
    edits.make(
      batch(t("placing.nameSplitIntoPlaceCount", { name: source.name, placeCount: places.length }), [
        ...added,
        removed,
      ]),
    );
  }

  /** Put a source elsewhere in the list: before another one, or at the end. */
  function putBefore(source: Source, before: Source | null): void {
    const rest = session.sources.filter((one) => one.id !== source.id);
    const at = before ? rest.findIndex((one) => one.id === before.id) : rest.length;
    const wanted = [...rest.slice(0, at), source, ...rest.slice(at)];
    const changes = wanted.flatMap((one, order) =>
      one.order === order ? [] : [operation("arrange-source", { source: one.id, order })],
    );
    if (before && before.group !== source.group)
      changes.push(operation("join-group", { source: source.id, group: before.group }));
    if (changes.length) edits.make(batch(t("placing.nameMovedInTheList", { name: source.name }), changes));
  }

  function move(source: Source, by: number): void {
    const list = session.sources;
    const at = list.findIndex((one) => one.id === source.id);
    const beyond = list[by < 0 ? at - 1 : at + 2] ?? null;
    if (by < 0 ? at > 0 : at < list.length - 1) putBefore(source, beyond);
  }

  function group(sources: Source[], name: string): void {
    const id = freshId(name);
    const order = session.groups.length;
    const made = { id, name, order, level: 0, muted: false, shift: 0 };
    edits.make(operation("add-group", { group: made, members: sources.map((one) => one.id) }));
  }

  function remove(sources: Source[]): void {
    const what =
      sources.length === 1
        ? `${must(sources[0]).name} removed`
        : t("placing.sourceCountSourcesRemoved", { sourceCount: sources.length });
    edits.make(batch(what, sources.map(({ id }) => operation("remove-source", { source: id })))); // prettier-ignore
    selection.choose(null);
  }

  return { placementOf, duplicate, split, putBefore, move, group, remove };
}
