/** The keys of a session: what the help sheet lists, and what they do. */
import { t } from "@/words";
import { useEventListener } from "@vueuse/core";
import { useRouter } from "vue-router";
import { MOVE_KEYS, useMoveKeys } from "@/chart/moveKeys";
import { useChartView } from "@/chart/view";
import { useComments } from "@/comments/comments";
import { useCauses } from "@/desks/balance/causes";
import { useUse } from "@/desks/pulse/use";
import { useAlone } from "@/session/alone";
import { useMoves } from "@/session/moves";
import { usePulses } from "@/session/pulses";
import { useSession } from "@/session/session";
import { useWithout } from "@/session/without";
import { useAlong } from "@/sound/along";
import { useMonitor } from "@/sound/monitor";
import { usePlayer } from "@/sound/player";
import { useNotices } from "@/ui/notices";

export const KEYS: { title: string; keys: [string, string][] }[] = [
  {
    title: t("keys.listeningOnlyYou"),
    keys: [
      ["Space", t("keys.playStop")],
      [t("keys.homeEnd"), t("keys.toTheStartToThe")],
      [t("keys.and"), t("keys.oneBarBackOneBar")],
      ["R", t("keys.loopThePassageAtThe")],
      ["S", t("keys.soloTheSelection")],
      ["H", t("keys.showOnlyTheSelectionOr")],
      [t("keys.wShiftW"), t("keys.bypassATreatmentOfThe")],
      ["M, Shift+M", t("keys.monitorInMonoHeldOr")],
      [t("keys.bShiftB"), t("keys.compareBACounterweightA")],
      ["Escape", t("keys.stopListeningAlong")],
      ["C", t("keys.soloTheMainCauseOf")],
    ],
  },
  {
    title: "A source's place, in the list",
    keys: [
      ["← →", t("keys.by1Shift10")],
      ["0", t("keys.toTheCentreAlsoDouble")],
    ],
  },
  {
    title: t("keys.placeThePicture"),
    keys: [
      ["drag", t("keys.positionAndLevelTogetherAn")],
      ["← → ↑ ↓", t("keys.positionBy1LevelBy")],
      [t("keys.ctrlClickShiftClick"), t("keys.selectSeveralADragMoves")],
      [t("keys.n0DoubleClick"), t("keys.toTheCentreInA")],
      ["[ and ]", t("keys.previousSourceNextSource")],
      ["1, 2, 3, 4 and 5", t("keys.theDesksPlaceMovePulse")],
    ],
  },
  {
    title: t("keys.thePlanTheRoomFrom"),
    keys: [
      ["drag", t("keys.acrossAndAlongAtOnce")],
      [t("keys.altDragTwoFingers"), t("keys.upAndDown")],
      ["← → ↑ ↓", t("keys.acrossAndAlongBy1")],
      [t("keys.altAlt"), t("keys.higherLowerBy1Shift")],
      ["0", t("keys.toTheMiddle")],
      ["double-click", t("keys.backToTheMiddleOf")],
      [t("keys.enterOnALoudspeaker"), t("keys.useThisLoudspeakerForThe")],
    ],
  },
  {
    title: t("keys.theChart"),
    keys: [
      ["double-click", t("keys.addAPointToThe")],
      [t("keys.onAPoint"), t("keys.moveItBy1Shift")],
      [t("keys.onAPoint2"), t("keys.earlierLaterByOneGrid")],
      [t("keys.sOnAPoint"), t("keys.nextShape")],
      [t("keys.deleteOnAPoint"), t("keys.deleteIt")],
      [t("keys.dragWithAltShift"), t("keys.ignoreTheGridKeepThe")],
      [t("keys.wheelCtrlWheel"), t("keys.scrollThroughTimeZoom")],
      [t("keys.dragOnTheBarNumbers"), t("keys.newPassageDoubleClickOr")],
    ],
  },
  {
    title: t("keys.pulse"),
    keys: [
      ["− and +", t("keys.halfOrDoubleTheCycle")],
      ["F", t("keys.flipTheWaveform")],
      ["K", t("keys.metronomeOnlyForYouOn")],
      [t("keys.wShiftW"), t("keys.bypassItsPulseOrIts")],
      [t("keys.arrowsADelete"), t("keys.inTheDealtNotesSelect")],
    ],
  },
  { title: t("keys.movesTheChartSTools"), keys: MOVE_KEYS },
  {
    title: t("keys.yourChanges"),
    keys: [
      ["Ctrl+Z", t("keys.undoYourOwnLastChange")],
      ["Ctrl+Shift+Z", t("keys.redoIt")],
      ["O", t("keys.afterAnOverwrittenChangeRestore")],
      ["N", t("keys.commentAtThePlayheadOr")],
      ["?", t("keys.thisHelp")],
    ],
  },
];

const isField = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && !!target.closest("input, textarea, select, [contenteditable], .ant-modal");

export function useKeys(showHelp: () => void, desk: () => string): void {
  const moveKeys = useMoveKeys();
  const session = useSession();
  const player = usePlayer();
  const view = useChartView();
  const without = useWithout();
  const monitor = useMonitor();
  const causes = useCauses();
  const pulses = usePulses();
  const alone = useAlone();
  const use = useUse();
  const router = useRouter();
  const comments = useComments();
  const moves = useMoves();
  const notices = useNotices();
  const along = useAlong();

  function goRound(): void {
    if (player.round) player.round = null;
    else
      player.round =
        session.passages.find((passage) => {
          const [from, to] = [passage.start, passage.end].map((beat) => session.grid.secondsOfBeat(beat));
          return player.playhead >= from! && player.playhead < to!;
        })?.id ?? null;
  }

  function neighbour(by: number): void {
    const at = session.sources.findIndex((one) => one.id === player.chosen);
    const next = session.sources[Math.min(Math.max(at + by, 0), session.sources.length - 1)];
    if (next) view.choose(next.id);
  }

  const actions: Record<string, () => void> = {
    " ": () => player.toggle(),
    Home: () => player.seek(0),
    End: () => player.seek(session.length),
    ",": () => player.seek(session.grid.barFrom(player.playhead, -1)),
    ".": () => player.seek(session.grid.barFrom(player.playhead, 1)),
    r: goRound,
    s: () => view.selection.length && player.soloThese(view.selection),
    h: () => (view.alone = !view.alone),
    W: () => (without.on ? without.stop() : without.start(true)),
    "[": () => neighbour(-1),
    "]": () => neighbour(1),
    "1": () => void router.replace(`/sessions/${session.id}/place`),
    "2": () => void router.replace(`/sessions/${session.id}/move`),
    "3": () => void router.replace(`/sessions/${session.id}/pulse`),
    "4": () => void router.replace(`/sessions/${session.id}/balance`),
    "5": () => void router.replace(`/sessions/${session.id}/hand-over`),
    n: () => comments.begin(moves.span),
    o: () => {
      const notice = notices.byKey("o");
      if (notice) notices.act(notice);
    },
    k: () => (player.click = !player.click),
    c: () => causes.hearNext(),
    M: () => monitor.latch("mono"),
    B: () => monitor.compare(!monitor.comparing),
    "?": showHelp,
    Escape: () => (along.tab ? along.leave() : alone.id && alone.close()),
  };

  const pulseActions: Record<string, () => void> = {
    "-": () => pulses.stretch(1 / 2),
    "+": () => pulses.stretch(2),
    "=": () => pulses.stretch(2),
    f: () => pulses.stored && pulses.set({ flip: !pulses.pulse?.flip }),
  };

  /** Keys that last as long as they are held. */
  const holds: Record<string, { start: () => void; stop: () => void }> = {
    w: {
      start: () => {
        if (desk() === "pulse") without.treatment = use.dealing ? "deal" : "pulse";
        if (!without.latched) without.start(false);
      },
      stop: () => !without.latched && without.stop(),
    },
    m: { start: () => monitor.hold("mono"), stop: () => monitor.letGo() },
    b: { start: () => monitor.compare(true), stop: () => monitor.compare(false) },
  };
  let held = "";
  function letGo(): void {
    if (held) holds[held]!.stop();
    held = "";
  }
  // A window that loses the keyboard never hears that the key was let go.
  useEventListener(window, "blur", letGo);

  useEventListener("keydown", (event: KeyboardEvent) => {
    if (isField(event.target)) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      event.preventDefault();
      session.turnBack(event.shiftKey ? "redo" : "undo");
      return;
    }
    const hold = event.ctrlKey || event.metaKey || event.altKey ? undefined : holds[event.key];
    if (hold) {
      if (!event.repeat && !held) {
        held = event.key;
        hold.start();
      }
      return;
    }
    const controlled = event.ctrlKey || event.metaKey || event.altKey;
    // Something that is written out to be copied goes first.
    const copies = controlled && !event.altKey && !window.getSelection()?.toString();
    const own: Record<string, Record<string, () => void>> = { move: moveKeys.actions, pulse: pulseActions };
    const ofDesk = controlled ? {} : (own[desk()] ?? {});
    const found = copies && desk() === "move" ? moveKeys.withControl[event.key] : undefined;
    const action = found ?? (controlled ? undefined : (ofDesk[event.key] ?? actions[event.key]));
    // A button that has the focus is pressed by Enter itself, unless there is something to decide elsewhere.
    const pressed = event.key === "Enter" && (event.target as HTMLElement).closest("button, a, summary");
    if (!action || (pressed && (!moveKeys.undecided() || pressed.closest("[data-decides]")))) return;
    event.preventDefault();
    action();
  });
  useEventListener("keyup", (event: KeyboardEvent) => {
    if (event.key.toLowerCase() === held) letGo();
  });
}
