/** Listening in mono, to one side, exchanged, to the difference, or to a trial: personal, held or latched. */
import type { Point } from "@/domain/model";
import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { useSession } from "@/session/session";
import { usePlayer, type Trial } from "./player";
import type { Earlier } from "./segments";

/** Other moves: how the server is asked for them, how they look here, and a few words of what they are. */
export interface MovesOffered {
  words: string[];
  lanes: ReadonlyMap<string, Point[]>;
  title: string;
  /** A whole revision instead of moves. */
  earlier?: Earlier;
}

export const useMonitor = defineStore("monitor", () => {
  const session = useSession();
  const player = usePlayer();
  /** The way of listening that stays when a key is let go. */
  const latched = ref("stereo");
  const trial = ref<Trial | null>(null);
  /** Moves that may be heard in place of the session's (B), and what they are. */
  const moves = shallowRef<MovesOffered | null>(null);
  const comparing = computed(() => !!player.trial || !!player.earlier || player.moves.length > 0);

  /** Listen in a way from now on; once more, and it is stereo again. */
  function latch(name: string): void {
    latched.value = latched.value === name ? "stereo" : name;
    player.monitor = latched.value;
  }

  /** Listen in a way from now on. */
  function listen(name: string): void {
    latched.value = player.monitor = name;
  }

  /** Listen in a way while something is held. */
  const hold = (name: string): void => {
    player.monitor = name;
  };

  const letGo = (): void => {
    player.monitor = latched.value;
  };

  /** What is on trial (B); null when there is nothing to compare. */
  function offer(found: Trial | null): void {
    trial.value = found;
    player.trial = null;
  }

  /** Offer other moves to be heard; what is heard of the ones before ends. */
  function offerMoves(found: MovesOffered | null, hear = false): void {
    moves.value = found;
    hearMoves(hear);
  }

  function hearMoves(b: boolean): void {
    const offered = b ? moves.value : null;
    session.tried = offered?.lanes ?? new Map();
    if (offered || player.moves.length) player.moves = offered?.words ?? [];
    player.earlier = offered?.earlier ?? null;
  }

  /** Hear B, or A again: other moves if there are any, else the counterweight. */
  function compare(b: boolean): void {
    if (moves.value) hearMoves(b);
    else player.trial = b ? trial.value : null;
  }

  function leave(): void {
    latched.value = "stereo";
    trial.value = null;
    moves.value = null;
  }

  return { listen, latched, trial, moves, comparing, latch, hold, letGo, offer, offerMoves, compare, leave };
});
