<script setup lang="ts">
/** A chart as several small ones with the same axes, each with its cursor. */
import { useElementSize } from '@vueuse/core'
import { gridOf, panelLook } from '~~/core/study/chartPanels'
import type { LineChart } from '~~/stage/chart/config'
import { plainText, textRuns } from '~~/stage/richText'
import type { ShownChart } from '~/composables/useCharts'
import ChartCursor from './ChartCursor.vue'
import CurveChart from './CurveChart.vue'

const props = defineProps<{ chart: ShownChart }>()
// attributes are those of the charts, not of what is said below them
defineOptions({ inheritAttrs: false })
const grid = ref<HTMLElement>()
const { width, height } = useElementSize(grid)
const drawn = shallowRef<Record<string, LineChart>>({})
const charts = computed(() =>
  (props.chart.drawn.panels ?? []).map((panel) => ({ ...props.chart, drawn: panel, look: panelLook(props.chart.look, panel.title) })),
)
const tags = { [-1]: 'sub', 0: 'span', 1: 'sup' } as const
const layout = computed(() => gridOf(charts.value.length, width.value || 1, height.value || 1))
</script>

<template>
  <p v-if="chart.look.title" class="pb-1.5 text-center text-[14px] leading-tight" :aria-label="plainText(chart.look.title)">
    <component :is="tags[run.level]" v-for="(run, i) in textRuns(chart.look.title)" :key="i">{{ run.text }}</component>
  </p>
  <div
    ref="grid"
    v-bind="$attrs"
    class="grid min-h-0 flex-1 gap-1"
    :style="{
      gridTemplateColumns: `repeat(${layout.columns}, minmax(0, 1fr))`,
      gridTemplateRows: `repeat(${layout.rows}, minmax(0, 1fr))`,
    }"
  >
    <ChartCursor v-for="(one, i) in charts" :key="i" :chart="one" :drawn="drawn[i]" is-brief>
      <CurveChart :chart="one" :label="`Chart ${one.look.title}`" is-large @drawn="(made) => (drawn = { ...drawn, [i]: made })" />
    </ChartCursor>
  </div>
  <p v-for="caution in chart.drawn.drawing.cautions" :key="caution" class="text-[11.5px] text-amber-text">{{ caution }}</p>
</template>
