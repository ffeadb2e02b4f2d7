/** Changes that met: the later wins, both are told, and one key puts the other back. */
import { t } from "@/words";
import { defineStore } from "pinia";
import { watch } from "vue";
import type { Overwritten, Revision } from "@/collab/channel";
import { useNotices } from "@/ui/notices";
import { useAccount } from "@/account/account";
import { useSession } from "@/session/session";

export const useConflicts = defineStore("conflicts", () => {
  const session = useSession();
  const notices = useNotices();
  const account = useAccount();

  /** Put what a change had set as it was after it, where another went over it. */
  const putBack = (over: Overwritten, by: number): void =>
    session.putBack(
      `history/${over.revision}/restore-change`,
      t("conflicts.restoredSummary", { summary: over.summary }),
      { by },
    );

  const back = (over: Overwritten, by: number, title: string) => ({
    about: `over ${over.revision}`,
    action: { title, key: "o", run: () => putBack(over, by) },
  });

  session.onRevised((revision: Revision) => {
    const me = account.me?.id;
    for (const over of revision.overwrote) {
      if (revision.author.id === me)
        notices.tell(t("conflicts.youOverwroteAChangeBy", { name: over.author.name, summary: over.summary }), back(over, revision.revision, t("conflicts.restoreTheirs")));
      else if (over.author.id === me)
        notices.tell(t("conflicts.nameOverwroteYourSummarySummary2", { name: revision.author.name, summary: over.summary, summary2: revision.summary }), back(over, revision.revision, t("conflicts.restoreMine")));
    }
  }); // prettier-ignore

  session.onBlocked(({ detail, revision, summary, partly }) => {
    const leave = {
      title: t("conflicts.undoTheOneBefore"),
      run: () => session.turnBack("undo", { before: revision }),
    };
    const remainder = {
      title: t("conflicts.undoTheRest"),
      run: () => session.turnBack("undo", { partly: true }),
    };
    notices.tell(t("conflicts.summaryIsNotUndoneDetail", { summary: summary, detail: detail }), {
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
      const count = (n: number): string => t("conflicts.changes", { count: n }, n);
      const parts = [
        outcomes.length > refused.length &&
          t("conflicts.countOfYoursSent", { count: count(outcomes.length - refused.length) }),
        over && t("conflicts.overOverwroteAColleagueS", { over: over }),
        refused.length && t("conflicts.refusedCountCouldNotBeMade", { refusedCount: refused.length }),
      ].filter(Boolean);
      notices.tell(t("conflicts.connectedAgainParts", { parts: parts.join(", ") }), { about: "back" });
    },
  );

  return { putBack };
});
