<script setup lang="ts">
/** The cursor of a chart: a line at the pointer, or moved by keys, and what all curves have there. */
import { formatNumber } from '~~/core/colour/ticks'
import { nearestSample } from '~~/core/study/sampleAt'
import { plainText } from '~~/stage/richText'
import type { LineChart } from '~~/stage/chart/config'
import type { ShownChart } from '~/composables/useCharts'

const props = defineProps<{ chart: ShownChart; drawn: LineChart | undefined; isBrief?: boolean }>()
const bench = useBench()
/** Abscissa in the unit that is shown; null while there is no cursor. */
const at = ref<number | null>(null)
/** Share of a chart that one press of a key moves it by. */
const STEP = 0.01
/** Curves that are told. */
const MOST = 8

const scale = computed(() => (props.drawn && !props.chart.look.isTurned ? props.drawn.scales['x'] : props.drawn?.scales['y']))

function point(event: PointerEvent): void {
  const { drawn } = props
  if (!drawn || !scale.value) return
  const { left, top } = drawn.canvas.getBoundingClientRect()
  const [x, y] = [event.clientX - left, event.clientY - top]
  const { chartArea } = drawn
  const isInside = x >= chartArea.left && x <= chartArea.right && y >= chartArea.top && y <= chartArea.bottom
  at.value = isInside ? (scale.value.getValueForPixel(props.chart.look.isTurned ? y : x) ?? null) : null
}

function move(by: number): void {
  const { min, max } = scale.value ?? { min: 0, max: 1 }
  const now = at.value ?? (min + max) / 2
  at.value = Math.min(max, Math.max(min, now + by * STEP * (max - min)))
}

const found = computed(() => {
  if (at.value === null) return []
  return props.chart.drawn.drawing.series.flatMap((series, i) => {
    const sample = nearestSample(series, at.value!)
    if (sample === undefined) return []
    const unit = series.units.y
    return [
      {
        name: plainText(series.name),
        colour: props.chart.drawn.colours[i]!,
        value: `${formatNumber(series.y[sample]!, 5)}${unit === '1' ? '' : ` ${unit ?? ''}`}`,
        x: series.x[sample]!,
        place: series.places?.slice(3 * sample, 3 * sample + 3) ?? null,
      },
    ]
  })
})
const xText = computed(() => {
  const unit = props.chart.drawn.drawing.axes.x?.unit
  return at.value === null ? '' : `${formatNumber(found.value[0]?.x ?? at.value, 5)}${unit && unit !== '1' ? ` ${unit}` : ''}`
})
/** Pixels of the line in the chart. */
const line = computed(() => {
  const { drawn } = props
  if (at.value === null || !drawn?.chartArea || !scale.value) return null
  const pixel = scale.value.getPixelForValue(found.value[0]?.x ?? at.value)
  const { left, right, top, bottom } = drawn.chartArea
  return props.chart.look.isTurned
    ? { left: `${left}px`, top: `${pixel}px`, width: `${right - left}px`, height: '1px' }
    : { left: `${pixel}px`, top: `${top}px`, width: '1px', height: `${bottom - top}px` }
})
// a place of a curve that is pointed at in the view
watch(
  () => bench.view.lookedAt,
  (place) => (at.value = place),
)
// its place in the view
watch(
  () => found.value.flatMap(({ place, colour }) => (place ? [{ place, colour }] : [])),
  (places) => (bench.view.pointed = places),
)
onBeforeUnmount(() => (bench.view.pointed = []))
</script>

<template>
  <div
    class="relative flex min-h-0 flex-1 flex-col"
    tabindex="0"
    aria-label="Cursor of the chart: arrow keys move it"
    @pointermove="point"
    @pointerleave="at = null"
    @keydown.left.prevent.stop="move($event.shiftKey ? -10 : -1)"
    @keydown.right.prevent.stop="move($event.shiftKey ? 10 : 1)"
    @blur="at = null"
  >
    <slot />
    <span v-if="line" class="pointer-events-none absolute bg-ink/50" :style="line" />
    <div class="num flex min-h-[18px] flex-wrap gap-x-3 text-[11.5px]" role="status" aria-label="Values at the cursor">
      <template v-if="at !== null">
        <span class="text-mute">at {{ xText }}</span>
        <span v-for="one in found.slice(0, MOST)" :key="one.name" class="flex items-center gap-1">
          <i class="inline-block h-[3px] w-3" :style="{ background: one.colour }" />{{ one.value }}
        </span>
        <span v-if="found.length > MOST" class="text-mute">and {{ found.length - MOST }} more</span>
      </template>
      <span v-else-if="!isBrief" class="text-mute">Point at the chart to read its curves.</span>
    </div>
  </div>
</template>
