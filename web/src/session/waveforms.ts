/** What sources sound like to the eye: asked for once for each piece of audio. */
import type { Source } from "@/domain/model";
import { defineStore } from "pinia";
import { shallowReactive } from "vue";
import { questions } from "@/api/asked";
import { get, type Schemas } from "@/api/http";
import type { Wave } from "@/ui/drawing/paintLines";
import { useSession } from "./session";

export const useWaveforms = defineStore("waveforms", () => {
  const session = useSession();
  const known = shallowReactive(new Map<string, Wave["channels"]>());
  const asked = new Set<string>();
  let perSecond = 100;

  /** A source's waveform where it stands in the piece; undefined until it has come. */
  function of(source: Source): Wave | undefined {
    const key = `${source.asset} ${source.first_channel} ${source.channels} ${session.settings?.rate}`;
    const channels = known.get(key);
    if (channels) return { start: source.start, perSecond, channels };
    if (!asked.has(key)) {
      asked.add(key);
      const path = `/api/sessions/${session.id}/sources/${source.id}/waveform?revision=${session.revision}`;
      const ask = {
        queryKey: ["waveform", session.id, key],
        queryFn: () => get<Schemas["Waveform"]>(path),
        staleTime: Infinity,
      };
      questions.fetchQuery(ask).then(
        (found) => {
          perSecond = found.per_second;
          known.set(key, found.channels.map((row) => row.map((value) => value / 255))); // prettier-ignore
        },
        () => asked.delete(key),
      );
    }
    return undefined;
  }

  return { of };
});
