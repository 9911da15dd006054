<script setup lang="ts">
/** A chart beside the stage or over it, with all that can be changed about it. */
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { Columns2, Copy, Download, Maximize2, PaintBucket, Pipette, SlidersHorizontal, Trash2, X } from 'lucide-vue-next'
import { axisNames } from '~~/core/study/chart'
import type { LineChart } from '~~/stage/chart/config'
import type { ShownChart } from '~/composables/useCharts'
import ChartCursor from './ChartCursor.vue'
import ChartEditor from './ChartEditor.vue'
import ChartPanels from './ChartPanels.vue'
import ChartSave from './ChartSave.vue'
import CurveChart from './CurveChart.vue'

const props = defineProps<{ chart: ShownChart }>()
const bench = useBench()
const isEdited = ref(true)
const drawn = shallowRef<LineChart>()
const hasRanges = computed(() => axisNames.some((axis) => props.chart.look[axis]?.range))
const name = computed(() => props.chart.exhibit.name)

function duplicate(): void {
  bench.view.openChart = bench.charts.duplicateChart(props.chart.id)
}

function remove(): void {
  bench.view.openChart = null
  bench.charts.removeChart(props.chart.id)
}
</script>

<template>
  <section class="flex min-h-0 min-w-0 flex-col bg-panel" :aria-label="`Chart ${name}`" @keydown.esc="bench.view.openChart = null">
    <header class="flex items-center gap-1 border-b border-line px-2.5 py-1">
      <input
        class="min-w-0 flex-1 truncate bg-transparent text-[13px] font-medium"
        :value="name"
        aria-label="Name of the chart"
        @change="bench.charts.rename(chart.id, ($event.target as HTMLInputElement).value)"
        @keydown.stop
      />
      <button
        type="button"
        class="icon size-6!"
        :aria-pressed="isEdited"
        aria-label="Curves, axes and look"
        title="Curves, axes and look"
        @click="isEdited = !isEdited"
      >
        <SlidersHorizontal :size="14" />
      </button>
      <Popover class="relative">
        <PopoverButton class="icon size-6!" aria-label="Save the chart" title="Save it: picture or numbers"
          ><Download :size="14"
        /></PopoverButton>
        <PopoverPanel class="pop absolute right-0 top-8 z-20 w-64 p-3!" focus><ChartSave :chart="chart" /></PopoverPanel>
      </Popover>
      <button type="button" class="icon size-6!" aria-label="Duplicate the chart" title="Duplicate" @click="duplicate">
        <Copy :size="14" />
      </button>
      <button
        type="button"
        class="icon size-6!"
        aria-label="Copy the look of the chart"
        title="Copy its look, to be put onto other charts"
        @click="bench.charts.carry(chart.id)"
      >
        <Pipette :size="14" />
      </button>
      <button
        v-if="bench.charts.carried.value"
        type="button"
        class="icon size-6!"
        aria-label="Put the look onto the chart"
        title="Put the look that was copied onto it"
        @click="bench.charts.putLook(chart.id)"
      >
        <PaintBucket :size="14" />
      </button>
      <button type="button" class="icon size-6! hover:text-brick!" aria-label="Delete the chart" title="Delete" @click="remove">
        <Trash2 :size="14" />
      </button>
      <button
        type="button"
        class="icon size-6!"
        :aria-label="bench.view.isChartWide ? 'Put it beside the model' : 'Put it over the model'"
        :title="bench.view.isChartWide ? 'Beside the model' : 'Over the model'"
        @click="bench.view.isChartWide = !bench.view.isChartWide"
      >
        <Columns2 v-if="bench.view.isChartWide" :size="14" /><Maximize2 v-else :size="14" />
      </button>
      <button type="button" class="icon size-6!" aria-label="Close the chart" title="Close (Esc)" @click="bench.view.openChart = null">
        <X :size="15" />
      </button>
    </header>
    <div class="flex min-h-0 flex-1" :class="bench.view.isChartWide ? 'flex-row' : 'flex-col'">
      <div class="flex min-h-0 min-w-0 flex-1 flex-col p-2">
        <p v-for="error in chart.errors" :key="error" role="alert" class="text-[12px] text-brick">{{ error }}</p>
        <ChartPanels v-if="chart.drawn.panels" :chart="chart" :class="{ grayscale: chart.isStale }" />
        <ChartCursor v-else-if="chart.drawn.drawing.series.length" :chart="chart" :drawn="drawn">
          <CurveChart
            :chart="chart"
            :label="`Chart ${name}`"
            is-large
            is-zoomed
            @ranged="(ends) => bench.charts.setRanges(chart.id, ends)"
            :class="{ grayscale: chart.isStale }"
            @drawn="(made) => (drawn = made)"
          />
        </ChartCursor>
        <p v-else class="text-[12px] text-mute">computing…</p>
        <button
          v-if="hasRanges"
          type="button"
          class="w-fit text-[11.5px] text-pine underline"
          @click="bench.charts.setRanges(chart.id, {})"
        >
          Show all of it
        </button>
        <p v-for="note in chart.notes" :key="note" class="text-[11.5px] text-mute">{{ note }}</p>
      </div>
      <ChartEditor
        v-if="isEdited"
        :chart="chart"
        class="overflow-y-auto"
        :class="bench.view.isChartWide ? 'w-[300px] border-l border-line' : 'h-[46%] shrink-0 border-t border-line'"
      />
    </div>
  </section>
</template>
