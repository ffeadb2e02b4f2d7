/** What is asked of the server: one answer for all who ask the same, asked again while the server is away. */
import { keepPreviousData, QueryClient, useQuery } from "@tanstack/vue-query";
import { refDebounced } from "@vueuse/core";
import { computed, nextTick, type Ref } from "vue";
import { get, Unreachable } from "./http";

/** After which time (ms) a server that could not be reached is asked again. */
const AGAIN_AFTER = 1000;

export const questions = new QueryClient({
  defaultOptions: {
    queries: {
      networkMode: "always",
      refetchOnWindowFocus: false,
      retry: (_, error) => error instanceof Unreachable,
      retryDelay: AGAIN_AFTER,
      gcTime: 60_000,
    },
  },
});

interface Manner<Answer> {
  /** The last answer stays until there is the next; without it there is none meanwhile. */
  keeps?: boolean;
  /** The question is asked once it has stood so long (ms): while something moves, not at each step. */
  rests?: number;
  /** How it is asked, where that is not by a GET of its path. */
  ask?: (path: string, signal: AbortSignal) => Promise<Answer>;
  /** What the answer depends on besides: it is asked for again whenever that changes. */
  whenever?: () => unknown;
  /** It is asked again after a refusal too: something waits for the answer. */
  insists?: boolean;
  /** An answer that holds for as long as the question is the same. */
  holds?: boolean;
}

/** The answer to a question, by its path; none while there is no path. Whoever asks something else hears only of that. */
export function useAsked<Answer>(path: () => string | null, manner: Manner<Answer> = {}) {
  const { keeps = false, rests = 0, ask = get<Answer>, whenever, insists = false, holds = false } = manner;
  const wanted = computed(path);
  const asked = rests ? refDebounced(wanted, rests) : wanted;
  const query = useQuery(
    {
      queryKey: computed(() => ["asked", asked.value, whenever?.()]),
      queryFn: ({ signal }) => ask(asked.value ?? "", signal),
      enabled: computed(() => asked.value !== null),
      placeholderData: keeps ? (keepPreviousData as never) : undefined,
      ...(insists ? { retry: true } : {}),
      staleTime: holds ? Infinity : 0,
      shallow: true,
    },
    questions,
  );
  /** Why there is no answer; nothing while the server is only away. */
  const trouble = computed(() => {
    const error = query.error.value;
    return error && !(error instanceof Unreachable) ? error.message : "";
  });
  return {
    answer: query.data as Ref<Answer | undefined>,
    trouble,
    /** Whether what is shown is not yet the answer to what is asked. */
    late: computed(
      () => wanted.value !== asked.value || query.isPlaceholderData.value || query.isPending.value,
    ),
    /** Ask once more, for something has changed; while nothing is asked, nothing is. */
    again: async (): Promise<void> => {
      // What is asked may have changed just now.
      await nextTick();
      if (asked.value === null) return;
      if (query.isLoading.value) await query.suspense();
      else await query.refetch();
    },
  };
}
