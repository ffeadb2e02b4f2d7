<script setup lang="ts">
/** The layers under a source: copies through effects at places of their own, all governed by the source's level. */
import { t } from "@/words";
import { Button } from "ant-design-vue";
import type { Source } from "@/domain/model";
import { computed, ref } from "vue";
import { defaultsOf } from "@/domain/parameters";
import { levelText } from "@/domain/format";
import { freshId, operation, useEdits } from "@/session/edits";
import { useLibrary } from "@/session/library";
import { useRoom } from "@/session/room";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import LayerRow from "./LayerRow.vue";

const props = defineProps<{ source: Source }>();
const session = useSession();
const player = usePlayer();
const edits = useEdits();
const library = useLibrary();
const room = useRoom();
const open = ref("");

const layers = computed(() => room.layersOf(props.source.id));
const directMuted = computed(() =>
  session.shown(`${props.source.id}.direct_muted`, props.source.direct_muted),
);
const heard = (part: string): boolean => player.solo.includes(`${props.source.id}.${part}`);

/** Presets to begin with: what is thickened stands at the sides, what is echoed behind. */
const KINDS: Record<string, { name: string; front: number; level: number }> = {
  chorus: { name: t("layersPart.thickened"), front: 0, level: -6 },
  echo: { name: t("layersPart.echoed"), front: -1, level: -9 },
  room: { name: t("layersPart.roomy"), front: -1, level: -9 },
  drive: { name: t("layersPart.driven"), front: 0, level: -9 },
  "high-pass": { name: t("layersPart.thinned"), front: 0, level: -6 },
  "low-pass": { name: t("layersPart.dulled"), front: 0, level: -6 },
};
function add(event: Event): void {
  const select = event.target as HTMLSelectElement;
  const kind = select.value;
  select.value = "";
  const preset = KINDS[kind] ?? { name: t("layersPart.copy"), front: 1, level: -6 };
  const id = freshId(preset.name);
  edits.make(
    operation("add-layer", {
      layer: {
        id, source: props.source.id, name: preset.name, order: layers.value.length, input: "source", pre: false,
        effects: kind === "none" ? [] : [{ id: freshId(kind), kind, on: true, settings: {} }], muted: false,
        ...defaultsOf("layer"), level: preset.level, front: preset.front,
      },
    }),
  ); // prettier-ignore
  open.value = id;
}
const setDirect = (): void =>
  session.change(
    { [`${props.source.id}.direct_muted`]: !directMuted.value },
    operation("mute-source", { source: props.source.id, direct_muted: !directMuted.value }),
  );
</script>

<template>
  <section class="layers" :aria-label="$t('layersPart.layers')">
    <div class="dry">
      <b>{{ $t("layersPart.dry") }}</b>
      <span class="quiet">{{ $t("layersPart.here") }}</span>
      <Button
        size="small"
        :aria-pressed="directMuted"
        :disabled="!session.mayEdit"
        :aria-label="$t('layersPart.muteTheDrySource')"
        @click="setDirect"
      >
        M
      </Button>
      <Button
        size="small"
        :aria-pressed="heard('direct')"
        :aria-label="$t('layersPart.soloTheDrySource')"
        :title="$t('layersPart.onlyForYou')"
        @click="player.soloOnly(`${source.id}.direct`, true)"
      >
        S
      </Button>
    </div>
    <LayerRow
      v-for="(layer, i) in layers"
      :key="layer.id"
      :source="source"
      :layer="layer"
      :first="i === 0"
      :open="open === layer.id"
      @toggle="open = open === layer.id ? '' : layer.id"
    />
    <select v-if="session.mayEdit" class="add" :aria-label="$t('layersPart.addALayer')" @change="add">
      <option value="">{{ $t("layersPart.layerWith") }}</option>
      <option v-for="effect in library.library?.effects" :key="effect.name" :value="effect.name">
        {{ effect.title }}
      </option>
      <option value="none">{{ $t("layersPart.noEffectACopy") }}</option>
    </select>
    <p v-if="layers.length" class="quiet note">
      {{
        $t("layersPart.theSourceSLevelLevelText", {
          levelText: levelText(session.valueNow(source.id, "level")),
        })
      }}
    </p>
  </section>
</template>

<style scoped>
.dry {
  display: grid;
  grid-template-columns: 1fr auto 26px 26px;
  gap: 6px;
  align-items: center;
  margin-bottom: 4px;
  padding: 4px 8px;
  background: var(--raised);
  border: 1px solid var(--rule);
  border-radius: 3px;
  font-size: 13px;
}
.add {
  width: 100%;
  height: 27px;
  border: 1px dashed var(--rule-strong);
  border-radius: 3px;
  background: none;
  color: var(--quiet);
}
.note {
  margin: 5px 0 0;
  font-size: 12px;
}
</style>
