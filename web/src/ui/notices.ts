/** What is told at the foot of the page: a sentence, and perhaps something that can be done about it. */
import { defineStore } from "pinia";
import { computed, ref } from "vue";

export type Kind = "wrong" | "careful" | "know" | "done";

export interface Notice {
  id: number;
  text: string;
  kind: Kind;
  /** What can be done, and the key that does it for the latest notice that has one. */
  action?: { title: string; key?: string; run: () => void };
  /** Something else that can be done. */
  other?: { title: string; run: () => void };
  /** Notices of the same matter replace each other. */
  about?: string;
}

const MOST = 4;
/** How long each stays (ms): what went wrong, and what asks for something, until it is answered or closed. */
const STAYS: Record<Kind, number> = { wrong: Infinity, careful: 12_000, know: 7_000, done: 4_000 };

export const useNotices = defineStore("notices", () => {
  const all = ref<Notice[]>([]);
  let last = 0;

  function tell(text: string, more: Partial<Omit<Notice, "id" | "text">> = {}): number {
    const id = (last += 1);
    const others = all.value.filter((one) => !more.about || one.about !== more.about);
    all.value = [...others, { id, text, kind: "know" as const, ...more }].slice(-MOST);
    const stays = more.action || more.other ? Infinity : STAYS[more.kind ?? "know"];
    if (stays < Infinity) setTimeout(() => drop(id), stays);
    return id;
  }

  function drop(id: number): void {
    all.value = all.value.filter((one) => one.id !== id);
  }

  const dropAbout = (about: string): void => {
    all.value = all.value.filter((one) => one.about !== about);
  };

  function act(notice: Notice, which: "action" | "other" = "action"): void {
    drop(notice.id);
    notice[which]?.run();
  }

  /** The notice that a key acts on: the latest of those that have it. */
  const byKey = computed(
    () => (key: string) => [...all.value].reverse().find((one) => one.action?.key === key),
  );

  return { all, tell, drop, dropAbout, act, byKey };
});
