/** What the forms are called in which sound comes over the line. */
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
