/** Recorded takes: one's own, kept by the server until they are forgotten; one of them may be waiting to be kept. */
import { t } from "@/words";
import { defineStore } from "pinia";
import { ref, shallowRef, watch } from "vue";
import { get, post, remove, Unreachable, type Schemas } from "@/api/http";
import { useMonitor } from "@/audio/monitor";
import { say } from "@/ui/say";
import { useMoves } from "./moves";
import { useSession } from "./session";

export type Take = Schemas["TakeOut"];
export type Recorded = Omit<Schemas["TakeIn"], "revision">;

export const useTakes = defineStore("takes", () => {
  const session = useSession();
  const moves = useMoves();
  const monitor = useMonitor();

  const takes = ref<Take[]>([]);
  /** The take that is shown over what is there, until it is kept or dropped. */
  const waiting = shallowRef<Take | null>(null);
  /** Passes that could not be sent yet. */
  const unsent = ref<Recorded[]>([]);

  const path = (rest = ""): string => `/api/sessions/${session.id}/moves/takes${rest}`;

  async function arrive(): Promise<void> {
    if (!session.mayEdit) return;
    takes.value = await get<Take[]>(path()).catch(() => takes.value);
  }

  /** A pass has been recorded: send it, and show what it makes. */
  async function add(recorded: Recorded): Promise<void> {
    const mine = session.id;
    try {
      const take = await post<Take>(path(), { ...recorded, revision: await session.settled() });
      if (session.id !== mine) return;
      takes.value = [take, ...takes.value];
      consider(take);
    } catch (error) {
      if (!(error instanceof Unreachable)) return say.wrong((error as Error).message);
      unsent.value = [...unsent.value, recorded];
      say.careful(t("takes.theTakeCouldNotBe"));
    }
  }

  /** Show a take over what is there, and offer to hear it. */
  function consider(take: Take | null): void {
    moves.letGo();
    waiting.value = take;
    monitor.offerMoves(
      take && { words: [`draft=${take.id}`], lanes: moves.lanesWith(take.writes), title: t("takes.theTake") },
    );
  }

  function keep(): void {
    const take = waiting.value;
    if (!take) return;
    consider(null);
    moves.make(take);
  }

  /** Leave what was there; the take stays in the list. */
  const drop = (): void => consider(null);

  async function forget(take: Take): Promise<void> {
    if (waiting.value?.id === take.id) drop();
    takes.value = takes.value.filter((one) => one.id !== take.id);
    await remove(path(`/${take.id}`)).catch(() => undefined);
  }

  watch(
    () => session.connected,
    (up) => {
      if (!up) return;
      const rest = unsent.value;
      unsent.value = [];
      for (const one of rest) void add(one);
    },
  );
  watch(
    [() => session.id, () => session.role],
    ([id]) => {
      takes.value = [];
      waiting.value = null;
      unsent.value = [];
      if (id) void arrive();
    },
    { immediate: true },
  );

  return { takes, waiting, unsent, add, consider, keep, drop, forget };
});
