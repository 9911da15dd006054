<script setup lang="ts">
/** How the chart of a step looks: its axes, lines and legend. */
import { legendSides, lineDashes } from '~~/core/study/chart'
import type { ChartAxis, ChartLook } from '~~/core/study/chart'
import type { Step } from '~~/core/study/studyModel'
import ChoiceRow from './ChoiceRow.vue'
import TokenRange from './tokens/TokenRange.vue'

const props = defineProps<{ id: string; step: Step; units: { x: string | null; y: string | null } }>()
const bench = useBench()

const look = computed<ChartLook>(() => props.step.chart ?? {})
const axes = [
  { axis: 'x', title: 'Abscissa' },
  { axis: 'y', title: 'Ordinate' },
] as const
const scales = [
  { value: false, label: 'linear' },
  { value: true, label: 'log' },
]
const directions = [
  { value: false, label: 'forwards' },
  { value: true, label: 'reversed' },
]
const marks = [
  { value: false, label: 'no marks' },
  { value: true, label: 'marks' },
]

function setAxis(axis: 'x' | 'y', change: { [K in keyof ChartAxis]?: ChartAxis[K] | undefined }): void {
  bench.edits.changeChart(props.id, { [axis]: { ...look.value[axis], ...change } })
}

function setTitle(axis: 'x' | 'y', event: Event): void {
  setAxis(axis, { title: (event.target as HTMLInputElement).value.trim() || undefined })
}
</script>

<template>
  <details class="mt-1 text-[12px]" @click.stop @keydown.stop>
    <summary class="cursor-pointer text-mute">Axes, lines, legend</summary>
    <div class="mt-1 grid grid-cols-[64px_1fr] items-center gap-x-2 gap-y-1">
      <template v-for="{ axis, title } in axes" :key="axis">
        <span class="text-mute">{{ title }}</span>
        <span>
          <TokenRange
            :value="look[axis]?.range"
            :unit="units[axis]"
            :title="`Range of the ${title.toLowerCase()}`"
            @commit="(range) => setAxis(axis, { range })"
          />
        </span>
        <span />
        <span class="flex gap-1.5">
          <ChoiceRow
            :label="`Scale of the ${title.toLowerCase()}`"
            :choices="scales"
            :value="!!look[axis]?.isLog"
            @choose="(isLog) => setAxis(axis, { isLog: isLog || undefined })"
          />
          <ChoiceRow
            :label="`Direction of the ${title.toLowerCase()}`"
            :choices="directions"
            :value="!!look[axis]?.isReversed"
            @choose="(isReversed) => setAxis(axis, { isReversed: isReversed || undefined })"
          />
        </span>
        <span />
        <input
          class="field w-full px-1! py-0! text-[12px]"
          :value="look[axis]?.title ?? ''"
          :aria-label="`Title of the ${title.toLowerCase()}`"
          placeholder="title: quantity and unit"
          @change="setTitle(axis, $event)"
        />
      </template>
      <span class="text-mute">Lines</span>
      <span class="flex flex-wrap gap-1.5">
        <ChoiceRow
          label="Dash"
          :choices="lineDashes.map((value) => ({ value, label: value }))"
          :value="look.dash ?? 'solid'"
          @choose="(dash) => bench.edits.changeChart(id, { dash })"
        />
        <ChoiceRow
          label="Marks"
          :choices="marks"
          :value="!!look.hasMarkers"
          @choose="(hasMarkers) => bench.edits.changeChart(id, { hasMarkers: hasMarkers || undefined })"
        />
      </span>
      <span class="text-mute">Legend</span>
      <ChoiceRow
        label="Legend of the chart"
        :choices="legendSides.map((value) => ({ value, label: value }))"
        :value="look.legend ?? 'none'"
        @choose="(legend) => bench.edits.changeChart(id, { legend })"
      />
    </div>
  </details>
</template>
