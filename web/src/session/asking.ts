/** A control that a colleague holds: asked for, and had when it is let go or its holder has gone. */
import { defineStore } from "pinia";
import { reactive, watch } from "vue";
import { useChartView } from "@/chart/view";
import type { Incoming } from "@/live/channel";
import { FACES } from "@/geometry/parameters";
import { useNotices } from "@/ui/notices";
import { GONE_AFTER } from "./held";
import { useSession, type Parameter } from "./session";

/** A hand that lets go says within this (ms) to whom it gives what it held. */
const GIVEN_WITHIN = 800;

export const useAsking = defineStore("asking", () => {
  const session = useSession();
  const notices = useNotices();
  const view = useChartView();
  /** What I have asked for. */
  const asked = reactive(new Set<string>());
  /** Who has asked for what I hold, in order. */
  const queues = reactive(new Map<string, string[]>());
  /** What has been given to somebody and not been taken yet: nobody else takes it before. */
  const given = reactive(new Map<string, string>());

  /** A thing in words: “Oars: place”. */
  function nameOf(thing: string): string {
    const [owner, field] = [thing.slice(0, thing.lastIndexOf(".")), thing.slice(thing.lastIndexOf(".") + 1)];
    const name = view.nameOf(owner);
    const title = field.startsWith("pan") ? "place" : FACES[field as Parameter]?.title.toLowerCase();
    return title ? `${name}: ${title}` : name;
  }

  function ask(thing: string): void {
    const holder = session.holder(thing);
    if (!holder || !session.mayEdit) return;
    asked.add(thing);
    session.tell({ type: "ask", thing });
    notices.tell(`${holder.name} has been asked for ${nameOf(thing)}. You get it when it is let go.`, {
      about: `ask ${thing}`,
    });
  }

  /** Say who has hold of a thing, and offer to ask for it. */
  function refuse(thing: string): void {
    const holder = session.holder(thing);
    if (!holder) return;
    notices.tell(`${holder.name} holds ${nameOf(thing)} now.`, {
      about: `ask ${thing}`,
      action: { title: "Ask for it", run: () => ask(thing) },
    });
  }

  const holds = (thing: string): boolean => session.pending.get(thing)?.ids.size === 0;

  function hear(told: Incoming): void {
    if (told.type === "ask" && holds(told.thing)) {
      const queue = queues.get(told.thing) ?? [];
      if (!queue.includes(told.tab)) queues.set(told.thing, [...queue, told.tab]);
      const name = session.people.get(told.tab)?.name ?? "A colleague";
      notices.tell(`${name} would like to have ${nameOf(told.thing)}. Let go, and it is theirs.`, {
        about: `asked ${told.thing}`,
      });
    } else if (told.type === "give") {
      given.set(told.thing, told.to);
      setTimeout(() => given.delete(told.thing), GONE_AFTER);
      if (told.to === session.me?.tab) have(told.thing);
    } else if (told.type === "preview" && told.tab === given.get(told.thing)) given.delete(told.thing);
  }
  session.onHeard(hear);
  session.onReached(refuse);

  function have(thing: string): void {
    asked.delete(thing);
    notices.tell(`${nameOf(thing)} is yours now.`, { about: `ask ${thing}` });
  }

  // My hand has let go, and what it did is done: who asked first gets it.
  watch(
    () => [...queues.keys()].filter((thing) => !session.pending.has(thing)),
    (free) => {
      for (const thing of free) {
        const to = queues.get(thing)!.find((tab) => session.people.has(tab));
        queues.delete(thing);
        notices.dropAbout(`asked ${thing}`);
        if (to) session.tell({ type: "give", thing, to });
      }
    },
  );

  // Nobody holds it any more. A hand that lets go says to whom it gives it; one that has gone says nothing.
  watch(
    () => [...asked].filter((thing) => !session.holder(thing)),
    (free) => {
      for (const thing of free)
        setTimeout(() => {
          if (asked.has(thing) && !session.holder(thing) && !given.has(thing)) have(thing);
        }, GIVEN_WITHIN);
    },
  );

  /** The colleague who has a thing, in their hand or kept for them. */
  function reservedFor(thing: string) {
    const to = given.get(thing);
    return to && to !== session.me?.tab ? session.people.get(to) : undefined;
  }

  return { ask, asked, reservedFor, refuse };
});
