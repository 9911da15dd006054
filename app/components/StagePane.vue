<script setup lang="ts">
/** One pane: gives the components in it the results, the case and the moment of the pane. */
import type { StageCanvas } from '~~/stage/StageCanvas'
import type { FirstLook } from '~/composables/firstLook'
import StageView from './StageView.vue'

const props = defineProps<{ id: string; canvas: StageCanvas; firstLook: FirstLook | null }>()
const outer = useBench()
provide(workbenchKey, usePaneBench(outer, props.id))
const isActive = computed(() => outer.panes.active.value === props.id)
const isOne = computed(() => outer.panes.seen.value.length === 1)

/** Another pane is held over this one. */
const isTarget = ref(false)

function over(event: DragEvent): void {
  const { dragged } = outer.panes
  if (dragged.value === null || dragged.value === props.id) return
  event.preventDefault()
  isTarget.value = true
}

function drop(): void {
  if (isTarget.value && outer.panes.dragged.value !== null) outer.panes.swap(outer.panes.dragged.value, props.id)
  isTarget.value = false
}
</script>

<template>
  <section
    class="flex"
    :aria-label="`Pane ${outer.panes.panes.value.find((pane) => pane.id === id)?.number}`"
    :data-pane="id"
    :aria-current="isActive && !isOne"
    @pointerdown.capture="outer.panes.work(id)"
    @focusin="outer.panes.work(id)"
    @dragover="over"
    @dragleave="isTarget = false"
    @drop="drop"
  >
    <StageView :canvas="canvas" :first-look="firstLook" :is-active="isActive" />
    <div
      v-if="!isOne && (isActive || isTarget)"
      class="pointer-events-none absolute inset-0 border-2"
      :class="isTarget ? 'border-pine' : 'border-[#1f2a2e]'"
    />
  </section>
</template>
