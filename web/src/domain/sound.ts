/** In which form sound comes over the line: from the heaviest to the lightest, and which one a person wishes. */
import { ref } from "vue";

/** The numbers are kbit/s for a pair of channels. */
export const FORMS = ["float", "flac", "opus-256", "opus-160", "opus-96"] as const;
export type Form = (typeof FORMS)[number];

/** The form that a person wishes; `auto` is the heaviest that the line carries. */
export const wishedForm = ref<Form | "auto">("auto");

/** Whether what colleagues hold is heard before they let go. */
export const hearsHands = ref(false);

export const isLossless = (form: Form): boolean => form === "float" || form === "flac";

/** Whether a form is at least as good as another. */
export const isAsGood = (form: Form, as: Form): boolean => FORMS.indexOf(form) <= FORMS.indexOf(as);

/** How fast a line is (bit/s), as it is said. */
export function speedText(perSecond: number): string {
  if (perSecond < 1e6) return `${Math.round(perSecond / 1000)} kbit/s`;
  return `${perSecond < 1e7 ? Number((perSecond / 1e6).toPrecision(2)) : Math.round(perSecond / 1e6)} Mbit/s`;
}
