<script setup lang="ts">
/** The line beyond which a pane shows another case; dragged, or moved by arrow keys. */
defineProps<{ computing: boolean }>()
/** Its place as a share of the width; null for none. */
const swipeAt = defineModel<number | null>({ required: true })
const bench = usePane()
const { panes } = bench
const now = bench.pane
/** While it is dragged. */
const swiped = ref<number | null>(null)
watch(
  () => swiped.value ?? now.value?.other?.at ?? null,
  (at) => (swipeAt.value = at),
  { immediate: true },
)

const held = (share: number): number => Math.min(0.98, Math.max(0.02, share))

function grabSwipe(event: PointerEvent): void {
  const frame = (event.currentTarget as HTMLElement).parentElement!.getBoundingClientRect()
  followPointer(
    event,
    (e) => (swiped.value = held((e.clientX - frame.left) / frame.width)),
    () => {
      if (swiped.value !== null) panes.swipe(now.value.id, now.value.other!.caseId, swiped.value)
      swiped.value = null
    },
  )
}

function nudgeSwipe(by: number): void {
  const { other } = now.value
  if (other) panes.swipe(now.value.id, other.caseId, held(other.at + by))
}
</script>

<template>
  <template v-if="now.other && swipeAt !== null">
    <span
      class="pointer-events-none absolute top-12 rounded bg-[#eef0ec]/85 px-1.5 py-0.5 text-[12px] font-medium"
      :style="{ left: `calc(${100 * swipeAt}% + 8px)` }"
      ><span
        class="mr-1.5 inline-block size-[9px] rounded-full"
        :style="{ background: bench.document.value?.cases[now.other.caseId]?.colour }"
      />{{ bench.document.value?.cases[now.other.caseId]?.name }}{{ computing ? ': computing' : '' }}</span
    >
    <div
      v-if="!bench.view.isPeeking"
      role="separator"
      tabindex="0"
      aria-orientation="vertical"
      aria-label="Swipe line; arrow keys move it"
      class="swipe-line absolute inset-y-0 -ml-[5px] w-[11px] cursor-ew-resize"
      :style="{ left: `${100 * swipeAt}%` }"
      data-swipe
      @pointerdown.prevent="grabSwipe"
      @keydown.left.prevent.stop="nudgeSwipe(-0.05)"
      @keydown.right.prevent.stop="nudgeSwipe(0.05)"
    />
  </template>
</template>

<style scoped>
.swipe-line::before {
  content: '';
  position: absolute;
  inset: 0 auto 0 5px;
  border-left: 1px solid #1f2a2e;
}
</style>
