<script setup lang="ts">
/** Beside the Balance desk: leaning stretches, ways of listening, what mono thins out, the target, the report. */
import { Button } from "ant-design-vue";
import { t } from "@/words";
import { useElementSize } from "@vueuse/core";
import { computed, ref } from "vue";
import { useAsked } from "@/api/asked";
import type { Schemas } from "@/api/http";
import { decibels, leanText, sideClass } from "@/domain/format";
import { useLean, useTolerance } from "@/audio/lean";
import { useLibrary } from "@/session/library";
import { useSession } from "@/session/session";
import { useTarget } from "@/audio/target";
import { usePlayer } from "@/audio/player";
import NumberField from "@/ui/NumberField.vue";
import { useCauses } from "@/audio/causes";
import MonitorButtons from "./MonitorButtons.vue";
import ReportDialog from "@/desks/balance/report/ReportDialog.vue";
import SpectrumPicture from "@/desks/balance/overview/SpectrumPicture.vue";
import { useStretch } from "@/desks/balance/overview/stretch";

const session = useSession();
const player = usePlayer();
const lean = useLean();
const tolerance = useTolerance();
const library = useLibrary();
const chosen = useStretch();
const causes = useCauses();
const target = useTarget();

const inside = ref<HTMLElement>();
const { width } = useElementSize(inside);
const reporting = ref(false);

const rows = computed(() =>
  chosen.leaning.map((one, i) => ({
    ...one,
    i,
    bars: session.grid.barsText(one.start, one.end),
    long: `${Math.round(one.end - one.start)} s`,
    names:
      i === chosen.number
        ? causes.pulling
            .slice(0, 2)
            .map((id) => session.document?.sources[id]?.name)
            .filter(Boolean)
            .join(", ")
        : t("balanceDetails.worst", { lean: leanText(one.worst_db) }),
  })),
);
function goTo(start: number): void {
  player.seek(session.grid.snap(start, 1));
}

/** Which sources lose in mono where they stand at the playhead. */
const STEP = 2;
const { answer: thinned } = useAsked<Schemas["ThinnedOut"][]>(
  () => {
    const at = Math.floor(player.playhead / STEP) * STEP;
    return session.id && `/api/sessions/${session.id}/mono?revision=${session.revision}&at=${at}`;
  },
  { keeps: true, rests: 300, holds: true },
);
const hertz = (at: number): string =>
  at >= 1000 ? `${(at / 1000).toFixed(1).replace(".0", "")} kHz` : `${Math.round(at)} Hz`;
const bands = computed(() => lean.lean?.bands);
const thinnest = computed(() => {
  const loss = bands.value?.loss ?? [];
  const worst = Math.min(...loss.map((value) => value ?? 0));
  const at = bands.value?.centres[loss.indexOf(worst)];
  return worst < -1 && at ? { at, worst } : null;
});
const why = computed(() => {
  const [first] = thinned.value ?? [];
  if (!first) return "";
  const source = session.document?.sources[first.source];
  const how =
    source?.delay_panning !== "off"
      ? t("balanceDetails.placedByTime")
      : source?.double
        ? t("balanceDetails.doubled")
        : "";
  return t("balanceDetails.sourceHowLosesLossDB", {
    source: source?.name ?? "",
    how: how,
    loss: Math.abs(first.loss).toFixed(1),
    hertz: hertz(first.band),
  });
});

const figures = computed(() => lean.lean?.figures);
const told = (value: number | null | undefined, unit: string): string =>
  value === null || value === undefined ? "–" : `${decibels(value).replace("+", "")} ${unit}`;
const verdict = computed(() => {
  const [found, aim] = [figures.value, target.target];
  if (!found || !aim || found.integrated_lufs == null || found.true_peak_dbtp == null) return "";
  const off = found.integrated_lufs - aim.lufs;
  const loud =
    Math.abs(off) <= aim.within
      ? t("balanceDetails.onTarget")
      : t(off > 0 ? "balanceDetails.aboveIt" : "balanceDetails.belowIt", { off: Math.abs(off).toFixed(1) });
  const over = found.true_peak_dbtp - aim.dbtp;
  return t("balanceDetails.loudPeaksOverDBOver2", {
    loud: loud,
    over: Math.abs(over).toFixed(1),
    over2: over > 0 ? "over" : "under",
  });
});
</script>

<template>
  <div ref="inside" class="balance-details">
    <section :aria-label="$t('balanceDetails.leansOverTolerance')">
      <header>
        <h3 class="heading">{{ $t("balanceDetails.leansOverTolerance") }}</h3>
        <span v-if="lean.done < 1" class="quiet" role="status">{{ Math.round(lean.done * 100) }} %</span>
      </header>
      <p class="tolerance quiet">
        {{ $t("balanceDetails.over") }}
        <NumberField
          :value="tolerance.db"
          :label="$t('balanceDetails.tolerance')"
          :low="0.1"
          :high="12"
          :step="0.1"
          unit="dB"
          :initial="1.5"
          @set="tolerance.db = $event"
        />
        {{ $t("balanceDetails.forAtLeast") }}
        <NumberField
          :value="tolerance.seconds"
          :label="$t('balanceDetails.shortestTime')"
          :low="0.5"
          :high="60"
          :step="0.5"
          unit="s"
          :initial="4"
          @set="tolerance.seconds = $event"
        />
      </p>
      <ol :class="{ stale: lean.done < 1 }">
        <li v-for="row in rows" :key="row.i">
          <button
            class="stretch"
            :class="{ on: row.i === chosen.number, left: row.mean_db < 0 }"
            :aria-pressed="row.i === chosen.number"
            :title="$t('balanceDetails.showItsCausesDoubleClick')"
            @click="chosen.choose(row.i)"
            @dblclick="goTo(row.start)"
          >
            <b>{{ row.i + 1 }}</b>
            <span
              >{{ row.bars }}<br /><small>{{ row.names }}</small></span
            >
            <span class="much"
              ><b :class="sideClass(row.mean_db)">{{ leanText(row.mean_db) }}</b
              ><br /><small>{{ row.long }}</small></span
            >
          </button>
        </li>
      </ol>
      <p v-if="lean.lean && !rows.length" class="quiet">{{ $t("balanceDetails.theMixStaysWithinThe") }}</p>
      <Button v-if="chosen.number >= 0" type="link" size="small" @click="chosen.choose(-1)">
        {{ $t("balanceDetails.wholePiece") }}
      </Button>
    </section>

    <MonitorButtons />

    <section v-if="width" :aria-label="$t('balanceDetails.spectrumAndMono')">
      <h3 class="heading">{{ $t("balanceDetails.spectrumNowMonoLoss") }}</h3>
      <SpectrumPicture :width="width" :centres="bands?.centres ?? []" :loss="bands?.loss ?? []" />
      <p class="quiet small">
        {{
          thinnest
            ? $t("balanceDetails.largestMonoLossAtHertz", {
                hertz: hertz(thinnest.at),
                worst: Math.abs(thinnest.worst).toFixed(1),
              })
            : bands
              ? $t("balanceDetails.almostNothingIsLostIn")
              : ""
        }}
        {{ why }}{{ why && "." }}
      </p>
    </section>

    <section :aria-label="$t('balanceDetails.loudnessTarget')">
      <h3 class="heading">{{ $t("balanceDetails.loudnessTarget") }}</h3>
      <select v-model="target.name" :aria-label="$t('balanceDetails.target')">
        <option v-for="one in library.library?.targets" :key="one.name" :value="one.name">
          {{
            $t("balanceDetails.titleDecibelsLUFSDecibels2DBTP", {
              title: one.title,
              decibels: decibels(one.lufs, 0),
              decibels2: decibels(one.dbtp, 0),
            })
          }}
        </option>
      </select>
      <dl>
        <div>
          <dt>{{ lean.stretch.title }}</dt>
          <dd class="number">{{ told(figures?.integrated_lufs, $t("balanceDetails.lUFS")) }}</dd>
        </div>
        <div>
          <dt>{{ $t("balanceDetails.range") }}</dt>
          <dd class="number">{{ told(figures?.loudness_range_lu, $t("balanceDetails.lU")) }}</dd>
        </div>
        <div>
          <dt>{{ $t("balanceDetails.maxTruePeak") }}</dt>
          <dd class="number">{{ told(figures?.true_peak_dbtp, "dBTP") }}</dd>
        </div>
      </dl>
      <p class="small quiet">{{ verdict }}</p>
    </section>
    <button class="report" @click="reporting = true">{{ $t("balanceDetails.balanceReport") }}</button>
    <ReportDialog v-model:open="reporting" />
  </div>
</template>

<style scoped>
.balance-details {
  display: flex;
  flex-direction: column;
  gap: 13px;
  min-height: 100%;
}
header {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 8px;
}
.tolerance {
  display: flex;
  align-items: center;
  gap: 4px;
  font-size: 12px;
}
.tolerance :deep(input) {
  width: 68px;
  height: 22px;
}
ol {
  display: grid;
  gap: 5px;
  max-height: 176px;
  margin: 5px 0 4px;
  padding: 0;
  overflow-y: auto;
  list-style: none;
}
.stale {
  opacity: 0.55;
}
.stretch {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr) auto;
  width: 100%;
  padding: 4px 10px 5px;
  border: 1px solid var(--rule);
  border-radius: 4px;
  background: var(--raised);
  text-align: left;
  line-height: 1.3;
  cursor: pointer;
}
.stretch.on {
  border-color: var(--right);
}
.stretch.on.left {
  border-color: var(--left);
}
.much {
  text-align: right;
}
small,
.small {
  font-size: 12px;
}
small {
  color: var(--quiet);
}
select {
  min-width: 0;
  width: 100%;
  height: 26px;
  margin-top: 4px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  font-size: 12px;
}
dl {
  margin: 5px 0 2px;
}
dl div {
  display: flex;
  justify-content: space-between;
  line-height: 1.5;
}
dt {
  font-size: 13px;
}
dd {
  margin: 0;
  font-weight: 600;
}
.report {
  flex: none;
  height: 32px;
  margin-top: auto;
  border: 0;
  border-radius: 3px;
  background: var(--ink);
  color: var(--raised);
  cursor: pointer;
}
</style>
