/** The keys of a session: what the help sheet lists, and what they do. */
import { useEventListener } from "@vueuse/core";
import { useSession } from "@/session/session";
import { usePlayer } from "@/sound/player";

export const KEYS: { title: string; keys: [string, string][] }[] = [
  {
    title: "Listening, only you",
    keys: [
      ["Space", "play, stop"],
      ["Home, End", "to the start, to the end"],
      [", and .", "one bar back, one bar on"],
      ["R", "go round the passage at the playhead, or stop going round"],
      ["S", "solo the chosen source"],
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
    title: "The chart",
    keys: [
      ["double-click", "a new point of the chosen source"],
      ["← → on a point", "its place by 1 (with Shift by 10)"],
      ["↑ ↓ on a point", "earlier, later by one line of the grid"],
      ["S on a point", "its next shape"],
      ["Delete on a point", "takes it away"],
      ["drag with Alt, Shift", "without the grid, without moving in time"],
      ["wheel, Ctrl+wheel", "along the time, nearer and farther"],
    ],
  },
  {
    title: "Your changes",
    keys: [
      ["Ctrl+Z", "undo your own last change"],
      ["Ctrl+Shift+Z", "redo it"],
      ["?", "this sheet"],
    ],
  },
];

const isField = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && !!target.closest("input, textarea, select, [contenteditable], .ant-modal");

export function useKeys(showHelp: () => void): void {
  const session = useSession();
  const player = usePlayer();

  function goRound(): void {
    if (player.round) player.round = null;
    else
      player.round =
        session.passages.find((passage) => {
          const [from, to] = [passage.start, passage.end].map((beat) => session.grid.secondsOfBeat(beat));
          return player.playhead >= from! && player.playhead < to!;
        })?.id ?? null;
  }

  const actions: Record<string, () => void> = {
    " ": () => player.toggle(),
    Home: () => player.seek(0),
    End: () => player.seek(session.length),
    ",": () => player.seek(session.grid.barFrom(player.playhead, -1)),
    ".": () => player.seek(session.grid.barFrom(player.playhead, 1)),
    r: goRound,
    s: () => player.chosen && player.soloOnly(player.chosen, false),
    "?": showHelp,
  };

  useEventListener("keydown", (event: KeyboardEvent) => {
    if (isField(event.target)) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      event.preventDefault();
      session.turnBack(event.shiftKey ? "redo" : "undo");
      return;
    }
    const action = event.ctrlKey || event.metaKey || event.altKey ? undefined : actions[event.key];
    if (!action) return;
    event.preventDefault();
    action();
  });
}
