/** Changes that met: the later wins, both are told, and one key puts the other back. */
import { defineStore } from "pinia";
import { watch } from "vue";
import type { Overwritten, Revision } from "@/live/channel";
import { useNotices } from "@/ui/notices";
import { useAccount } from "./account";
import { useSession } from "./session";

export const useConflicts = defineStore("conflicts", () => {
  const session = useSession();
  const notices = useNotices();
  const account = useAccount();

  /** Put what a change had set as it was after it, where another went over it. */
  const putBack = (over: Overwritten, by: number): void =>
    session.putBack(`history/${over.revision}/restore-change`, `put back: ${over.summary}`, { by });

  const back = (over: Overwritten, by: number, title: string) => ({
    about: `over ${over.revision}`,
    action: { title, key: "o", run: () => putBack(over, by) },
  });

  session.onRevised((revision: Revision) => {
    const me = account.me?.id;
    for (const over of revision.overwrote) {
      if (revision.author.id === me)
        notices.tell(`You went over a change of ${over.author.name}: “${over.summary}”. Yours stands.`, back(over, revision.revision, "Put theirs back"));
      else if (over.author.id === me)
        notices.tell(`${revision.author.name} went over your “${over.summary}”: “${revision.summary}” stands.`, back(over, revision.revision, "Put mine back"));
    }
  }); // prettier-ignore

  session.onBlocked(({ detail, revision, summary, partly }) => {
    const leave = {
      title: "Undo the one before",
      run: () => session.turnBack("undo", { before: revision }),
    };
    const remainder = { title: "Undo the rest", run: () => session.turnBack("undo", { partly: true }) };
    notices.tell(`“${summary}” is not undone. ${detail}`, {
      about: "undo",
      ...(partly ? { action: remainder, other: leave } : { action: leave }),
    });
  });

  // What had waited for the connection is told as a whole.
  watch(
    () => session.outcomes,
    (outcomes) => {
      if (!outcomes.length) return;
      const over = outcomes.filter(({ answer }) => answer?.revision.overwrote.length).length;
      const refused = outcomes.filter(({ refusal }) => refusal);
      const count = (n: number): string => `${n} change${n > 1 ? "s" : ""}`;
      const parts = [
        outcomes.length > refused.length && `${count(outcomes.length - refused.length)} of yours sent`,
        over && `${over} went over a colleague's`,
        refused.length && `${refused.length} could not be made`,
      ].filter(Boolean);
      notices.tell(`The connection is back: ${parts.join(", ")}.`, { about: "back" });
    },
  );

  return { putBack };
});
