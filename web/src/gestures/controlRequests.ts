/** A control that a colleague holds: asked for, and had when it is let go or its holder has gone. */
import { must } from "@/domain/must";
import type { Parameter } from "@/domain/model";
import { t } from "@/words";
import { defineStore } from "pinia";
import { reactive, watch } from "vue";
import { useChartView } from "@/session/view";
import type { Incoming } from "@/collab/channel";
import { FACES } from "@/domain/parameters";
import { useNotices } from "@/ui/notices";
import { GONE_AFTER } from "@/collab/previews";
import { useSession } from "@/session/session";

/** A hand that lets go says within this (ms) to whom it gives what it held. */
const GIVEN_WITHIN = 800;

export const useControlRequests = defineStore("asking", () => {
  const session = useSession();
  const notices = useNotices();
  const view = useChartView();
  /** What I have asked for. */
  const asked = reactive(new Set<string>());
  /** Who has asked for what I hold, in order. */
  const queues = reactive(new Map<string, string[]>());
  /** What has been given to somebody and not been taken yet: nobody else takes it before. */
  const given = reactive(new Map<string, string>());

  /** A control in words: “Oars: place”. */
  function nameOf(control: string): string {
    const [owner, field] = [
      control.slice(0, control.lastIndexOf(".")),
      control.slice(control.lastIndexOf(".") + 1),
    ];
    const name = view.nameOf(owner);
    const title = field.startsWith("pan")
      ? t("controlRequests.place")
      : FACES[field as Parameter]?.title.toLowerCase();
    return title ? `${name}: ${title}` : name;
  }

  function ask(control: string): void {
    const holder = session.holder(control);
    if (!holder || !session.mayEdit) return;
    asked.add(control);
    session.tell({ type: "ask", control });
    notices.tell(t("controlRequests.youAskedNameForNameOf", { name: holder.name, nameOf: nameOf(control) }), {
      about: `ask ${control}`,
    });
  }

  /** Say who has hold of a control, and offer to ask for it. */
  function refuse(control: string): void {
    const holder = session.holder(control);
    if (!holder) return;
    notices.tell(t("controlRequests.nameHolds", { name: holder.name, control: nameOf(control) }), {
      about: `ask ${control}`,
      action: { title: t("controlRequests.askForIt"), run: () => ask(control) },
    });
  }

  const holds = (control: string): boolean => session.pending.get(control)?.ids.size === 0;

  function hear(told: Incoming): void {
    if (told.type === "ask" && holds(told.control)) {
      const queue = queues.get(told.control) ?? [];
      if (!queue.includes(told.tab)) queues.set(told.control, [...queue, told.tab]);
      const name = session.people.get(told.tab)?.name ?? t("controlRequests.aColleague");
      notices.tell(t("controlRequests.nameAsksForNameOfIt", { name: name, nameOf: nameOf(told.control) }), {
        about: `asked ${told.control}`,
      });
    } else if (told.type === "give") {
      given.set(told.control, told.to);
      setTimeout(() => given.delete(told.control), GONE_AFTER);
      if (told.to === session.me?.tab) have(told.control);
    } else if (told.type === "preview" && told.tab === given.get(told.control)) given.delete(told.control);
  }
  session.onHeard(hear);
  session.onReached(refuse);

  function have(control: string): void {
    asked.delete(control);
    notices.tell(t("controlRequests.youNowControlNameOf", { nameOf: nameOf(control) }), {
      about: `ask ${control}`,
    });
  }

  // My hand has let go, and what it did is done: who asked first gets it.
  watch(
    () => [...queues.keys()].filter((control) => !session.pending.has(control)),
    (free) => {
      for (const control of free) {
        const to = must(queues.get(control)).find((tab) => session.people.has(tab));
        queues.delete(control);
        notices.dropAbout(`asked ${control}`);
        if (to) session.tell({ type: "give", control, to });
      }
    },
  );

  // Nobody holds it any more. A hand that lets go says to whom it gives it; one that has gone says nothing.
  watch(
    () => [...asked].filter((control) => !session.holder(control)),
    (free) => {
      for (const control of free)
        setTimeout(() => {
          if (asked.has(control) && !session.holder(control) && !given.has(control)) have(control);
        }, GIVEN_WITHIN);
    },
  );

  /** The colleague who has a control, in their hand or kept for them. */
  function reservedFor(control: string) {
    const to = given.get(control);
    return to && to !== session.me?.tab ? session.people.get(to) : undefined;
  }

  return { ask, asked, reservedFor, refuse };
});
