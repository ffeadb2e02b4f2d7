/** The pulse that is worked on: whose it is, its values as a hand holds them, and what the core reads of it. */
import { useSelection } from "./selection";
import { must } from "@/domain/must";
import type { Parameter, Value } from "@/domain/model";
import { t } from "@/words";
import { watchThrottled } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, onScopeDispose, ref, shallowRef, watch } from "vue";
import { get, post, type Schemas } from "@/api/http";
import { latest } from "@/api/latest";
import { useChartView } from "./view";
import { useMonitor, type MovesOffered } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import { say } from "@/ui/say";
import type { Operation } from "@/collab/outbox";
import { operation, useEdits } from "./edits";
import { useLibrary } from "./library";
import { kindAndId } from "@/domain/owners";
import { useSession } from "./session";

export type Pulse = Schemas["StoredPulse"];
export type Reading = Schemas["ReadingOut"];
export type PulseValues = Partial<Omit<Pulse, "id" | "before_conversion">>;

/** A pulse's values but those that are named. */
export const valuesOf = (pulse: Pulse, without: (keyof Pulse)[]): PulseValues =>
  Object.fromEntries(Object.entries(pulse).filter(([name]) => !without.includes(name as keyof Pulse)));

/** What of a pulse may follow a line. */
const LINED = ["depth", "period", "rate"] as const;
type Lined = (typeof LINED)[number];

/** How often the core is asked while a hand moves something (ms). */
const ASK_EVERY = 90;

export const usePulses = defineStore("pulses", () => {
  const session = useSession();
  const player = usePlayer();
  const selection = useSelection();
  const view = useChartView();
  const library = useLibrary();
  const monitor = useMonitor();
  const edits = useEdits();

  /** What pulses besides the chosen source itself: one of its sends, its group, a return. */
  const of = ref("");
  watch(
    () => selection.chosen,
    () => (of.value = ""),
  );
  const owner = computed(() => of.value || selection.chosen || "");
  const owners = computed(() => {
    const source = session.sourceById(selection.chosen);
    if (!source) return [];
    const sends = Object.values(session.document?.sends ?? {}).filter((one) => one.source === source.id);
    const found = [
      source.id,
      ...(source.group ? [`group:${source.group}`] : []),
      ...sends.map((send) => `send:${send.id}`),
      ...session.returns.map((one) => `return:${one.id}`),
    ];
    return found.map((id) => ({ id, name: view.nameOf(id), pulses: !!session.document?.pulses[id]?.on }));
  });
  const isSource = computed(() => kindAndId(owner.value)[0] === "source");
  const source = computed(() => session.sourceById(owner.value));

  const stored = computed(() => session.document?.pulses[owner.value]);
  const thing = (name: string): string => `pulse:${owner.value}.${name}`;
  const stepControl = (owner: string, index: number): string => `pulse:${owner}/${index}.step`;
  /** Whether a value follows a line: what is set is a point at the playhead then. */
  const follows = (name: Lined): boolean => session.follows(owner.value, `pulse_${name}` as Parameter);
  const lineNow = (name: Lined): number =>
    session.laneValueAt({ owner: owner.value, parameter: `pulse_${name}` }, player.playhead);
  const pulse = computed<Pulse | null>(() => {
    const first = library.library?.rhythm.at_first as Pulse | undefined;
    if (!first || !owner.value) return null;
    const stands = { ...first, ...(stored.value ?? { on: false }), id: owner.value };
    const shown = Object.fromEntries<unknown>(
      Object.entries(stands).map(([name, value]) => [name, session.shown(thing(name), value)]),
    );
    const lines = Object.fromEntries<unknown>(LINED.filter(follows).map((name) => [name, lineNow(name)]));
    const steps = (shown["steps"] as number[]).map((value, index) =>
      session.shown(stepControl(owner.value, index), value),
    );
    return { ...shown, ...lines, steps } as Pulse;
  });
  const frozen = computed(() => !!source.value?.frozen_asset);
  const mayEdit = computed(() => session.mayEdit && !frozen.value);

  /** What a hand draws of the wave's steps, by control. */
  const drawn = new Set<string>();

  /** Draw steps of the wave: they are shown and heard at once, and set when the hand lets go. */
  function draw(steps: number[]): void {
    if (!mayEdit.value) return;
    const stands = stored.value?.steps;
    for (const [index, value] of steps.entries()) {
      const control = stepControl(owner.value, index);
      if (value === stands?.[index] && !drawn.has(control)) continue;
      drawn.add(control);
      session.hold(control, value);
    }
  }

  /** The hand that drew has thought better of it. */
  function dropDrawn(): void {
    drawn.forEach(session.letGo);
    drawn.clear();
  }
  watch(owner, dropDrawn);

  /** Set values for everybody; a pulse that is not there begins. */
  function set(values: PulseValues): void {
    const controls = [...Object.keys(values).map(thing), ...drawn];
    drawn.clear();
    endTrial();
    if (!mayEdit.value || !owner.value) return;
    const lined = LINED.filter((name) => values[name] !== undefined && follows(name));
    for (const name of lined)
      edits.setLane({ owner: owner.value, parameter: `pulse_${name}` }, must(values[name]));
    const rest = Object.fromEntries(
      Object.entries(values).filter(([name]) => !lined.includes(name as Lined)),
    );
    if (lined.length && !Object.keys(rest).length) return;
    const given = stored.value ? rest : { on: true, ...rest };
    const shown = Object.fromEntries(
      Object.entries(given).map(([name, value]) => [thing(name), value as Value]),
    );
    session.change(shown, operation("set-pulse", { owner: owner.value, ...given }), controls);
  }

  const begin = (): void => set({ on: true, origin: session.grid.bars[0]?.beat ?? 0 });

  function remove(): void {
    if (stored.value) session.change({}, operation("remove-pulse", { owner: owner.value }));
  }

  /** The bar that is drawn, from 1: that of the playhead, unless it stays at one. */
  const stays = ref<number | null>(null);
  const bar = computed(() => {
    const beat = session.grid.beats[session.grid.indexAt(player.playhead)];
    return stays.value ?? beat?.bar ?? 1;
  });
  /** By whose accents it is weighed: one's own choice, at first the part's own. */
  const accents = ref("");
  const weighedBy = computed(
    () => accents.value || (isSource.value ? owner.value : (selection.chosen ?? "")),
  );

  const reading = shallowRef<Reading | null>(null);
  const trouble = ref("");
  /** Whether what is shown was read of something else than what is asked now. */
  const stale = ref(false);
  watch(owner, () => (reading.value = null));
  const turn = latest();
  /** By whose accents it was weighed already: others take a moment, and the figure does not wait for them. */
  const known = new Set<string>();
  async function read(): Promise<void> {
    if (!pulse.value || !session.id) return;
    const isLast = turn();
    stale.value = true;
    const by = weighedBy.value;
    try {
      const turns = known.has(by) ? [by] : ["", by];
      for (const accents of turns) {
        const found = await post<Reading>(`/api/sessions/${session.id}/pulse/reading`, {
          revision: session.revision,
          owner: owner.value,
          values: valuesOf(pulse.value, ["id", "before_conversion"]),
          bar: bar.value,
          accents,
        });
        known.add(accents);
        if (!isLast()) return;
        reading.value = found;
        stale.value = accents !== by;
      }
      trouble.value = "";
    } catch (error) {
      if (isLast()) trouble.value = (error as Error).message;
    }
  }

  /** Look as long as a desk shows it. */
  function follow(): void {
    onScopeDispose(endTrial);
    watchThrottled([pulse, bar, weighedBy, () => session.revision], read, {
      throttle: ASK_EVERY,
      trailing: true,
      immediate: true,
      deep: true,
    });
  }

  /** What of the pulse is heard as B; it ends with what it is about. */
  let offered: MovesOffered | null = null;
  function offer(moves: MovesOffered): void {
    offered = moves;
    monitor.offerMoves(moves, true);
  }
  function endTrial(): void {
    if (offered && monitor.moves === offered) monitor.offerMoves(null);
    offered = null;
  }
  watch(owner, endTrial);

  /** Hear other values as B, for oneself. */
  async function tryOut(values: PulseValues, title: string): Promise<void> {
    const source = owner.value;
    try {
      const draft = await post<Schemas["PulseDraft"]>(`/api/sessions/${session.id}/pulse/draft`, {
        revision: await session.settled(),
        owner: source,
        values,
      });
      offer({ words: [`draft=${draft.id}`], lanes: new Map(), title });
    } catch (error) {
      say.wrong((error as Error).message);
    }
  }

  /** Hear it without its pulse, for oneself, until B is let go. */
  const withoutIt = (): void =>
    offer({ words: [`${owner.value}/pulse=none`], lanes: new Map(), title: t("pulses.noPulse") });

  /** Have the core say what would write it out, or take it back, and do that. */
  async function make(which: "as-points" | "as-pulse"): Promise<void> {
    const source = owner.value;
    try {
      const query = new URLSearchParams({ revision: String(await session.settled()), owner: source });
      const found = await get<Schemas["OperationOut"]>(`/api/sessions/${session.id}/pulse/${which}?${query}`);
      session.change({}, found.operation as unknown as Operation);
      if (which === "as-points") say.done(t("pulses.pointsPointsWrittenEditThem", { points: found.points }));
    } catch (error) {
      say.wrong((error as Error).message);
    }
  }

  const isWritten = computed(() => Object.keys(stored.value?.before_conversion?.lanes ?? {}).length > 0);

  /** Twice or half as long, or any other length, from the same origin. */
  function stretch(factor: number): void {
    if (!pulse.value) return;
    const name = pulse.value.unit === "beats" ? "period" : "rate";
    const limit = library.library?.rhythm.limits[name];
    const value = pulse.value[name] * (name === "period" ? factor : 1 / factor);
    if (limit && value >= limit.low - 1e-9 && value <= limit.high + 1e-9) set({ [name]: value });
  }

  return {
    of, owner, owners, isSource, source, stored, pulse, follows, frozen, mayEdit, draw, dropDrawn, set, begin, remove, stays, bar, accents, weighedBy,
    reading, stale, trouble, follow, tryOut, withoutIt, make, isWritten, stretch,
  }; // prettier-ignore
});
