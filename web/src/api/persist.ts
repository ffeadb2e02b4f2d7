/** Asking a server that may be away for a while. */
import { Unreachable } from "./http";

const AGAIN_AFTER = 1000;

/** Ask again for as long as the server cannot be reached and the answer is wanted; `away` hears of each failure. */
export async function persist<T>(
  ask: () => Promise<T>,
  wanted: () => boolean,
  away: () => void = () => undefined,
): Promise<T> {
  for (;;) {
    try {
      return await ask();
    } catch (error) {
      if (!(error instanceof Unreachable) || !wanted()) throw error;
      away();
      await new Promise((resolve) => setTimeout(resolve, AGAIN_AFTER));
    }
  }
}
