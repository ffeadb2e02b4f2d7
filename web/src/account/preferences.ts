/** What this person likes the application to be like: its paper, its colours, how places and times are told. */
import { t, words } from "@/words";
import { usePreferredDark } from "@vueuse/core";
import { defineStore } from "pinia";
import { reactive, ref, watch, watchEffect } from "vue";
import { get, put, type Schemas } from "@/api/http";
import { CHANGEABLE, keyName } from "./keyNames";
import { setsAutomated } from "@/domain/automated";
import { hearsHands, wishedForm } from "@/domain/sound";
import { units } from "@/domain/units";
import { layPaper } from "@/ui/palette";

export type Liked = Required<Schemas["PreferencesSchema"]>;

const FIRST: Liked = {
  paper: "day",
  colours: "usual",
  places: "letters",
  times: "bars",
  keys: "all",
  sound: "auto",
  hands: "own",
  shortcuts: {},
  automated: "ask",
  tour: "new",
};

export const usePreferences = defineStore("preferences", () => {
  const liked = reactive<Liked>({ ...FIRST });
  const dark = usePreferredDark();
  /** Whether it has been asked for: before, nobody knows whether the tour is still to come. */
  const known = ref(false);
  const trouble = ref("");

  async function arrive(): Promise<void> {
    try {
      Object.assign(liked, await get<Liked>("/api/preferences"));
      known.value = true;
    } catch {
      /* away: as it is at first */
    }
  }

  /** Like something else from now on; what could not be kept holds for this page. */
  async function set(values: Partial<Liked>): Promise<void> {
    Object.assign(liked, values);
    try {
      await put<Liked>("/api/preferences", liked);
      trouble.value = "";
    } catch (error) {
      trouble.value = t("preferences.messageTheSettingAppliesTo", { message: (error as Error).message });
    }
  }

  function forget(): void {
    Object.assign(liked, FIRST);
    known.value = false;
  }

  watchEffect(() => {
    layPaper(liked.paper === "night" || (liked.paper === "system" && dark.value), liked.colours === "apart");
    units.places = liked.places;
    units.times = liked.times;
    wishedForm.value = liked.sound;
    hearsHands.value = liked.hands === "all";
    setsAutomated.value = liked.automated;
  });
  // Asked where it is set, it is kept here.
  watch(setsAutomated, (automated) => {
    if (automated !== liked.automated) void set({ automated });
  });

  // Wherever a text names a shortcut's key it names one's own.
  watch(
    () => liked.shortcuts,
    (own) => {
      const shortcutKey = Object.fromEntries(
        CHANGEABLE.filter((one) => /[a-z]/.test(one)).map((shortcut) => [shortcut, keyName(own, shortcut)]),
      );
      words.global.mergeLocaleMessage("en", { shortcutKey });
    },
    { immediate: true },
  );

  return { liked, known, trouble, arrive, set, forget };
});
