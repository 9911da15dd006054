<script setup lang="ts">
/** A chart of a curve. Gaps stay gaps. */
import { Chart, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js'
import type { CurveResult } from '~/composables/useResults'

Chart.register(LineController, LineElement, PointElement, LinearScale, Tooltip)
Chart.defaults.font.family = 'IBM Plex Mono'

const props = defineProps<{ curve: CurveResult; colour: string; label: string; isLarge?: boolean }>()
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

function build(): void {
  const { curve, colour, isLarge = false } = props
  const styles = getComputedStyle(document.documentElement)
  const ink = styles.getPropertyValue('--color-mute')
  const line = styles.getPropertyValue('--color-line')
  const axis = (quantity: { name: string; unit: string | null }) => ({
    type: 'linear' as const,
    title: { display: isLarge, text: title(quantity), color: ink },
    ticks: { color: ink, maxTicksLimit: isLarge ? 8 : 4, font: { size: isLarge ? 11 : 9.5 } },
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
        borderWidth: curve.series.length > MANY ? 0.7 : 1.6,
        pointRadius: 0,
        pointHitRadius: 6,
        spanGaps: false,
      })),
    },
    options: {
      animation: false,
      maintainAspectRatio: false,
      parsing: false,
      normalized: true,
      scales: { x: axis(curve.x), y: { ...axis(curve.y), min: lowestOf(curve.series) } },
      plugins: { tooltip: { mode: 'nearest', intersect: false } },
    },
  })
}

onMounted(build)
watch(() => [props.curve, props.colour, props.isLarge], build)
onBeforeUnmount(() => chart?.destroy())
</script>

<template>
  <div class="relative min-h-0 flex-1"><canvas ref="canvas" role="img" :aria-label="label" data-chart /></div>
</template>
