<script setup lang="ts">
/** A chart of a curve. Gaps stay gaps. */
import { Chart, Legend, LinearScale, LineController, LineElement, LogarithmicScale, PointElement, Tooltip } from 'chart.js'
import { usePreferredDark } from '@vueuse/core'
import { chartCautions } from '~~/core/study/chart'
import type { ChartAxis, ChartLook } from '~~/core/study/chart'
import { inDisplay } from '~~/core/units/quantities'
import type { CurveResult } from '~/composables/useResults'

Chart.register(LineController, LineElement, PointElement, LinearScale, LogarithmicScale, Legend, Tooltip)
Chart.defaults.font.family = 'IBM Plex Mono'

const props = defineProps<{
  curve: CurveResult
  colour: string
  label: string
  isLarge?: boolean
  look?: ChartLook
  /** There is more to come. */
  isGrowing?: boolean
}>()
// attributes are those of the chart, not of what is said below it
defineOptions({ inheritAttrs: false })
const bench = useBench()
/** In the units of the study. */
const shown = computed(() => bench.units.ofCurve(props.curve))
const cautions = computed(() => (props.isGrowing ? [] : chartCautions(props.curve, props.look ?? {})))
const canvas = ref<HTMLCanvasElement>()
let chart: Chart<'line', { x: number; y: number }[]> | undefined

/** More lines than this are drawn thin and alike: single lines can no longer be distinguished. */
const MANY = 6

function title(quantity: { name: string; unit: string | null }): string {
  return `${quantity.name}${quantity.unit === '1' ? '' : `, ${quantity.unit ?? 'unit unknown'}`}`
}

/** 0 where the lowest value is below it only by rounding: else the axis would reach one step further down. */
function lowestOf(series: CurveResult['series']): number | undefined {
  const values = series.flatMap((s) => s.y).filter((y) => y !== null)
  const low = values.reduce((a, b) => Math.min(a, b), Infinity)
  const high = values.reduce((a, b) => Math.max(a, b), -Infinity)
  return low <= 0 && high > 0 && low > -1e-6 * high ? 0 : undefined
}

const dashes = { solid: [], dashed: [6, 4], dotted: [1.5, 3] }

/** In the unit that is shown. */
function endsOf(name: 'x' | 'y', { range }: ChartAxis): { min?: number; max?: number } {
  if (!range) return {}
  const to = bench.units.displayOfAxis(props.curve, name)
  return { min: inDisplay(to, range[0]), max: inDisplay(to, range[1]) }
}

function build(): void {
  const { colour, isLarge = false, look = {} } = props
  const curve = shown.value
  const styles = getComputedStyle(document.documentElement)
  const ink = styles.getPropertyValue('--color-mute')
  const line = styles.getPropertyValue('--color-line')
  const pixels = look.size ? (look.size * 96) / 72 : isLarge ? 11 : 9.5
  const axis = (name: 'x' | 'y', quantity: { name: string; unit: string | null }, own: ChartAxis = {}) => ({
    type: own.isLog ? ('logarithmic' as const) : ('linear' as const),
    reverse: own.isReversed ?? false,
    ...endsOf(name, own),
    title: { display: isLarge, text: own.title ?? title(quantity), color: ink, font: { size: pixels } },
    ticks: { color: ink, maxTicksLimit: isLarge ? 8 : 4, font: { size: pixels } },
    grid: { color: line, lineWidth: 0.6 },
    border: { color: ink },
  })
  chart?.destroy()
  chart = new Chart(canvas.value!, {
    type: 'line',
    data: {
      datasets: curve.series.map((series) => ({
        label: series.name,
        data: series.x.map((x, i) => ({ x: x ?? NaN, y: series.y[i] ?? NaN })),
        borderColor: colour,
        backgroundColor: colour,
        borderWidth: look.width ? (look.width * 96) / 72 : curve.series.length > MANY ? 0.7 : 1.6,
        borderDash: dashes[look.dash ?? 'solid'],
        // a single point would not be seen otherwise
        pointRadius: look.hasMarkers || series.x.length === 1 ? 3 : 0,
        pointHitRadius: 6,
        spanGaps: false,
      })),
    },
    options: {
      animation: false,
      maintainAspectRatio: false,
      parsing: false,
      normalized: true,
      scales: {
        x: axis('x', curve.x, look.x),
        y: { min: look.y?.isLog ? undefined : lowestOf(curve.series), ...axis('y', curve.y, look.y) },
      },
      plugins: {
        tooltip: { mode: 'nearest', intersect: false },
        legend: {
          display: (look.legend ?? 'none') !== 'none',
          position: look.legend === 'none' ? 'top' : (look.legend ?? 'top'),
          labels: { color: ink, usePointStyle: true, pointStyle: 'line', font: { size: pixels } },
        },
      },
    },
  })
}

onMounted(build)
// its colours are those of the page
watch([() => [shown.value, props.colour, props.isLarge, props.look], usePreferredDark()], build, { flush: 'post' })
onBeforeUnmount(() => chart?.destroy())
</script>

<template>
  <div v-bind="$attrs" class="relative min-h-0 flex-1"><canvas ref="canvas" role="img" :aria-label="label" data-chart /></div>
  <p v-for="caution in cautions" :key="caution" class="truncate text-[11.5px] text-amber-text" :title="caution">{{ caution }}</p>
</template>
