/** What the core offers by name (ways of panning, effects, seatings), and what people have kept by name. */
import { t } from "@/words";
import { defineStore } from "pinia";
import { ref, shallowRef } from "vue";
import { get, post, remove, type Schemas } from "@/api/http";
import { say } from "@/ui/say";

export type Preset = Schemas["PresetOut"];
export type Effect = Schemas["EffectOut"];

export const useLibrary = defineStore("library", () => {
  const library = shallowRef<Schemas["Library"] | null>(null);
  const presets = ref<Preset[]>([]);
  let asked: Promise<void> | undefined;

  function arrive(): Promise<void> {
    asked ??= get<Schemas["Library"]>("/api/library").then(
      (choices) => void (library.value = choices),
      (error: unknown) => {
        // Whoever opens a session next asks again.
        asked = undefined;
        throw error;
      },
    );
    return asked;
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

  const effect = (kind: string): Effect | undefined =>
    library.value?.effects.find((one) => one.name === kind);

  return { library, presets, arrive, look, kept, keep, forget, effect };
});
