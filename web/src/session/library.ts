/** What the core offers by name (ways of panning, effects, seatings), and what people have kept by name. */
import { declaredTexts, inWords, t } from "@/words";
import { defineStore } from "pinia";
import { questions } from "@/api/asked";
import { ref, shallowRef } from "vue";
import { get, post, put, remove, type Schemas } from "@/api/http";
import { say } from "@/ui/say";

export type Preset = Schemas["PresetOut"];
export type Effect = Schemas["EffectOut"];

export const useLibrary = defineStore("library", () => {
  const library = shallowRef<Schemas["Library"] | null>(null);
  const presets = ref<Preset[]>([]);

  /** Have what the core offers, asked for once; the error where the server refuses or is away. */
  async function arrive(): Promise<void> {
    const offered = await questions.fetchQuery({
      queryKey: ["library"],
      queryFn: () => get<Schemas["Library"]>("/api/library"),
      staleTime: Infinity,
      retry: false,
    });
    library.value ??= inWords(offered, declaredTexts());
  }

  async function look(): Promise<void> {
    presets.value = await get<Preset[]>("/api/presets");
  }

  const kept = (kind: string): Preset[] => presets.value.filter((preset) => preset.kind === kind);

  async function keep(kind: Preset["kind"], name: string, content: Record<string, unknown>): Promise<void> {
    try {
      await post("/api/presets", { kind, name, content });
      say.done(t("library.presetNameIsSavedYou", { name: name }));
      await look();
    } catch (error) {
      say.wrong((error as Error).message);
    }
  }

  async function forget(preset: Preset): Promise<void> {
    try {
      await remove(`/api/presets/${preset.id}`);
    } catch (error) {
      say.wrong((error as Error).message);
    }
    await look();
  }

  /** Let everybody in a session use one of one's own, or not any more. */
  async function share(preset: Preset, session: string, isShared: boolean): Promise<void> {
    const path = `/api/presets/${preset.id}/sessions/${session}`;
    try {
      await (isShared ? put(path, {}) : remove(path));
    } catch (error) {
      say.wrong((error as Error).message);
    }
    await look();
  }

  const effect = (kind: string): Effect | undefined =>
    library.value?.effects.find((one) => one.name === kind);

  return { library, presets, arrive, look, kept, keep, forget, share, effect };
});
