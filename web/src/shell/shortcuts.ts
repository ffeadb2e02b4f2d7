/** The keys of a session: what the help sheet lists, and what they do. */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import { t } from "@/words";
import { useEventListener } from "@vueuse/core";
import { useRouter } from "vue-router";
import { MOVE_KEYS, useMoveKeys } from "./chartShortcuts";
import { BARS } from "@/domain/grid";
import { useComments } from "@/features/comments/comments";
import { useCauses } from "@/audio/causes";
import { usePulseDesk } from "@/session/pulseDesk";
import { useAlone } from "@/audio/alone";
import { useMoves } from "@/session/moves";
import { usePulses } from "@/session/pulses";
import { useSession } from "@/session/session";
import { useBypass } from "@/audio/bypass";
import { useAlong } from "@/audio/along";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import { usePreferences } from "@/account/preferences";
import { useShortcutKeys } from "@/account/shortcutKeys";
import { useNotices } from "@/ui/notices";

/** As many bars are gone round where nothing else says which. */
const BARS_ROUND = 4;

/** Keys, what they do, and which of them are shortcuts whose key can be changed. */
export type KeyRow = [keys: string, what: string, shortcuts?: string];

export const KEYS: { title: string; keys: KeyRow[] }[] = [
  {
    title: t("shortcuts.listeningOnlyYou"),
    keys: [
      ["Space", t("shortcuts.playStop")],
      [t("shortcuts.homeEnd"), t("shortcuts.toTheStartToThe")],
      [t("shortcuts.and"), t("shortcuts.oneBarBackOneBar"), ",."],
      ["R", t("shortcuts.loopThePassageAtThe"), "r"],
      ["S", t("shortcuts.soloTheSelection"), "s"],
      ["H", t("shortcuts.showOnlyTheSelectionOr"), "h"],
      [t("shortcuts.wShiftW"), t("shortcuts.bypassATreatmentOfThe"), "w"],
      ["M, Shift+M", t("shortcuts.monitorInMonoHeldOr"), "m"],
      [t("shortcuts.bShiftB"), t("shortcuts.compareBACounterweightA"), "b"],
      ["Escape", t("shortcuts.stopListeningAlong")],
      ["C", t("shortcuts.soloTheMainCauseOf"), "c"],
    ],
  },
  {
    title: t("shortcuts.theListOfSources"),
    keys: [
      ["← → ↑ ↓", t("shortcuts.fromRowToRowAlong")],
      ["PgUp, PgDn", t("shortcuts.tenRows")],
      [t("shortcuts.backToShortcuts"), t("shortcuts.keysAreGivenBack")],
      [t("shortcuts.onItsPosition"), t("shortcuts.by1Shift10")],
      ["0", t("shortcuts.toTheCentreAlsoDouble")],
    ],
  },
  {
    title: t("shortcuts.placeThePicture"),
    keys: [
      [t("shortcuts.drag"), t("shortcuts.positionAndLevelTogetherAn")],
      ["← → ↑ ↓", t("shortcuts.positionBy1LevelBy")],
      [t("shortcuts.enterOnAMark"), t("shortcuts.selectIt")],
      [t("shortcuts.ctrlClickShiftClick"), t("shortcuts.selectSeveralADragMoves")],
      [t("shortcuts.n0DoubleClick"), t("shortcuts.toTheCentreInA")],
      ["[ and ]", t("shortcuts.previousSourceNextSource"), "[]"],
      ["PgUp, PgDn", t("shortcuts.fromMarkToMark")],
      [t("shortcuts.n12345"), t("shortcuts.theDesksPlaceMovePulse"), "12345"],
    ],
  },
  {
    title: t("shortcuts.thePlanTheRoomFrom"),
    keys: [
      [t("shortcuts.drag"), t("shortcuts.acrossAndAlongAtOnce")],
      [t("shortcuts.altDragTwoFingers"), t("shortcuts.upAndDown")],
      ["← → ↑ ↓", t("shortcuts.acrossAndAlongBy1")],
      [t("shortcuts.altAlt"), t("shortcuts.higherLowerBy1Shift")],
      ["0", t("shortcuts.toTheMiddle")],
      [t("shortcuts.doubleClick"), t("shortcuts.backToTheMiddleOf")],
      [t("shortcuts.enterOnALoudspeaker"), t("shortcuts.useThisLoudspeakerForThe")],
    ],
  },
  {
    title: t("shortcuts.theChart"),
    keys: [
      [t("shortcuts.doubleClick"), t("shortcuts.addAPointToThe")],
      [t("shortcuts.framePoints"), t("shortcuts.pickSeveralPoints")],
      [t("shortcuts.onAPoint"), t("shortcuts.moveItBy1Shift")],
      [t("shortcuts.onAPoint2"), t("shortcuts.earlierLaterByOneGrid")],
      [t("shortcuts.sOnAPoint"), t("shortcuts.nextShape")],
      [t("shortcuts.deleteOnAPoint"), t("shortcuts.deleteIt")],
      [t("shortcuts.dragWithAltShift"), t("shortcuts.ignoreTheGridKeepThe")],
      [t("shortcuts.wheelCtrlWheel"), t("shortcuts.scrollThroughTimeZoom")],
      [t("shortcuts.dragOnTheBarNumbers"), t("shortcuts.newPassageDoubleClickOr")],
    ],
  },
  {
    title: t("shortcuts.pulse"),
    keys: [
      ["− and +", t("shortcuts.halfOrDoubleTheCycle")],
      ["F", t("shortcuts.flipTheWaveform"), "f"],
      ["K", t("shortcuts.metronomeOnlyForYouOn"), "k"],
      [t("shortcuts.wShiftW"), t("shortcuts.bypassItsPulseOrIts"), "w"],
      [t("shortcuts.arrowsADelete"), t("shortcuts.inTheDealtNotesSelect")],
    ],
  },
  { title: t("shortcuts.movesTheChartSTools"), keys: MOVE_KEYS },
  {
    title: t("shortcuts.yourChanges"),
    keys: [
      ["Ctrl+Z", t("shortcuts.undoYourOwnLastChange")],
      ["Ctrl+Shift+Z", t("shortcuts.redoIt")],
      ["O", t("shortcuts.afterAnOverwrittenChangeRestore"), "o"],
      ["N", t("shortcuts.commentAtThePlayheadOr"), "n"],
      ["?", t("shortcuts.thisHelp")],
    ],
  },
];

const isField = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && !!target.closest("input, textarea, select, [contenteditable], .ant-modal");
/** A field into which nothing is written, so that Enter means nothing to it. */
const isTick = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  target.matches("select, input[type=checkbox], input[type=radio]") &&
  !target.closest(".ant-modal");

export function useKeys(showHelp: () => void, desk: () => string): void {
  const moveKeys = useMoveKeys();
  const session = useSession();
  const player = usePlayer();
  const selection = useSelection();
  const without = useBypass();
  const monitor = useMonitor();
  const causes = useCauses();
  const pulses = usePulses();
  const alone = useAlone();
  const use = usePulseDesk();
  const router = useRouter();
  const comments = useComments();
  const moves = useMoves();
  const notices = useNotices();
  const along = useAlong();
  const preferences = usePreferences();
  const shortcutKeys = useShortcutKeys();

  /** Go round the range that is picked, else the passage at the playhead, else so many bars from its bar on. */
  function goRound(): void {
    if (player.round || player.loop) return player.goRoundPassage(null);
    if (moves.span) return player.goRound(moves.span.start, moves.span.end);
    const passage = session.passages.find((one) => {
      const [from, to] = [one.start, one.end].map((beat) => session.grid.secondsOfBeat(beat));
      return player.playhead >= must(from) && player.playhead < must(to);
    });
    if (passage) return player.goRoundPassage(passage.id);
    const start = session.grid.barFrom(player.playhead, 0);
    player.goRound(start, session.grid.step(start, BARS_ROUND, BARS));
  }

  function neighbour(by: number): void {
    const at = session.sources.findIndex((one) => one.id === selection.chosen);
    const next = session.sources[Math.min(Math.max(at + by, 0), session.sources.length - 1)];
    if (next) selection.choose(next.id);
  }

  const actions: Record<string, () => void> = {
    " ": () => player.toggle(),
    Home: () => player.seek(0),
    End: () => player.seek(session.length),
    ",": () => player.seek(session.grid.barFrom(player.playhead, -1)),
    ".": () => player.seek(session.grid.barFrom(player.playhead, 1)),
    r: goRound,
    s: () => selection.all.length && player.soloThese(selection.all),
    h: () => (selection.alone = !selection.alone),
    W: () => (without.on ? without.stop() : without.start(true)),
    "[": () => neighbour(-1),
    "]": () => neighbour(1),
    "1": () => void router.push(`/sessions/${session.id}/place`),
    "2": () => void router.push(`/sessions/${session.id}/move`),
    "3": () => void router.push(`/sessions/${session.id}/pulse`),
    "4": () => void router.push(`/sessions/${session.id}/balance`),
    "5": () => void router.push(`/sessions/${session.id}/hand-over`),
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
  let heldShortcut = "";
  /** The key that holds it, which may be another than it comes with. */
  let heldKey = "";
  function letGo(): void {
    if (heldShortcut) must(holds[heldShortcut]).stop();
    heldShortcut = heldKey = "";
  }
  // What was chosen with a pointer gives the keys back: the next one is a shortcut again.
  let isByPointer = false;
  /** What was pressed last with a pointer, until the focus is moved by key. */
  let clicked: Element | null = null;
  useEventListener(
    "pointerdown",
    (event) => {
      isByPointer = true;
      clicked = (event.target as Element).closest("button, a, summary");
    },
    { capture: true },
  );
  useEventListener(
    "keydown",
    (event) => {
      isByPointer = false;
      if (event.key === "Tab") clicked = null;
    },
    { capture: true },
  );
  useEventListener("change", (event) => {
    const target = event.target as HTMLElement;
    if (isByPointer && target.matches("select, input[type=checkbox], input[type=radio], input[type=range]"))
      target.blur();
  });
  // A window that loses the keyboard never hears that the key was let go.
  useEventListener(window, "blur", letGo);

  useEventListener("keydown", (event: KeyboardEvent) => {
    const isDeciding = event.key === "Enter" && desk() === "move" && moveKeys.undecided();
    if (isField(event.target) && !(isDeciding && isTick(event.target))) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      event.preventDefault();
      session.turnBack(event.shiftKey ? "redo" : "undo");
      return;
    }
    // Who dictates, or whose hand strays, may want no letters to be shortcuts.
    const key = shortcutKeys.shortcutOf(event.key);
    const isSign = event.key.length === 1 && event.key !== " " && !event.ctrlKey && !event.metaKey;
    if (isSign && preferences.liked.keys === "named") return;
    const hold = event.ctrlKey || event.metaKey || event.altKey ? undefined : holds[key];
    if (hold) {
      if (!event.repeat && !heldShortcut) {
        heldShortcut = key;
        heldKey = event.key.toLowerCase();
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
    const action = found ?? (controlled ? undefined : (ofDesk[key] ?? actions[key]));
    // A button that has the focus is pressed by Enter itself, unless there is something to decide elsewhere, or it
    // has the focus only because it was clicked.
    const pressed = event.key === "Enter" && (event.target as HTMLElement).closest("button, a, summary");
    const isPressed = pressed && (!isDeciding || (pressed.closest("[data-decides]") && pressed !== clicked));
    if (!action || isPressed) return;
    event.preventDefault();
    action();
  });
  useEventListener("keyup", (event: KeyboardEvent) => {
    if (event.key.toLowerCase() === heldKey) letGo();
  });
}
