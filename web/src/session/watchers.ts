/** Colleagues who have a source selected; who plays or moves on changes nothing of it. */
import type { ComputedRef } from "vue";
import { stable } from "@/ui/stable";
import { useSession } from "./session";

export function useWatchers(
  source: () => string,
): ComputedRef<{ tab: string; name: string; colour: number }[]> {
  const session = useSession();
  return stable(() =>
    [...session.people.values()]
      .filter(({ chosen }) => chosen === source())
      .map(({ tab, name, colour }) => ({ tab, name, colour })),
  );
}
