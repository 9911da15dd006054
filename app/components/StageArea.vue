<script setup lang="ts">
/** The room of the stage, divided among its panes, with one canvas behind all of them. */
import { StageCanvas } from '~~/stage/StageCanvas'
import type { Divider } from '~~/core/study/panes'
import type { FirstLook } from '~/composables/firstLook'
import StagePane from './StagePane.vue'

defineProps<{ firstLook: FirstLook | null }>()
const bench = useBench()
const { panes } = bench
const holder = ref<HTMLElement>()
const canvas = shallowRef<StageCanvas>()
const problem = ref('')

onMounted(() => {
  try {
    canvas.value = markRaw(new StageCanvas(holder.value!))
  } catch {
    problem.value = 'This browser cannot draw: it needs WebGL 2. Try another browser or switch hardware acceleration on.'
  }
})
onBeforeUnmount(() => canvas.value?.dispose())

/** While a divider is dragged: where it is, as a share of the room. */
const dragged = shallowRef<{ divider: Divider; by: number } | null>(null)

function percent(share: number): string {
  return `${100 * share}%`
}

function placed({ x, y, width, height }: { x: number; y: number; width: number; height: number }): Record<string, string> {
  return { left: percent(x), top: percent(y), width: percent(width), height: percent(height) }
}

function isDragged(divider: Divider): boolean {
  return (
    dragged.value !== null && dragged.value.divider.after === divider.after && dragged.value.divider.path.join() === divider.path.join()
  )
}

function dividerAt(divider: Divider): Record<string, string> {
  const by = isDragged(divider) ? dragged.value!.by : 0
  const { rect, isAcross } = divider
  return placed({ ...rect, x: rect.x + (isAcross ? by : 0), y: rect.y + (isAcross ? 0 : by) })
}

function grab(divider: Divider, event: PointerEvent): void {
  const { width, height } = holder.value!.getBoundingClientRect()
  const [x, y] = [event.clientX, event.clientY]
  followPointer(
    event,
    (e) => (dragged.value = { divider, by: divider.isAcross ? (e.clientX - x) / width : (e.clientY - y) / height }),
    () => {
      if (dragged.value) panes.move(divider, dragged.value.by)
      dragged.value = null
    },
  )
}

const NUDGE = 0.02
function onKey(divider: Divider, event: KeyboardEvent): void {
  const keys = divider.isAcross ? ['ArrowLeft', 'ArrowRight'] : ['ArrowUp', 'ArrowDown']
  const way = keys.indexOf(event.key)
  if (way < 0) return
  panes.move(divider, way === 0 ? -NUDGE : NUDGE)
  event.preventDefault()
}

// what moved without another size is drawn anew where it is now
watch(panes.layout, () => panes.stages.forEach((stage) => stage.invalidate()), { flush: 'post' })
</script>

<template>
  <div class="relative min-h-0 flex-1 bg-stage text-[#1f2a2e]">
    <div ref="holder" class="absolute inset-0" aria-hidden="true" />
    <p v-if="problem" role="alert" class="absolute inset-0 grid place-items-center text-brick">{{ problem }}</p>
    <template v-if="canvas">
      <StagePane
        v-for="pane in panes.seen.value"
        :id="pane.id"
        :key="pane.id"
        class="absolute"
        :style="placed(panes.layout.value.panes.get(pane.id) ?? { x: 0, y: 0, width: 1, height: 1 })"
        :canvas="canvas"
        :first-look="firstLook"
      />
      <div
        v-for="divider in panes.layout.value.dividers"
        :key="`${divider.path.join()} ${divider.after}`"
        role="separator"
        tabindex="0"
        :aria-orientation="divider.isAcross ? 'vertical' : 'horizontal'"
        aria-label="Between panes; arrow keys move it"
        class="absolute z-10 before:absolute before:bg-line hover:before:bg-mute"
        :class="
          divider.isAcross
            ? 'w-2! -ml-1 cursor-ew-resize before:inset-y-0 before:left-[3px] before:w-px'
            : 'h-2! -mt-1 cursor-ns-resize before:inset-x-0 before:top-[3px] before:h-px'
        "
        :style="dividerAt(divider)"
        @pointerdown.prevent="grab(divider, $event)"
        @keydown="onKey(divider, $event)"
      />
    </template>
  </div>
</template>
