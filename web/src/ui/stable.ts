/** What is worked out anew often and is seldom another: while it is the same, nobody who shows it is told. */
import { dequal } from "dequal";
import { computed, type ComputedRef } from "vue";

export function stable<T>(work: () => T): ComputedRef<T> {
  return computed((old?: T) => {
    const now = work();
    return old !== undefined && dequal(old, now) ? old : now;
  });
}

/** The same, item by item, told apart by their keys: those that are as they were stay the very same objects. */
export function stableList<T>(work: () => T[], keyOf: (item: T) => unknown): ComputedRef<T[]> {
  let byKey = new Map<unknown, T>();
  return computed((old?: T[]) => {
    const now = work().map((item) => {
      const was = byKey.get(keyOf(item));
      return was !== undefined && dequal(was, item) ? was : item;
    });
    byKey = new Map(now.map((item) => [keyOf(item), item]));
    return old?.length === now.length && now.every((item, i) => item === old[i]) ? old : now;
  });
}
