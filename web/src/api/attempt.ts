/** Something asked of the server that may be refused: the sentence stays to be read until the next one succeeds. */
import { ref } from "vue";

export function useAttempt() {
  const trouble = ref("");
  const busy = ref(false);

  /** Do it; whether it was done. */
  async function attempt(what: () => Promise<void>): Promise<boolean> {
    busy.value = true;
    try {
      await what();
      trouble.value = "";
      return true;
    } catch (error) {
      trouble.value = (error as Error).message;
      return false;
    } finally {
      busy.value = false;
    }
  }

  return { trouble, busy, attempt };
}
