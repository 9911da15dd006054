<script setup lang="ts">
/** The place that was clicked in another pane, with what is read there in this one. */
import type { Picked, Stage } from '~~/stage/Stage'
import type { StageObject } from '~~/stage/StageObject'

const props = defineProps<{ stage: Stage; drawn: number; objects: readonly StageObject[]; read: (found: Picked) => string }>()
const bench = usePane()
const now = bench.pane
/** Pixels that what is read may be away. */
const NEAR = 10

/** Where another pane was clicked, with what is read there in this one. */
const marked = computed(() => {
  void props.drawn
  const { picked: place } = bench.view
  if (!place || place.pane === now.value.id) return null
  const [x, y] = props.stage.eye.project(place.place)
  const [width, height] = props.stage.eye.size
  if (x < 0 || y < 0 || x > width || y > height) return null
  return { x, y, text: markedText.value }
})
const markedText = ref('')
watch(
  () => [bench.view.picked, props.objects] as const,
  ([place]) => {
    markedText.value = ''
    if (!place || place.pane === now.value.id) return
    const [x, y] = props.stage.eye.project(place.place)
    const found = props.stage.pick(x, y)
    props.stage.invalidate()
    // what lies in front of the place is not the place
    if (!found || Math.hypot(...found.position.map((c, d) => c - place.place[d]!)) * props.stage.eye.scale() > NEAR) return
    markedText.value = props.read(found)
  },
)
</script>

<template>
  <span
    v-if="marked"
    class="pointer-events-none absolute size-3 -translate-x-1/2 -translate-y-1/2 rounded-full border-2 border-[#1f2a2e] bg-white/70"
    :style="{ left: `${marked.x}px`, top: `${marked.y}px` }"
    data-marked
    ><span class="num absolute left-3.5 top-[-7px] whitespace-nowrap rounded bg-panel/95 px-1.5 text-[12px] text-ink shadow-sm">{{
      marked.text || 'nothing drawn here'
    }}</span></span
  >
</template>
