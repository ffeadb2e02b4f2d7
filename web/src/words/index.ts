/** Every word that the page shows, from one catalogue: `t("area.key", values)` in scripts, `$t` in templates. */
import { createI18n } from "vue-i18n";
import english from "./en.json";

export type Catalogue = { [key: string]: string | Catalogue };

export const words = createI18n({
  legacy: false,
  locale: "en",
  fallbackWarn: false,
  warnHtmlMessage: false,
  messages: { en: english },
});

/** A message by its key, with the values that stand in it; a `count` chooses between its singular and its plural. */
export const t = (key: string, values: Record<string, unknown> = {}, count = 1): string =>
  words.global.t(key, values, count);
