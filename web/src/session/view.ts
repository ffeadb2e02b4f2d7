/** Which stretch of time the chart shows, and what is chosen on it: personal, like a scroll position. */
import type { LaneName, Parameter, Source, Point } from "@/domain/model";
import { t } from "@/words";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";
import { isOfRoom, ownOf } from "@/domain/parameters";
import { clamp } from "@/domain/format";
import { useSelection } from "./selection";
import { useLibrary } from "./library";
import { endsOfSend, kindAndId } from "@/domain/owners";
import { useRoom } from "./room";
import { useSession } from "./session";

const CLOSEST = 400;
const FARTHEST = 0.5;

export const useChartView = defineStore("chart-view", () => {
  const session = useSession();
  const selection = useSelection();
  const library = useLibrary();
  const room = useRoom();
  /** The time (s) at the chart's upper edge, and pixels to a second. */
  const top = ref(0);
  const scale = ref(18.75);
  const height = ref(600);
  /** Where the chart's upper edge is on the page (px). */
  const paperTop = ref(0);
  const parameter = ref<Parameter>("pan");
  /** What the shown lane belongs to, where that is not the chosen source itself. */
  const of = ref("");
  const lane = computed<LaneName | null>(() => {
    const owner = of.value || selection.chosen;
    return owner ? { owner, parameter: parameter.value } : null;
  });
  /** What can be automated of a source itself, as it is panned. */
  function ownLanes(source: Source): Parameter[] {
    const mode = library.library?.modes.find((one) => one.name === source.mode);
    const placing = (mode?.parameters ?? ["pan"]) as Parameter[];
    const ofSomeMode = new Set((library.library?.modes ?? []).flatMap((one) => one.parameters));
    const others = ownOf("source").filter(
      (name) => !isOfRoom(name) && !ofSomeMode.has(name) && (name !== "width" || source.channels === 2),
    );
    const ownNames = [...placing, ...others.filter((name) => !placing.includes(name))];
    return room.surround ? [...ownNames, ...room.lanesOf(source)] : ownNames;
  }

  /** Every lane that may be worked on with the chosen source: its own, its sends', its group's, the returns'. */
  const lanesHere = computed<LaneName[]>(() => {
    const source = session.sourceById(selection.chosen);
    if (!source) return [];
    const own = ownLanes(source);
    const sends = Object.values(session.document?.sends ?? {}).filter((send) => send.source === source.id);
    const named = (owner: string, parameters: Parameter[]): LaneName[] =>
      parameters.map((parameter) => ({ owner, parameter }));
    const pulsing = (owner: string): LaneName[] => {
      const pulse = session.document?.pulses[owner];
      return pulse
        ? named(owner, ["pulse_depth", pulse.unit === "beats" ? "pulse_period" : "pulse_rate"])
        : [];
    };
    return [
      ...named(source.id, own),
      ...pulsing(source.id),
      ...sends.flatMap((send) =>
        named(`send:${send.id}`, send.place === "own" ? ["level", ...room.placed] : ["level"]),
      ),
      ...sends.flatMap((send) => pulsing(`send:${send.id}`)),
      ...(source.group
        ? [...named(`group:${source.group}`, ["level"]), ...pulsing(`group:${source.group}`)]
        : []),
      ...sends.flatMap((send) => [
        ...named(`return:${send.return}`, room.ofReturns),
        ...pulsing(`return:${send.return}`),
      ]),
      ...room.layersOf(source.id).flatMap((layer) => named(`layer:${layer.id}`, room.ofLayers)),
      ...(room.surround ? named("room:mix", ["rotation"]) : []),
    ];
  });

  /** A lane's owner in words. */
  function nameOf(owner: string): string {
    const [kind, id] = kindAndId(owner);
    const document = session.document;
    if (kind === "source") return document?.sources[id]?.name ?? id;
    if (kind === "group") return document?.groups[id]?.name ?? id;
    if (kind === "return") return document?.returns[id]?.name ?? id;
    if (kind === "layer") return document?.layers[id]?.name ?? id;
    if (kind === "room") return t("view.theRoom");
    const [from, to] = endsOfSend(id);
    return t("view.sendIn", {
      from: document?.sources[from]?.name ?? from,
      to: document?.returns[to]?.name ?? to,
    });
  }

  /** Work on a lane. */
  function showLane({ owner: source, parameter: wanted }: LaneName): void {
    of.value = source === selection.chosen ? "" : source;
    parameter.value = wanted;
    point.value = null;
  }

  /** A lane as it is while a hand drags one of its points. */
  const dragged = shallowRef<{ key: string; points: Point[] } | null>(null);
  /** The chosen point's index in the chosen source's lane. */
  const point = ref<number | null>(null);
  /** Parts of a beat that points snap to; 0 for none. */
  const gridParts = ref(4);
  watch(
    () => selection.chosen,
    () => {
      point.value = null;
      of.value = "";
    },
    { flush: "sync" },
  );

  const limit = (at: number): number =>
    clamp(at, -16 / scale.value, Math.max(session.length - (height.value * 0.6) / scale.value, 0));

  function scrollBy(pixels: number): void {
    top.value = limit(top.value + pixels / scale.value);
  }

  /** Zoom so that the time under a height stays under it. */
  function zoom(factor: number, y: number): void {
    const at = top.value + y / scale.value;
    scale.value = clamp(scale.value * factor, FARTHEST, CLOSEST);
    top.value = limit(at - y / scale.value);
  }

  /** Show a stretch of time, and nothing else if it can be. */
  function fit(start: number, end: number): void {
    scale.value = clamp((height.value - 24) / Math.max(end - start, 0.05), FARTHEST, CLOSEST);
    top.value = limit(start - 12 / scale.value);
  }

  /** Bring a time into view if it is not, a quarter down the page. */
  function show(at: number): void {
    const y = (at - top.value) * scale.value;
    if (y < 0 || y > height.value - 24) top.value = limit(at - (height.value * 0.25) / scale.value);
  }

  return {
    top, scale, height, paperTop, parameter, point, of, lane, ownLanes, lanesHere, dragged, nameOf, showLane, fit, gridParts, 
    scrollBy, zoom, show,
  }; // prettier-ignore
});
