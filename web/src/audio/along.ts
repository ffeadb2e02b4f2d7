/** Listening along: somebody else's playhead, passage, solos and way of listening are mine too, until I leave. */
import { t } from "@/words";
import { defineStore } from "pinia";
import { computed, nextTick, ref, watch } from "vue";
import type { Person } from "@/collab/channel";
import { useSession } from "@/session/session";
import { useNotices } from "@/ui/notices";
import { useMonitor } from "./monitor";
import { LOUDSPEAKERS, usePlayer } from "./player";

/** Playheads farther apart than this (s) are brought together; nearer ones are left to run. */
const APART = 0.4;

export const useAlong = defineStore("along", () => {
  const session = useSession();
  const player = usePlayer();
  const monitor = useMonitor();
  const notices = useNotices();
  const tab = ref("");
  const person = computed(() => session.people.get(tab.value));
  type Loop = { start: number; end: number } | null;
  let own: { round: string | null; loop: Loop; solo: string[]; monitor: string } | null = null;
  /** While it is they who change how I listen. */
  let led = false;
  /** Whether they play, as I have followed it. */
  let playing = false;

  /** Somebody's way of listening, as far as it can be mine: their loudspeakers and their measured head are theirs. */
  function wayOf(one: Person): string {
    if (one.monitor === LOUDSPEAKERS) return own?.monitor ?? monitor.latched;
    return one.monitor.startsWith("head:") ? "headphones" : one.monitor;
  }

  function begin(one: Person): void {
    own ??= { round: player.round, loop: player.loop, solo: player.solo, monitor: monitor.latched };
    tab.value = one.tab;
    playing = player.playing;
    notices.dropAbout("along");
    follow(one, true);
  }

  function leave(told = ""): void {
    if (!own) return;
    const mine = own;
    own = null;
    tab.value = "";
    lead(() => {
      [player.round, player.loop] = [mine.round, mine.loop];
      player.solo = mine.solo;
      monitor.listen(mine.monitor);
    });
    if (told) notices.tell(told, { about: "along" });
  }

  function lead(change: () => void): void {
    led = true;
    change();
    // Those who watch are told once all of it is done.
    void nextTick(() => (led = false));
  }

  function follow(one: Person, atOnce = false): void {
    lead(() => {
      if (player.round !== one.passage) player.round = one.passage;
      if (!isSameLoop(one)) player.loop = one.loop && { start: one.loop[0], end: one.loop[1] };
      if (one.solo.join() !== player.solo.join()) player.solo = [...one.solo];
      if (wayOf(one) !== monitor.latched) monitor.listen(wayOf(one));
      if (atOnce || Math.abs(one.playhead - player.playhead) > APART) player.seek(one.playhead);
      // It takes a moment until one plays: that is not asked for again meanwhile.
      if (one.playing !== playing) {
        playing = one.playing;
        if (player.playing !== playing) player.toggle();
      }
    });
  }

  watch(person, (one, before) => {
    if (!tab.value) return;
    if (one) follow(one);
    else if (before) leave(t("along.nameHasLeftYouNo", { name: before.name }));
  });

  const isSameLoop = (one: Person): boolean =>
    one.loop?.[0] === player.loop?.start && one.loop?.[1] === player.loop?.end;

  /** Whether I listen otherwise than they do, in something that they lead. */
  const differs = (one: Person): boolean =>
    player.round !== one.passage ||
    !isSameLoop(one) ||
    player.solo.join() !== one.solo.join() ||
    monitor.latched !== wayOf(one) ||
    player.playing !== one.playing;

  // Whoever reaches for the transport listens by themselves again; what they have just done stays.
  function reached(): void {
    if (!own || led) return;
    const name = person.value?.name.split(" ")[0] ?? "them";
    own = null;
    tab.value = "";
    notices.tell(t("along.youNoLongerListenAlong", { name: name }), { about: "along" });
  }
  watch(() => player.sought, reached);
  watch(
    [() => player.round, () => player.loop, () => player.solo, () => monitor.latched, () => player.playing],
    () => person.value && differs(person.value) && reached(),
  );

  return { tab, person, begin, leave };
});
