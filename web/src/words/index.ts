/** Every word that the page shows, from one catalogue: `t("area.key", values)` in scripts, `$t` in templates. */
import { createI18n } from "vue-i18n";
import english from "./en.json";
import declared from "./declared.json";

export type Catalogue = { [key: string]: string | Catalogue };

/** A sentence of the server: its code, what stands in it, and its English text for whoever does not know the code. */
export interface Message {
  code: string;
  parameters: Record<string, unknown>;
  text: string;
}

export const words = createI18n({
  legacy: false,
  locale: "en",
  fallbackWarn: false,
  warnHtmlMessage: false,
  messages: { en: { ...english, declared } },
});

/** The server's sentences come after the page: what it says before they are there is told by its own text. */
export const sentencesLoaded = Promise.all([
  import("../../../needle/messages/en.json"),
  import("../../../server/messages.en.json"),
]).then(([core, server]) =>
  words.global.mergeLocaleMessage("en", { messages: { ...core.default, ...server.default } }),
);

/** A message by its key, with the values that stand in it; a `count` chooses between its singular and its plural. */
export const t = (key: string, values: Record<string, unknown> = {}, count = 1): string =>
  words.global.t(key, values, count);

/** What a message of the server says, in the words of this page. */
export function sentence(message: Message): string {
  const key = `messages.${message.code}`;
  if (!words.global.te(key)) return message.text;
  const values = Object.fromEntries(
    Object.entries(message.parameters).map(([name, value]) => [name, shown(value)]),
  );
  return t(key, values, Number(message.parameters["count"] ?? 1));
}

type Texts = { [name: string]: string | Texts };
const under = (texts: string | Texts | undefined, name: string): string | Texts | undefined =>
  typeof texts === "object" ? texts[name] : undefined;

/** What the server declares by name, with its titles and sentences in the words of this page where it has them. */
export function inWords<Value>(value: Value, texts?: string | Texts): Value {
  if (Array.isArray(value))
    return value.map((item: unknown) =>
      item && typeof item === "object" && "name" in item
        ? inWords(item, under(texts, String(item.name)))
        : item,
    ) as Value;
  if (!value || typeof value !== "object") return value;
  const isNamed = "name" in value;
  const entries = Object.entries(value).map(([key, item]: [string, unknown]) => {
    const text = under(texts, key);
    const isText = typeof item === "string" && typeof text === "string" && (!isNamed || key !== "name");
    return [key, isText ? text : inWords(item, text)];
  });
  return Object.fromEntries(entries) as Value;
}

/** The title of a parameter that can be automated. */
export const parameterTitle = (name: keyof typeof declared.parameters): string =>
  t(`declared.parameters.${name}.title`);

/** Titles and sentences of all that the server declares. */
export function declaredTexts(): Texts {
  const texts: Record<string, unknown> = words.global.tm("declared");
  return texts as Texts;
}

/** Several messages, one after the other. */
export const sentences = (messages: readonly Message[]): string => messages.map(sentence).join(" ");

function shown(value: unknown): string {
  if (typeof value === "number") return String(Number(value.toPrecision(6)));
  if (Array.isArray(value)) return value.join(", ");
  return value && typeof value === "object" ? sentence(value as Message) : String(value);
}
