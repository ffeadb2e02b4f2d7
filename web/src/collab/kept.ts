/**
 * Changes that have not been answered, kept in the browser's own database: closing the tab loses none of them. Each tab
 * keeps its own under a lock; what a tab that is gone has left behind is taken over by the next one.
 */
import type { Value } from "@/domain/model";
import { createStore, delMany, entries, get, set, del, type UseStore } from "idb-keyval";

export interface Kept {
  session: string;
  person: number;
  tab: string;
  /** Where it stands among the others. */
  order: number;
  path: string;
  body: { client_id: string };
  /** In a few words what it does. */
  said: string;
  /** What shows of it meanwhile, by control. */
  shown?: Record<string, Value>;
}

const LOCK = "needle-outbox-";

export interface LetterBox {
  put: (letter: Kept) => Promise<void>;
  drop: (letter: Kept) => Promise<void>;
  /** What tabs that are gone have left of a person's changes to a session, in order; it is this tab's from now on. */
  adopt: (session: string, person: number, tab: string) => Promise<Kept[]>;
  /** How many of a person's changes wait, by session. */
  counted: (person: number) => Promise<Map<string, number>>;
  /** What a tab has kept is left to whoever opens the session next. */
  leave: (tab: string) => Promise<void>;
}

const keyOf = (letter: Kept): string => `${letter.tab}/${letter.body.client_id}`;

/** Tabs that still run, by their locks; without locks nobody else is known to. */
async function running(): Promise<Set<string>> {
  const held = (await navigator.locks?.query())?.held ?? [];
  return new Set(held.map((one) => one.name ?? "").filter((name) => name.startsWith(LOCK)));
}

/** What lets go of a tab's lock, and resolves when it is free. */
const locks = new Map<string, () => Promise<void>>();

function holdLock(tab: string): void {
  const held = navigator.locks?.request(
    LOCK + tab,
    () =>
      new Promise<void>((letGo) => {
        locks.set(tab, async () => {
          letGo();
          await held;
        });
      }),
  );
}

class Stored implements LetterBox {
  private readonly store: UseStore = createStore("needle", "outbox");

  async put(letter: Kept): Promise<void> {
    await set(keyOf(letter), letter, this.store);
  }

  async drop(letter: Kept): Promise<void> {
    await del(keyOf(letter), this.store);
  }

  async counted(person: number): Promise<Map<string, number>> {
    const found = new Map<string, number>();
    for (const [, letter] of await entries<string, Kept>(this.store))
      if (letter.person === person) found.set(letter.session, (found.get(letter.session) ?? 0) + 1);
    return found;
  }

  async leave(tab: string): Promise<void> {
    await locks.get(tab)?.();
    locks.delete(tab);
  }

  async adopt(session: string, person: number, tab: string): Promise<Kept[]> {
    holdLock(tab);
    const others = await running();
    const all = (await entries<string, Kept>(this.store)).map(([, letter]) => letter);
    const left = all
      .filter((one) => one.session === session && one.person === person)
      .filter((one) => one.tab !== tab && !others.has(LOCK + one.tab))
      .sort((a, b) => a.order - b.order);
    const mine = left.map((one) => ({ ...one, tab }));
    for (const letter of mine) await this.put(letter);
    await delMany(left.map(keyOf), this.store);
    return mine;
  }
}

const nothing: LetterBox = {
  put: () => Promise.resolve(),
  drop: () => Promise.resolve(),
  adopt: () => Promise.resolve([]),
  counted: () => Promise.resolve(new Map()),
  leave: () => Promise.resolve(),
};

/** The browser's letter box; one that keeps nothing where there is no database (a private window may have none). */
export const letterBox = (): LetterBox => (typeof indexedDB === "undefined" ? nothing : new Stored());

/** A recorded pass that the server has not answered. */
export interface StoredTake<Recorded> {
  id: string;
  session: string;
  person: number;
  recorded: Recorded;
}

/** Recorded passes in the browser's own database, until the server has them. */
export function takeStore<Recorded>() {
  const store = typeof indexedDB === "undefined" ? null : createStore("needle-takes", "takes");
  return {
    async put(pass: StoredTake<Recorded>): Promise<void> {
      if (store) await set(pass.id, JSON.parse(JSON.stringify(pass)), store);
    },
    /** Do something with a pass unless another tab has done so: one at a time, as long as it is kept. */
    async exclusively(pass: StoredTake<Recorded>, send: () => Promise<void>): Promise<void> {
      if (!store || !globalThis.navigator?.locks) return send();
      await navigator.locks.request(`needle-take-${pass.id}`, async () => {
        if (await get(pass.id, store)) await send();
      });
    },
    async drop({ id }: StoredTake<Recorded>): Promise<void> {
      if (store) await del(id, store);
    },
    /** What a person has recorded in a session, and nobody has sent. */
    async of(session: string, person: number): Promise<StoredTake<Recorded>[]> {
      if (!store) return [];
      const all = (await entries<string, StoredTake<Recorded>>(store)).map(([, pass]) => pass);
      return all.filter((one) => one.session === session && one.person === person);
    },
  };
}
