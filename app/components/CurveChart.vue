<script setup lang="ts">
/** A chart as it is drawn on the screen, with a cursor that says the values of all curves where it stands. Gaps stay gaps. */
import { useDebounceFn, usePreferredDark } from '@vueuse/core'
import { Chart } from 'chart.js'
import zoomPlugin from 'chartjs-plugin-zoom'
import { axisNames } from '~~/core/study/chart'
import type { AxisName } from '~~/core/study/chart'
import { chartConfig, scaleId } from '~~/stage/chart/config'
import type { LineChart } from '~~/stage/chart/config'
import type { ShownChart } from '~/composables/useCharts'

const props = defineProps<{ chart: ShownChart; label: string; isLarge?: boolean; isZoomed?: boolean }>()
// attributes are those of the chart, not of what is said below it
defineOptions({ inheritAttrs: false })
const emit = defineEmits<{
  drawn: [chart: LineChart]
  /** Ends of its scales after it was zoomed or moved, as they are shown. */
  ranged: [ends: Partial<Record<AxisName, [number, number]>>]
}>()
const canvas = ref<HTMLCanvasElement>()
let drawn: LineChart | undefined

const COLUMNS = 800
/** Milliseconds of rest after which a zoom by the wheel counts as done. */
const REST = 400

/** Drag a box to see more of it, the wheel zooms, Shift and drag moves. */
const zoom = {
  zoom: { wheel: { enabled: true }, drag: { enabled: true, backgroundColor: '#5e6b6e30' }, mode: 'xy' as const, onZoomComplete: tell },
  pan: { enabled: true, modifierKey: 'shift' as const, mode: 'xy' as const, onPanComplete: tell },
}

function tell(): void {
  void told()
}

const told = useDebounceFn(() => {
  if (!drawn) return
  const found = axisNames.flatMap((axis) => {
    const scale = props.chart.drawn.drawing.axes[axis] && drawn!.scales[scaleId(axis, props.chart.look)]
    return scale ? [[axis, [scale.min, scale.max]]] : []
  })
  emit('ranged', Object.fromEntries(found))
}, REST)

function build(): void {
  const { chart, isLarge = false } = props
  const styles = getComputedStyle(document.documentElement)
  const colour = (name: string): string => styles.getPropertyValue(`--color-${name}`)
  const theme = { ink: colour(isLarge ? 'ink' : 'mute'), line: colour('line'), ground: colour('panel'), font: 'IBM Plex Sans' }
  const frame = { size: isLarge ? 9 : 7.5, width: 1.2, isSmall: !isLarge, columns: COLUMNS }
  // a small card shows the curves, not the type of a paper
  const look = isLarge ? chart.look : { ...chart.look, size: undefined, title: undefined, legend: 'none' as const }
  drawn?.destroy()
  const { drawing, colours } = chart.drawn
  const config = chartConfig(drawing, colours, look, theme, frame)
  if (props.isZoomed) Object.assign(config.options!.plugins!, { zoom })
  // not registered for all: charts in files have no pointer
  drawn = new Chart(canvas.value!, { ...config, plugins: props.isZoomed ? [zoomPlugin] : [] })
  emit('drawn', drawn)
}

onMounted(build)
// its colours are those of the page
watch([() => props.chart.drawn, () => props.isLarge, usePreferredDark()], build, { flush: 'post' })
onBeforeUnmount(() => drawn?.destroy())
</script>

<template>
  <div v-bind="$attrs" class="relative min-h-0 flex-1"><canvas ref="canvas" role="img" :aria-label="label" data-chart /></div>
  <p
    v-for="caution in chart.drawn.drawing.cautions"
    :key="caution"
    class="text-[11.5px] text-amber-text"
    :class="{ truncate: !isLarge }"
    :title="caution"
  >
    {{ caution }}
  </p>
</template>
