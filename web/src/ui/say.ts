/** Sentences to whoever is here: what went wrong, what should be known, what is done. One place, so that they sound alike. */
import { useNotices, type Kind } from "./notices";

const telling =
  (kind: Kind) =>
  (sentence: string): void =>
    // Said again, it stands once.
    void useNotices().tell(sentence, { kind, about: sentence });

export const say = {
  wrong: telling("wrong"),
  careful: telling("careful"),
  know: telling("know"),
  done: telling("done"),
};
