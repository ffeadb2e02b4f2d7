/** Long work of the server: asked again until it is done, each answer telling how far it is. */
import { get } from "./http";

interface Answer {
  done: number;
}

/** The last answer; `told` hears the share (0…1) of every one before. Ends when the signal says so. */
export async function long<T extends Answer>(
  path: string,
  signal: AbortSignal,
  told: (done: number) => void = () => undefined,
): Promise<T> {
  for (;;) {
    const found = await get<T>(path, signal);
    signal.throwIfAborted();
    if (found.done >= 1) return found;
    told(found.done);
  }
}
