<script setup lang="ts">
/** A legend on the stage, drawn by the code of pictures: moved and lengthened by hand, its levels added, moved and taken out on it. */
import { formatNumber } from '~~/core/colour/ticks'
import { drawLegend, legendBar, LEGEND_LENGTH, legendSize, placeOnBar } from '~~/stage/legend'
import type { LegendSpec } from '~~/stage/legend'
import { placeOf } from '~~/stage/legendPlaces'
import type { Rect } from '~~/stage/legendPlaces'
import { plainText } from '~~/stage/richText'
import LegendPanel from './LegendPanel.vue'

const props = defineProps<{ spec: LegendSpec; rect: Rect; room: { width: number; height: number }; isFixed: boolean }>()
const bench = useBench()
const canvas = ref<HTMLCanvasElement>()
const isOpen = ref(false)
/** CSS pixels per point. */
const SCALE = 96 / 72
const acts = useLegendActs(bench, () => props.spec)

const words = computed(() => {
  const { title, name, unit, scale, range } = props.spec
  return `${plainText(title ?? name)}, ${unit ?? 'unit unknown'}, ${formatNumber(scale.min)} to ${formatNumber(scale.max)}, ${range}`
})

async function draw(): Promise<void> {
  await document.fonts.ready
  const context = canvas.value?.getContext('2d')
  if (!context) return
  const ratio = window.devicePixelRatio
  const [width, height] = legendSize(props.spec)
  canvas.value!.width = Math.ceil(width * SCALE * ratio)
  canvas.value!.height = Math.ceil(height * SCALE * ratio)
  drawLegend(context, props.spec, 0, 0, SCALE * ratio)
}
onMounted(draw)
watch(() => props.spec, draw)

/** While it is dragged. */
const moved = shallowRef<{ x: number; y: number } | null>(null)
const at = computed(() => moved.value ?? props.rect)

/** Corners of the stage hold what comes near them. */
const SNAP = 14
function snapped(x: number, size: number, all: number): number {
  const end = all - size
  return x < SNAP ? 10 : x > end - SNAP ? end - 10 : x
}

function grab(event: PointerEvent): void {
  if (props.isFixed || event.button !== 0) return
  const [x0, y0] = [event.clientX - props.rect.x, event.clientY - props.rect.y]
  const start = { x: event.clientX, y: event.clientY }
  const move = (e: PointerEvent): void => {
    if (!moved.value && Math.hypot(e.clientX - start.x, e.clientY - start.y) < 4) return
    const { width, height } = props.rect
    moved.value = { x: snapped(e.clientX - x0, width, props.room.width), y: snapped(e.clientY - y0, height, props.room.height) }
  }
  const drop = (): void => {
    if (moved.value) putAt(moved.value.x, moved.value.y)
    else isOpen.value = !isOpen.value
    moved.value = null
  }
  followPointer(event, move, drop)
}

function putAt(x: number, y: number): void {
  const { width, height } = props.rect
  const place = placeOf({ x, y, width, height }, props.room)
  acts.change({ place: { ...place, x: place.x / SCALE, y: place.y / SCALE } }, 'Move the legend')
}

const NUDGE = 12
function onKey(event: KeyboardEvent): void {
  const by = { ArrowLeft: [-NUDGE, 0], ArrowRight: [NUDGE, 0], ArrowUp: [0, -NUDGE], ArrowDown: [0, NUDGE] }[event.key]
  if (by) putAt(props.rect.x + by[0]!, props.rect.y + by[1]!)
  else if (event.key === 'Enter' || event.key === ' ') isOpen.value = !isOpen.value
  else if (event.key === 'Escape') isOpen.value = false
  else return
  event.preventDefault()
}

/** The bar in CSS pixels, and the levels that can be moved along it. */
const bar = computed(() => {
  const { x, y, width, height } = legendBar(props.spec)
  return { left: x * SCALE, top: y * SCALE, width: width * SCALE, height: height * SCALE }
})
const levels = computed(() => props.spec.scale.levels ?? [])
function placeOfLevel(level: number): Record<string, string> {
  const share = placeOnBar(level, props.spec.scale)
  const { left, top, width, height } = bar.value
  return props.spec.isLying
    ? { left: `${left + share * width - 4}px`, top: `${top - 2}px`, width: '8px', height: `${height + 4}px` }
    : { left: `${left - 2}px`, top: `${top + (1 - share) * height - 4}px`, width: `${width + 4}px`, height: '8px' }
}

/** Share of the way along the bar under the pointer. */
function shareAt(event: MouseEvent): number {
  const frame = canvas.value!.getBoundingClientRect()
  const share = props.spec.isLying
    ? (event.clientX - frame.left - bar.value.left) / bar.value.width
    : 1 - (event.clientY - frame.top - bar.value.top) / bar.value.height
  return Math.min(1, Math.max(0, share))
}

function grabLevel(index: number, event: PointerEvent): void {
  const target = event.currentTarget as HTMLElement
  target.setPointerCapture(event.pointerId)
  const from = shareAt(event)
  const drop = (e: PointerEvent): void => {
    if (Math.abs(shareAt(e) - from) > 0.005) acts.moveLevel(index, shareAt(e))
  }
  target.addEventListener('pointerup', drop, { once: true })
}

/** A level is added where the bar is double-clicked. */
function addAt(event: MouseEvent): void {
  const frame = canvas.value!.getBoundingClientRect()
  const [x, y] = [event.clientX - frame.left - bar.value.left, event.clientY - frame.top - bar.value.top]
  if (!props.isFixed && x >= -2 && y >= -2 && x <= bar.value.width + 2 && y <= bar.value.height + 2) acts.addLevel(shareAt(event))
}

/** Pulls the end of the bar. */
function stretch(event: PointerEvent): void {
  const target = event.currentTarget as HTMLElement
  target.setPointerCapture(event.pointerId)
  const { isLying, length = LEGEND_LENGTH } = props.spec
  const from = isLying ? event.clientX : event.clientY
  const wanted = (e: PointerEvent): number => Math.max(40, Math.min(2000, length + ((isLying ? e.clientX : e.clientY) - from) / SCALE))
  target.addEventListener('pointerup', (e) => acts.change({ length: Math.round(wanted(e)) }, 'Resize the legend'), { once: true })
}
</script>

<template>
  <div
    class="group/legend pointer-events-auto absolute rounded"
    :style="{ left: `${at.x}px`, top: `${at.y}px`, width: `${rect.width}px`, height: `${rect.height}px` }"
    :data-legend="spec.variable"
  >
    <div
      role="button"
      tabindex="0"
      class="size-full"
      :class="isFixed ? '' : 'cursor-grab active:cursor-grabbing'"
      :aria-label="`Legend of ${plainText(spec.title ?? spec.name)}: Enter changes it, arrow keys move it`"
      :title="isFixed ? undefined : 'Drag it; a click changes it'"
      @pointerdown="grab"
      @keydown="onKey"
      @dblclick="addAt"
    >
      <canvas ref="canvas" role="img" :aria-label="words" :style="{ width: `${rect.width}px`, height: `${rect.height}px` }" />
    </div>
    <template v-if="!isFixed">
      <button
        v-for="(level, i) in levels"
        :key="i"
        type="button"
        class="absolute opacity-0 hover:bg-ink/30 hover:opacity-100 focus:opacity-100"
        :class="spec.isLying ? 'cursor-ew-resize' : 'cursor-ns-resize'"
        :style="placeOfLevel(level)"
        :aria-label="`Level ${formatNumber(level)}: drag moves it, Delete takes it out`"
        :title="`${formatNumber(level)}: drag it, or double-click to take it out`"
        @pointerdown.stop="grabLevel(i, $event)"
        @dblclick.stop="acts.removeLevel(i)"
        @keydown.delete.stop="acts.removeLevel(i)"
      />
      <button
        type="button"
        tabindex="-1"
        class="absolute hidden rounded-sm bg-ink/40 group-hover/legend:block"
        :class="spec.isLying ? 'right-0 top-1/2 h-4 w-1.5 cursor-ew-resize' : '-bottom-1 left-1/2 h-1.5 w-4 cursor-ns-resize'"
        aria-label="Lengthen the legend"
        @pointerdown.stop="stretch"
      />
    </template>
    <LegendPanel v-if="isOpen" :spec="spec" :rect="rect" @close="isOpen = false" />
  </div>
</template>
