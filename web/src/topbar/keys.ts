/** The keys of a session: what the help sheet lists, and what they do. */
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
    title: "Listening, only you",
    keys: [
      ["Space", "play, stop"],
      ["Home, End", "to the start, to the end"],
      [", and .", "one bar back, one bar on"],
      ["R", "go round the passage at the playhead, or stop going round"],
      ["S", "solo what is chosen"],
      ["H", "show only what is chosen, or everything again"],
      ["W, Shift+W", "hear the chosen source without a treatment, as loud: held, or to stay"],
      ["M, Shift+M", "hear the mix in mono: held, or to stay"],
      [
        "B, Shift+B",
        "hear B (a counterweight, a change looked at, a take, another line) against A: held, or to stay",
      ],
      ["Escape", "listen by yourself again, after listening along with somebody"],
      ["C", "hear the first cause of a lean alone, then the next"],
    ],
  },
  {
    title: "A source's place, in the list",
    keys: [
      ["← →", "by 1 (with Shift by 10)"],
      ["0", "to the centre (also double-click)"],
    ],
  },
  {
    title: "Place: the picture",
    keys: [
      ["drag", "place and level at once; an end, or the band between"],
      ["← → ↑ ↓", "place by 1, level by 0.5 dB (with Shift 10 and 3 dB)"],
      ["Ctrl+click, Shift+click", "choose several; what you drag takes them all along"],
      ["0, double-click", "to the centre; in a return: to the source's own place"],
      ["[ and ]", "the source before, the next one"],
      ["1, 2, 3, 4 and 5", "the desks: Place, Move, Pulse, Balance, Hand over"],
    ],
  },
  {
    title: "The plan: the room from above or from the side",
    keys: [
      ["drag", "across and along at once; an end, or the band between"],
      ["Alt+drag, two fingers", "up and down"],
      ["← → ↑ ↓", "across and along by 1 (with Shift by 10)"],
      ["Alt+↑, Alt+↓", "higher, lower by 1 % (with Shift by 10 %)"],
      ["0", "to the middle"],
      ["double-click", "back to the middle of the front"],
      ["Enter on a loudspeaker", "the chosen source may sound from it, or may not"],
    ],
  },
  {
    title: "The chart",
    keys: [
      ["double-click", "a new point of the chosen source"],
      ["← → on a point", "its place by 1 (with Shift by 10)"],
      ["↑ ↓ on a point", "earlier, later by one line of the grid"],
      ["S on a point", "its next shape"],
      ["Delete on a point", "takes it away"],
      ["drag with Alt, Shift", "without the grid, without moving in time"],
      ["wheel, Ctrl+wheel", "along the time, nearer and farther"],
      ["drag on the bar numbers", "a new passage; double-click (or F2 on) a rib to change it"],
    ],
  },
  {
    title: "Pulse",
    keys: [
      ["− and +", "the cycle half as long, twice as long"],
      ["F", "flip: turn the wave over"],
      ["K", "a click on the beats, only for you (on every desk)"],
      ["W, Shift+W", "hear it without its pulse, or its deal: held, or to stay"],
      ["arrows, A, Delete", "in the dealt part: choose an event, add an onset, take it away"],
    ],
  },
  { title: "Moves: the chart's tools and recording", keys: MOVE_KEYS },
  {
    title: "Your changes",
    keys: [
      ["Ctrl+Z", "undo your own last change"],
      ["Ctrl+Shift+Z", "redo it"],
      ["O", "where a change went over another: put the other back"],
      ["N", "a comment at the playhead, or on the stretch that is picked"],
      ["?", "this sheet"],
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
