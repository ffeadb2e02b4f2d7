/** A stretch of lanes and what is to be done with it: looked at as a draft, heard as B, applied as one change. */
import { useSelection } from "./selection";
import type { LaneName, Parameter, Point } from "@/domain/model";
import { t } from "@/words";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";
import { get, post, type Schemas } from "@/api/http";
import { latest } from "@/api/latest";
import { useChartView } from "./view";
import { replaced } from "@/domain/lanes";
import type { Operation } from "@/collab/outbox";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import { say } from "@/ui/say";
import { operation, batch } from "./edits";
import { useSession } from "./session";

export type Edit = Schemas["EditIn"]["edit"];
export type Draft = Schemas["DraftOut"];
export type Clip = Schemas["ClipIn"];
export type PastePlace = Schemas["PlaceOut"];
type Write = Schemas["Write"];

export interface Span {
  start: number;
  end: number;
}

/** The same of a stereo source's other side. */
export const OTHER_SIDE: Partial<Record<Parameter, Parameter>> = {
  pan_left: "pan_right", pan_right: "pan_left", level_left: "level_right", level_right: "level_left",
  width_left: "width_right", width_right: "width_left",
}; // prettier-ignore

/** Nothing shorter is picked (s). */
const SHORTEST = 0.02;

export const useMoves = defineStore("moves", () => {
  const session = useSession();
  const player = usePlayer();
  const selection = useSelection();
  const view = useChartView();
  const monitor = useMonitor();

  const span = ref<Span | null>(null);
  /** Lanes of which this person has said otherwise than at first whether they are changed along, by key. */
  const toggled = ref<string[]>([]);
  const lanes = computed<LaneName[]>(() => {
    if (!view.lane) return [];
    const main = view.lane;
    const returns = main.owner.startsWith("return:")
      ? session.returns.map(({ id }) => ({ owner: `return:${id}`, parameter: main.parameter }))
      : [];
    const here = [
      ...view.lanesHere,
      ...returns.filter((one) => !view.lanesHere.some((two) => keyOf(one) === keyOf(two))),
    ];
    const own = [main, ...here.filter((one) => isAlong(one) && keyOf(one) !== keyOf(main))];
    // Sources that are chosen besides are changed as this one is, as far as they have the same to move.
    const besides = session.sources.filter(
      (one) => selection.all.includes(one.id) && one.id !== selection.chosen,
    );
    return [
      ...own,
      ...besides.flatMap((source) =>
        own
          .filter(({ parameter }) => view.ownLanes(source).includes(parameter))
          .map(({ parameter }) => ({ owner: source.id, parameter })),
      ),
    ];
  });
  const keyOf = ({ owner: source, parameter }: LaneName): string => session.laneKey(source, parameter);
  /** Both sides of a stereo source are changed as one, unless one is left out. */
  const isOtherSide = (lane: LaneName): boolean =>
    lane.owner === view.lane?.owner && OTHER_SIDE[lane.parameter] === view.lane.parameter;
  const isAlong = (lane: LaneName): boolean => isOtherSide(lane) !== toggled.value.includes(keyOf(lane));

  /** Whether a lane goes the other way when sides cross: a stereo source's other side, or another return. */
  const isCrossing = (lane: LaneName): boolean =>
    lane.parameter.startsWith("pan") &&
    (OTHER_SIDE[lane.parameter] === view.parameter ||
      (lane.owner.startsWith("return:") && lane.owner !== view.lane?.owner));

  const edit = ref<Edit | null>(null);
  const glide = ref(0);
  const stay = ref(false);
  /** A stereo source's other side is given its places mirrored, so that both cross. */
  const crossing = ref(true);
  const draft = shallowRef<Draft | null>(null);
  const trouble = ref("");
  /** What is shown was asked for with other fields: the answer to these is still to come. */
  const isOutdated = ref(false);
  /** Apply was pressed meanwhile: what comes is what is applied. */
  let applyWhenShown = false;
  const clip = shallowRef<{ clip: Clip; from: LaneName; summary: string } | null>(null);
  const turn = latest();

  function toggleAlong(lane: LaneName): void {
    const key = keyOf(lane);
    toggled.value = toggled.value.includes(key)
      ? toggled.value.filter((one) => one !== key)
      : [...toggled.value, key];
  }

  function pick(start: number, end: number): void {
    const [low, high] = [Math.min(start, end), Math.max(start, end)].map((at) =>
      Math.min(Math.max(at, 0), session.length),
    ) as [number, number];
    span.value = high - low >= SHORTEST ? { start: low, end: high } : null;
    if (!span.value) leave();
  }

  /** Pick the passage at the playhead, or its bar where there is none. */
  function pickHere(): void {
    const at = player.playhead;
    const passage = session.passages
      .map((one) => [one.start, one.end].map((beat) => session.grid.secondsOfBeat(beat)) as [number, number])
      .find(([start, end]) => at >= start && at < end);
    const bar = session.grid.barFrom(at, 0);
    pick(
      ...(passage ?? [bar, session.grid.barFrom(at, 1) > bar ? session.grid.barFrom(at, 1) : session.length]),
    );
  }

  /** Look at what is picked, at the passage one goes round, or at everything. */
  function fit(): void {
    const seen = span.value ?? player.roundSpan;
    view.fit(seen?.start ?? 0, seen?.end ?? session.length);
  }

  function letGo(): void {
    span.value = null;
    leave();
  }

  /** What the lanes would be with a draft's writes, by key. */
  function lanesWith(writes: Write[]): Map<string, Point[]> {
    const found = new Map<string, Point[]>();
    for (const write of writes) {
      const lane = write as unknown as LaneName;
      const before = found.get(keyOf(lane)) ?? session.points(lane.owner, lane.parameter);
      found.set(keyOf(lane), replaced(before, write.start, write.end, write.points));
    }
    return found;
  }
  const preview = computed(() => (draft.value ? lanesWith(draft.value.writes) : new Map<string, Point[]>()));

  async function ask(path: string, body: object): Promise<Draft | null> {
    const isLast = turn();
    trouble.value = "";
    try {
      const found = await post<Draft>(`/api/sessions/${session.id}/${path}`, {
        revision: await session.settled(),
        ...body,
      });
      return isLast() ? found : null;
    } catch (error) {
      if (isLast()) trouble.value = (error as Error).message;
      return null;
    }
  }

  /** Show and offer to hear what a change would make. */
  function show(found: Draft | null): void {
    draft.value = found;
    isOutdated.value = false;
    const heard = player.moves.length > 0 && monitor.comparing;
    monitor.offerMoves(
      found && { words: [`draft=${found.id}`], lanes: lanesWith(found.writes), title: found.summary },
      heard && !!found,
    );
    const isWanted = applyWhenShown;
    applyWhenShown = false;
    if (isWanted && found) apply();
  }

  async function askAndShow(path: string, body: object): Promise<void> {
    isOutdated.value = true;
    const found = await ask(path, body);
    if (found || trouble.value) show(found);
  }

  let again: (() => Promise<void>) | null = null;

  /** Look at a range operation before it is made. */
  async function look(wanted: Edit): Promise<void> {
    pasting.value = false;
    edit.value = wanted;
    again = async () => {
      const here = span.value;
      if (!here || !edit.value || !lanes.value.length) return;
      const crossed = crossing.value && ["sweep", "hold"].includes(edit.value.kind);
      const names = lanes.value.map((one) => ({
        ...one,
        mirrored: crossed && isCrossing(one),
      }));
      const body = { lanes: names, ...here, edit: edit.value, glide: glide.value, stay: stay.value };
      await askAndShow("moves/edit", body);
    };
    await again();
  }

  /** What was copied is being put down: asked where, whether or not a range is picked. */
  const pasting = ref(false);
  function startPasting(): void {
    if (!clip.value) return;
    leave();
    pasting.value = true;
  }

  function leave(): void {
    pasting.value = false;
    forget();
  }

  /** Show nothing of a change any more. */
  function forget(): void {
    edit.value = again = null;
    turn();
    trouble.value = "";
    isOutdated.value = applyWhenShown = false;
    if (draft.value) show(null);
  }

  /** What is shown is not what the fields say any more; the new one is asked for in a moment. */
  function outdate(): void {
    if (draft.value) isOutdated.value = true;
  }

  const writing = (writes: Write[]): Operation[] => writes.map((write) => operation("write-points", write));

  /** Make a draft's change: one, to be undone as one. */
  function make(found: Draft): void {
    const shown = Object.fromEntries(lanesWith(found.writes));
    if (found.writes.length) session.change(shown, batch(found.summary, writing(found.writes)));
    else say.know(t("moves.thatChangesNothingHere"));
  }

  /** Make the change that the fields say: at once where it is what is shown, else as soon as it has come. */
  function apply(): void {
    const found = draft.value;
    if (!found) return;
    if (isOutdated.value) {
      applyWhenShown = true;
      return;
    }
    leave();
    make(found);
  }

  /** A range operation that needs no looking at first: what a pointer has drawn or dragged. */
  async function atOnce(names: LaneName[], here: Span, wanted: Edit): Promise<void> {
    const found = await ask("moves/edit", { lanes: names, ...here, edit: wanted });
    if (found) make(found);
    else if (trouble.value) say.wrong(trouble.value);
  }

  async function copy(): Promise<void> {
    const [main] = lanes.value;
    const here = span.value;
    if (!here || !main) return;
    const names = lanes.value.filter(({ owner }) => owner === main.owner);
    try {
      const body = { revision: await session.settled(), lanes: names, ...here };
      const found = await post<Clip>(`/api/sessions/${session.id}/moves/clip`, body);
      const where = session.grid.barsText(here.start, here.end);
      clip.value = { clip: found, from: main, summary: `${view.nameOf(main.owner)}, ${where}` };
      say.done(`Copied: ${clip.value.summary}.`);
    } catch (error) {
      say.wrong((error as Error).message);
    }
  }

  /** Look at the copied move put down on other places. */
  async function lookPasted(
    targets: { owner: string; at: number }[],
    onto: Record<string, string> | undefined,
    mirrored: boolean,
    byBeats: boolean,
  ): Promise<void> {
    const copied = clip.value;
    if (!copied) return;
    edit.value = null;
    again = async () => {
      const body = { clip: copied.clip, targets, onto, mirrored, by_beats: byBeats, glide: glide.value };
      await askAndShow("moves/paste", body);
    };
    await again();
  }

  /** Look at a path on the plan before it is taken. */
  async function lookPath(body: object): Promise<void> {
    edit.value = null;
    again = async () => {
      await askAndShow("room/path", body);
    };
    await again();
  }

  /** Where the copied move may be put down. */
  async function places(kind: "passages" | "bars" | "sound", more: Record<string, string>) {
    const copied = clip.value;
    if (!copied) return [];
    const { start, seconds } = copied.clip;
    const range = { revision: String(session.revision), start: String(start), end: String(start + seconds) };
    const base = `/api/sessions/${session.id}`;
    if (kind === "sound")
      return get<PastePlace[]>(
        `${base}/sources/${copied.from.owner}/occurrences?${new URLSearchParams(range)}`,
      );
    return get<PastePlace[]>(`${base}/moves/places?${new URLSearchParams({ ...range, kind, ...more })}`);
  }

  // What a colleague changes meanwhile is in the next look.
  watch(
    () => session.revision,
    () => draft.value && void again?.(),
  );
  watch([span, lanes, glide, stay, crossing], () => edit.value && void again?.(), { deep: true });
  watch(
    () => session.id,
    () => {
      letGo();
      clip.value = null;
    },
  );

  return {
    span, lanes, edit, glide, stay, crossing, draft, trouble, clip, preview, pasting,
    keyOf, isAlong, isCrossing, toggleAlong, pick, pickHere, fit, letGo, look, outdate, forget, leave, startPasting, apply, make, atOnce, copy, lookPasted, lookPath, places, lanesWith, show,
  }; // prettier-ignore
});
