/** Sentences that pass by: what went wrong, what should be known, what is done. One place, so that they sound alike. */
import { message } from "ant-design-vue";

export const say = {
  wrong: (sentence: string): void => void message.error(sentence),
  careful: (sentence: string): void => void message.warning(sentence),
  know: (sentence: string): void => void message.info(sentence),
  done: (sentence: string): void => void message.success(sentence),
};
