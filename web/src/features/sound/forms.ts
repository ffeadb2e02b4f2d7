/** What the forms are called in which sound comes over the line, and how fast a line is. */
import type { Form } from "@/domain/sound";
import { t } from "@/words";

export function formText(form: Form): string {
  if (form === "float") return t("soundForms.lossless");
  if (form === "flac") return t("soundForms.flac");
  return t("soundForms.opus", { rate: form.slice("opus-".length) });
}

/** The same where there is little room: which code it is. */
export const shortFormText = (form: Form): string =>
  form.startsWith("opus") ? t("soundForms.opusShort") : formText(form);

/** A speed (bit/s) as it is said. */
export const megabits = (perSecond: number): string => {
  const value = perSecond / 1e6;
  return `${value >= 10 ? Math.round(value) : Number(value.toPrecision(2))} Mbit/s`;
};
