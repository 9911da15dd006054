<script setup lang="ts">
/** A chart as it is drawn on the screen, with a cursor that says the values of all curves where it stands. Gaps stay gaps. */
import { usePreferredDark } from '@vueuse/core'
import { Chart } from 'chart.js'
import { chartConfig } from '~~/stage/chart/config'
import type { LineChart } from '~~/stage/chart/config'
import type { ShownChart } from '~/composables/useCharts'

const props = defineProps<{ chart: ShownChart; label: string; isLarge?: boolean }>()
// attributes are those of the chart, not of what is said below it
defineOptions({ inheritAttrs: false })
const emit = defineEmits<{ drawn: [chart: LineChart] }>()
const canvas = ref<HTMLCanvasElement>()
let drawn: LineChart | undefined

const COLUMNS = 800

function build(): void {
  const { chart, isLarge = false } = props
  const styles = getComputedStyle(document.documentElement)
  const colour = (name: string): string => styles.getPropertyValue(`--color-${name}`)
  const theme = { ink: colour(isLarge ? 'ink' : 'mute'), line: colour('line'), ground: colour('panel'), font: 'IBM Plex Sans' }
  const frame = { size: isLarge ? 9 : 7.5, width: 1.2, isSmall: !isLarge, columns: COLUMNS }
  // a small card shows the curves, not the type of a paper
  const look = isLarge ? chart.look : { ...chart.look, size: undefined, title: undefined, legend: 'none' as const }
  drawn?.destroy()
  drawn = new Chart(canvas.value!, chartConfig(chart.drawing, chart.colours, look, theme, frame))
  emit('drawn', drawn)
}

onMounted(build)
// its colours are those of the page
watch([() => [props.chart.drawing, props.chart.colours, props.chart.look, props.isLarge], usePreferredDark()], build, { flush: 'post' })
onBeforeUnmount(() => drawn?.destroy())
</script>

<template>
  <div v-bind="$attrs" class="relative min-h-0 flex-1"><canvas ref="canvas" role="img" :aria-label="label" data-chart /></div>
  <p
    v-for="caution in chart.drawing.cautions"
    :key="caution"
    class="text-[11.5px] text-amber-text"
    :class="{ truncate: !isLarge }"
    :title="caution"
  >
    {{ caution }}
  </p>
</template>
