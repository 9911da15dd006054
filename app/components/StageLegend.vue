<script setup lang="ts">
/** A legend on the stage, drawn by the same code as in pictures. */
import { drawLegend, LEGEND_HEIGHT, LEGEND_WIDTH } from '~~/stage/legend'
import type { LegendSpec } from '~~/stage/legend'
import { formatNumber } from '~~/core/colour/ticks'

const props = defineProps<{ spec: LegendSpec }>()
const canvas = ref<HTMLCanvasElement>()
/** CSS pixels per point. */
const SCALE = 96 / 72

const words = computed(
  () =>
    `${props.spec.title}, ${props.spec.unit ?? 'unit unknown'}, ${formatNumber(props.spec.min)} to ${formatNumber(props.spec.max)}, ` +
    `${props.spec.range}`,
)

async function draw(): Promise<void> {
  await document.fonts.ready
  const context = canvas.value?.getContext('2d')
  if (!context) return
  const ratio = window.devicePixelRatio
  canvas.value!.width = LEGEND_WIDTH * SCALE * ratio
  canvas.value!.height = LEGEND_HEIGHT * SCALE * ratio
  drawLegend(context, props.spec, 0, 0, SCALE * ratio)
}

onMounted(draw)
watch(() => props.spec, draw)
</script>

<template>
  <canvas
    ref="canvas"
    role="img"
    :aria-label="words"
    :style="{ width: `${LEGEND_WIDTH * SCALE}px`, height: `${LEGEND_HEIGHT * SCALE}px` }"
  />
</template>
