/** The first look round: one mark for each desk, in the order of the work. */
import { t } from "@/words";

export interface Mark {
  desk: string;
  title: string;
  says: string;
  /** What the mark points at on the page. */
  at: string;
}

export const MARKS: Mark[] = [
  {
    desk: "place",
    title: t("marks.place"),
    says: t("marks.everySourceIsDrawnWhere"),
    at: "svg.field, svg.room",
  },
  {
    desk: "move",
    title: t("marks.move"),
    says: t("marks.timeRunsDownThePage"),
    at: ".chart",
  },
  {
    desk: "pulse",
    title: t("marks.pulse"),
    says: t("marks.pulseRhythmicAutoPanFor"),
    at: ".pulse-desk",
  },
  {
    desk: "balance",
    title: t("marks.balance"),
    says: t("marks.leanLeftRightBalanceOver"),
    at: ".lean-chart",
  },
  {
    desk: "hand-over",
    title: t("marks.handOver"),
    says: t("marks.exportTheMixStemsObject"),
    at: "form.order, .made",
  },
];
