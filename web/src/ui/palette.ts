/** The paper's colours for what is painted on a canvas; the style sheet has them, and says them anew when it changes. */
import { reactive } from "vue";

/** As by day: what is painted before the style sheet is there. */
export const palette = reactive({
  paper: "#f7f3e8",
  raised: "#fbf8f0",
  rule: "#cfdcd3",
  ruleStrong: "#b4c8bc",
  faint: "#e4e8dd",
  ink: "#20262b",
  quiet: "#5a6664",
  lamp: "#c9952f",
  lampInk: "#a8741a",
  left: "#b4532a",
  right: "#1f6f78",
  leftSoft: "#c1714f",
  rightSoft: "#43838a",
  grey: "#6d7672",
  heavy: "#8b9690",
  wrong: "#8f2d1d",
  /** Whether it is night paper, and whether colours are further apart. */
  night: false,
  apart: false,
});

const VARIABLES = {
  paper: "--paper", raised: "--raised", rule: "--rule", ruleStrong: "--rule-strong", faint: "--faint", ink: "--ink",
  quiet: "--quiet", lamp: "--lamp", lampInk: "--lamp-ink", left: "--left", right: "--right",
  leftSoft: "--left-soft", rightSoft: "--right-soft", grey: "--grey", heavy: "--heavy", wrong: "--wrong",
} as const; // prettier-ignore

/** Put other paper on the desk. */
export function layPaper(night: boolean, apart: boolean): void {
  const root = document.documentElement;
  root.dataset.paper = night ? "night" : "day";
  root.dataset.colours = apart ? "apart" : "usual";
  const style = getComputedStyle(root);
  for (const [name, variable] of Object.entries(VARIABLES)) {
    const found = style.getPropertyValue(variable).trim();
    if (found) palette[name as keyof typeof VARIABLES] = found;
  }
  palette.night = night;
  palette.apart = apart;
}

/** A colour (#rrggbb) that lets through what lies under it; `share` is how much of it stays. */
export function alpha(colour: string, share: number): string {
  const [red, green, blue] = [1, 3, 5].map((at) => parseInt(colour.slice(at, at + 2), 16));
  return `rgba(${red},${green},${blue},${share})`;
}
