<script setup lang="ts">
/** Orientation mark and scale bar, in ink. */
import { roundBelow } from '~~/core/colour/ticks'
import type { Stage } from '~~/stage/Stage'

const props = defineProps<{ stage: Stage; drawn: number; unit: string; isSmall: boolean }>()
const ARM = 34
/** Pixels of the scale bar, at most. */
const longest = computed(() => (props.isSmall ? 70 : 120))
const bench = useBench()

const axes = computed(() => {
  void props.drawn
  const { right, up } = props.stage.eye.screenDirections()
  return (['x', 'y', 'z'] as const).map((name, d) => {
    const [dx, dy] = [right[d]! * ARM, -up[d]! * ARM]
    return { name, dx, dy, lx: dx * 1.28, ly: dy * 1.28 + 4, isSeen: Math.hypot(dx, dy) > 5 }
  })
})

/** Where the cursor of a chart stands. */
const pointed = computed(() => {
  void props.drawn
  return bench.view.pointed.map(({ place, colour }) => {
    const [x, y] = props.stage.eye.project(place)
    return { x, y, colour }
  })
})

/** A round length of about a hundred pixels. */
const bar = computed(() => {
  void props.drawn
  // in perspective what is further away is smaller, and rulers say it already
  if (props.stage.eye.angle !== undefined || bench.marks.value?.marks.value.hasRulers) return undefined
  const to = bench.units.display(props.unit || null) ?? { unit: '(unit unknown)', factor: 1 }
  // pixels of one unit as it is shown
  const scale = props.stage.eye.scale() / to.factor
  const length = roundBelow(longest.value / scale)
  return length && { length, pixels: length * scale, unit: to.unit }
})
</script>

<template>
  <svg
    class="pointer-events-none absolute text-[#1f2a2e]"
    :class="isSmall ? 'bottom-0.5 left-0.5' : 'bottom-3 left-3'"
    :width="isSmall ? 56 : 96"
    :height="isSmall ? 56 : 96"
    viewBox="-48 -48 96 96"
    role="img"
    aria-label="Directions of x, y and z"
  >
    <template v-for="axis in axes" :key="axis.name">
      <line v-if="axis.isSeen" x1="0" y1="0" :x2="axis.dx" :y2="axis.dy" stroke="currentColor" stroke-width="1.6" stroke-linecap="round" />
      <text
        v-if="axis.isSeen"
        :x="axis.lx"
        :y="axis.ly"
        text-anchor="middle"
        fill="currentColor"
        font-size="12"
        font-family="IBM Plex Mono"
      >
        {{ axis.name }}
      </text>
    </template>
    <circle r="2.4" fill="currentColor" />
  </svg>
  <svg v-if="pointed.length" class="pointer-events-none absolute inset-0 size-full" role="img" aria-label="Cursor of the chart">
    <circle v-for="(mark, i) in pointed" :key="i" :cx="mark.x" :cy="mark.y" r="5" :fill="mark.colour" stroke="white" stroke-width="1.5" />
  </svg>
  <div
    v-if="bar"
    class="pointer-events-none absolute grid justify-items-center gap-1 text-[#1f2a2e]"
    :class="isSmall ? 'bottom-1.5 right-2' : 'bottom-4 right-5'"
  >
    <span class="num text-[12px]">{{ bar.length }} {{ bar.unit }}</span>
    <span class="h-[6px] border-x-[1.5px] border-b-[1.5px] border-[#1f2a2e]" :style="{ width: `${bar.pixels}px` }" />
  </div>
</template>
