/** Recorded takes: one's own, kept by the server until they are forgotten; one of them may be waiting to be kept. */
import { t } from "@/words";
import { defineStore } from "pinia";
import { ref, shallowRef, watch } from "vue";
import { get, isPassing, post, Refusal, remove, type Schemas } from "@/api/http";
import { useAccount } from "@/account/account";
import { takeStore, type StoredTake } from "@/collab/kept";
import { uuid } from "@/domain/ids";
import { useMonitor } from "@/audio/monitor";
import { say } from "@/ui/say";
import { useMoves } from "./moves";
import { useSession } from "./session";

export type Take = Schemas["TakeOut"];
export type Recorded = Omit<Schemas["TakeIn"], "revision">;

type WaitingTake = StoredTake<Recorded>;

export const useTakes = defineStore("takes", () => {
  const session = useSession();
  const account = useAccount();
  const moves = useMoves();
  const monitor = useMonitor();

  const takes = ref<Take[]>([]);
  /** The take that is shown over what is there, until it is kept or dropped. */
  const waiting = shallowRef<Take | null>(null);
  /** Passes that could not be sent yet; the browser keeps them too. */
  const unsent = ref<WaitingTake[]>([]);
  const store = takeStore<Recorded>();

  const path = (rest = ""): string => `/api/sessions/${session.id}/moves/takes${rest}`;

  async function arrive(): Promise<void> {
    if (!session.mayEdit) return;
    const mine = session.id;
    const left = await store.of(mine, account.me?.id ?? 0).catch(() => []);
    if (session.id !== mine) return;
    unsent.value = [...left, ...unsent.value.filter((one) => !left.some(({ id }) => id === one.id))];
    if (session.connected) sendWaiting();
    takes.value = await get<Take[]>(path()).catch(() => takes.value);
  }

  function sendWaiting(): void {
    const rest = unsent.value;
    unsent.value = [];
    for (const one of rest) void store.exclusively(one, () => send(one));
  }

  /** A pass has been recorded: send it, and show what it makes. */
  async function add(recorded: Recorded): Promise<void> {
    const pass = { id: uuid(), session: session.id, person: account.me?.id ?? 0, recorded };
    const isStored = await store.put(pass).then(
      () => true,
      () => false,
    );
    // What cannot be kept is sent all the same.
    await (isStored ? store.exclusively(pass, () => send(pass)) : send(pass));
  }

  async function send(pass: WaitingTake): Promise<void> {
    const mine = session.id;
    try {
      const take = await post<Take>(path(), { ...pass.recorded, revision: await session.settled() });
      void store.drop(pass).catch(() => undefined);
      if (session.id !== mine) return;
      takes.value = [take, ...takes.value];
      consider(take);
    } catch (error) {
      if (error instanceof Refusal && !isPassing(error)) {
        void store.drop(pass).catch(() => undefined);
        return say.wrong(error.message);
      }
      if (session.id !== mine) return;
      unsent.value = [...unsent.value, pass];
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
      if (up) sendWaiting();
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
